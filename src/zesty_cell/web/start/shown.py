"""What the first page shows: what was understood, the answer as far as it goes, and what would make it surer."""

from __future__ import annotations

from typing import Any

from zesty_cell.core.answer.check import Check
from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.fact import Words
from zesty_cell.services.starting import FirstAnswer
from zesty_cell.web.drawing.first_chart import first_picture
from zesty_cell.web.start.form import StartForm
from zesty_cell.web.surer.results import causes_shown, measures_shown
from zesty_cell.words.face import Face
from zesty_cell.words.first import how_sure
from zesty_cell.words.sheet import REASON_WORDS

#: Checks beside the first answer: three at most, and only what is worth a look.
_MOST_CHECKS = 3
#: Measurements in view before the rest is asked for.
_MEASURES_SHOWN = 3


def _checks(result: Forecast) -> list[Check]:
    """What is worth a look; that no voltage calls yet stands beside what is to be set."""
    worth = [check for check in result.checks if check.status != "ok" and check.key != "voltage_callouts"]
    return worth[:_MOST_CHECKS]


def _bar(result: Forecast) -> dict[str, float]:
    """The range on a bar from nothing to a third beyond it, in percent."""
    whole = 1.3 * max(result.range.high_s, result.flight.landing_s)
    places = (result.range.low_s, result.range.high_s, result.flight.landing_s)
    return dict(zip(("low", "high", "middle"), (round(100.0 * s / whole, 1) for s in places), strict=True))


def answer_shown(form: StartForm, answer: FirstAnswer | None, face: Face, *, why: Words) -> dict[str, Any]:
    """The answer beside them; only why there is none, where they contradict each other."""
    if answer is None:
        return {"answer": None, "why_not": why}
    result, series = answer.result, answer.first.sheet.pack.series
    as_pack = face.view.volts == "pack"
    errors = {**form.errors, **answer.first.doubts}
    texts = form.texts if form.asked.craft is None else {}
    measures = measures_shown(answer.surer.measures, result=result, texts=texts, errors=errors, units=form.units)
    return {
        "answer": answer,
        "why_not": why,
        "result": result,
        "typed_here": form.asked.craft is None,
        "first_flight": answer.timer.held_by == "first flight",
        "series": series,
        "bar": _bar(result),
        "how_sure": how_sure(result.setup.sheet),
        "ended_by": REASON_WORDS[result.flight.landing_reason]
        if result.flight.landing_reason in ("floor", "empty", "ESC cutoff")
        else "",
        "checks": _checks(result),
        "measures": measures[:_MEASURES_SHOWN],
        "more_measures": measures[_MEASURES_SHOWN:],
        "causes": causes_shown(answer.surer.causes),
        "wide": first_picture(result, as_pack=as_pack, width=722.0, height=186.0),
        "narrow": first_picture(result, as_pack=as_pack, width=358.0, height=170.0),
    }
