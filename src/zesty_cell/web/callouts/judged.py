"""A plan held against its forecast, as the callouts page shows it: findings, ladder, what is heard on a run."""

from __future__ import annotations

from typing import Any

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.plain import plain_form
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.schools import SCHOOLS
from zesty_cell.core.callouts.score import BAD_DAYS, OWN_DAY, score_plan
from zesty_cell.core.callouts.writer import Written
from zesty_cell.services.plans import plan_now
from zesty_cell.web.callouts import dry
from zesty_cell.web.callouts.desk import Desk
from zesty_cell.web.callouts.runs import choose_run
from zesty_cell.web.drawing.ladder import ladder
from zesty_cell.web.drawing.run_trace import run_trace
from zesty_cell.words.calls import in_short
from zesty_cell.words.edited_rules import changed_words
from zesty_cell.words.sensors import sensor_words

DAYS = (OWN_DAY, *BAD_DAYS)


def judged(
    desk: Desk, plan: CalloutPlan, result: Forecast, written: Written, oddity: str, *, as_pack: bool, days: bool
) -> dict[str, Any]:
    """What is shown of a plan that can be held against a forecast."""
    chosen = choose_run(desk.session, oddity, plan=plan, result=result)
    run = chosen.run
    findings = desk.findings(plan)
    short, also = in_short(plan, series=desk.series)
    school = next((s for s in SCHOOLS if s.school == plan.school), None)
    return {
        "result": result,
        "school": school,
        "sensor": sensor_words(desk.sensor, sensor="current"),
        "written": written,
        "changed": changed_words(plan=plan, written=written.plan, result=result),
        "findings": findings,
        "short": short,
        "also": also,
        "now": plan_now(desk.session, desk.sheet_row, desk.own_advice),
        "to_mend": sum(f.severity != "note" for f in findings),
        "ladder": ladder(plan, result, as_pack=as_pack),
        "chosen": chosen,
        "oddity": chosen.key,
        "run": run,
        "trace": run_trace(run, plan, series=desk.sheet.pack.series),
        "flights": result.range.landing_s.size,
        "plain": plain_form(plan=plan, result=result),
        "spent": dry.spent(run, plan),
        "heard": dry.heard(run, plan),
        "player": dry.player(run, plan, series=desk.series),
        "days": DAYS,
        "bad_days": [day_scored(desk, plan, k) for k in range(len(DAYS))] if days else None,
    }


def day_scored(desk: Desk, plan: CalloutPlan, index: int) -> Any:
    [one] = score_plan(plan=plan, sheet=desk.sheet, days=(DAYS[index],))
    return one
