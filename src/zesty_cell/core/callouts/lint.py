"""A plan is checked as code is: what is wrong with it on this craft, why, and one step that mends it."""

from __future__ import annotations

from dataclasses import replace

from zesty_cell.core.answer.calls import Leads
from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.examined import (
    Examined,
    Finding,
    FindingKey,
    Severity,
)
from zesty_cell.core.callouts.lint_others import OTHER_CHECKS
from zesty_cell.core.callouts.lint_voltages import VOLTAGE_CHECKS
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.score import DayScore, KeptFlights, score_kept
from zesty_cell.core.callouts.tune import badness

#: So many mends are flown and offered at once.
_MOST_WEIGHED = 6
#: What flights show of a rule, whatever the cause.
_TRACES: tuple[FindingKey, ...] = ("land_now_is_silent", "land_now_cries_wolf")
_ORDER: dict[Severity, int] = {"stop": 0, "look": 1, "note": 2}


def lint(*, plan: CalloutPlan, result: Forecast, kept: KeptFlights | None = None) -> tuple[Finding, ...]:
    """Everything wrong with a plan on the flight it is for, worst first.

    A mend that makes the plan worse on the sampled flights is not offered, where those are given.

    Parameters
    ----------
    plan : CalloutPlan
    result : Forecast
        Of the sheet the plan belongs to.
    kept : KeptFlights, optional
        Its sampled flights.
    """
    linter = Examined(plan, result, kept)
    found = [finding for check in VOLTAGE_CHECKS + OTHER_CHECKS for finding in check(linter)]
    if kept is not None and any(f.mended is not None for f in found):
        series, leads = linter.series, result.callouts.leads
        before = score_kept(plan.flown_with(series=series), kept)
        found.sort(key=lambda f: _ORDER[f.severity])
        mendable = [f for f in found if f.mended is not None]
        # The rest gets its turn when these are mended: a plan with thirty faults must not take a minute.
        later = {id(f) for f in mendable[_MOST_WEIGHED:]}
        found = [
            replace(f, mend=None, mended=None)
            if id(f) in later
            else _weighed(f, before, kept, series=series, leads=leads)
            for f in found
        ]
    return tuple(sorted(_causes(found), key=lambda f: _ORDER[f.severity]))


def _weighed(finding: Finding, before: DayScore, kept: KeptFlights, *, series: int, leads: Leads) -> Finding:
    """A finding with what its mend does on the sampled flights; without the mend where that is worse."""
    if finding.mended is None:
        return finding
    after = score_kept(finding.mended.flown_with(series=series), kept)
    if badness(after, leads=leads) > badness(before, leads=leads) + 1e-9:
        return replace(finding, mend=None, mended=None, before=before)
    return replace(finding, before=before, after=after)


def _causes(findings: list[Finding], /) -> list[Finding]:
    """Findings without the traces of others: a call for other cells is silent too, and one mend serves both."""
    mendable = {
        f.concerns for f in findings if f.severity == "stop" and f.mended is not None and f.key not in _TRACES
    }
    return [f for f in findings if f.key not in _TRACES or f.concerns not in mendable]
