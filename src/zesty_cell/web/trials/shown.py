"""A test as it stands, for every page that comes back to it."""

from __future__ import annotations

from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from zesty_cell.core.fact import Words, fact
from zesty_cell.core.trials.measures import MEASURES
from zesty_cell.core.trials.told import planned_for, takes
from zesty_cell.core.trials.told_by_thrust import THRUST_MEASURES
from zesty_cell.services.trial_lessons import lesson_of
from zesty_cell.services.trial_recordings import BENCH_MEASURES
from zesty_cell.services.trials import TrialNow, times_of, trial_now
from zesty_cell.store import discharges, flights, trials
from zesty_cell.store.tables import DischargeRow
from zesty_cell.web.drawing.pairs_chart import PairsChart, pairs_chart
from zesty_cell.web.http import page, preferences_of, say
from zesty_cell.words.face import Face
from zesty_cell.words.trials import question_words, unit_of, value_text

#: Flights of the log that are offered as runs.
_OFFERED = 30


def _picture(now: TrialNow, face: Face) -> PairsChart | None:
    question = now.trial.question
    measure = MEASURES[question.measure]
    unit, factor = ("%", 100.0) if measure.ratio else ("mV", 1000.0) if measure.unit == "v" else ("K", 1.0)
    said = [
        fact(
            "trial.pair.runs",
            first=p.a.slot + 1,
            second=p.b.slot + 1,
            a=question.a,
            b=question.b,
            a_value=value_text(question.measure, p.values[0], face),
            b_value=value_text(question.measure, p.values[1], face),
        )
        for p in now.pairs
    ]
    return pairs_chart(
        now.verdict, matters=question.matters, said=said, unit=unit,
        factor=factor,
    )  # fmt: skip


def _recorded(session: Session, now: TrialNow) -> list[DischargeRow]:
    """Discharge runs of the test's packs that are none of its runs yet, where they can tell what is asked."""
    if now.trial.question.measure not in BENCH_MEASURES:
        return []
    there = {run.note for run in now.trial.runs if run.source == "discharge"}
    rows = [r for r in discharges.all_runs(session) if r.pack.name in now.trial.plan.packs and r.name not in there]
    return rows[:_OFFERED]


def shown_trial(
    request: Request, session: Session, trial_id: int, *, errors: dict[str, Any] | None = None,
    typed: dict[str, str] | None = None, status: int = 200,
) -> HTMLResponse:  # fmt: skip
    """A test as it stands: what comes next, its runs, and its verdict once it is asked for."""
    row = trials.fetch(session, trial_id)
    now = trial_now(session, row)
    face = Face(preferences_of(request))
    plan, question = now.trial.plan, now.trial.question
    flight_s, charge_s, change_s = times_of(session, row.craft_id, differs=question.differs)
    taken = {run.flight for run in now.trial.runs if run.flight is not None}
    on_a_stand = question.measure in THRUST_MEASURES  # no flight tells these
    context: dict[str, Any] = {
        "row": row, "now": now, "question": question, "plan": plan, "words": question_words(question, face),
        "takes": takes(plan, flight_s=flight_s, charge_s=charge_s, change_s=change_s),
        "planned_for": planned_for(plan, question=question),
        "chart": _picture(now, face) if now.looked else None,
        "value": lambda value: value_text(question.measure, value, face),
        "unit": unit_of(question.measure, face.view.units),
        "free": [] if on_a_stand else [
            r for r in flights.newest_of_craft(session, row.craft_id, _OFFERED) if r.id not in taken
        ],
        "errors": errors or {}, "typed": typed or {}, "lesson": lesson_of(now),
        "recorded": _recorded(session, now), "on_a_stand": on_a_stand,
    }  # fmt: skip
    return page(request, "test.html", context, status=status)


def back_to(trial_id: int, words: Words) -> Response:
    """To the test again, with what became of it."""
    return say(RedirectResponse(f"/tests/{trial_id}", 303), words)


def refused(
    request: Request,
    session: Session,
    trial_id: int,
    errors: dict[str, Words],
    form: dict[str, str],
    status: int = 422,
) -> Response:
    """The test as it stands with what is wrong at its place, and what was typed; nothing was kept."""
    session.rollback()
    return shown_trial(request, session, trial_id, errors=errors, typed=dict(form), status=status)
