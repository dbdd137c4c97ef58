"""What its flights taught about a sheet: the forecast before and after, each figure, each flight; on or off."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from zesty_cell.core.asked.learned_factors import POWER, covariance_of
from zesty_cell.core.asked.sheet import corrected
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.learn.learned import FACTORS
from zesty_cell.services.forecasts import flown
from zesty_cell.services.learning import as_flown, disagreement_of, learned_from, lessons
from zesty_cell.store import sheets as store
from zesty_cell.web.drawing.taught_chart import factor_lines, miss_chart, time_bars
from zesty_cell.web.http import PostedForm, Store, page, say
from zesty_cell.web.taught.lesson import _LABELS, Lesson, _more
from zesty_cell.words.units import minutes

router = APIRouter(prefix="/sheets", include_in_schema=False)


@router.get("/{sheet_id}/taught")
def show(request: Request, session: Store, sheet_id: int) -> Response:
    """The forecast without and with the log, and what each flight taught."""
    row = store.fetch(session, sheet_id)
    sheet = store.as_sheet(row)
    of = lessons(session, sheet, craft_id=row.craft_id, pack=row.pack)
    known, learned = of.known, learned_from(of, sheet=sheet)
    context: dict[str, Any] = {
        "row": row,
        "sheet": sheet,
        "learned": None,
        "trouble": "",
        "by_others": None if of else as_flown(session, row).taught,
    }
    if learned is None:
        return page(request, "taught.html", context)
    taught = learned.taught(str(row.pack_id))
    try:
        before, after = flown(sheet), flown(corrected(sheet, taught))
    except OutOfRangeError as error:
        return page(request, "taught.html", context | {"trouble": str(error)})
    sigma = np.sqrt(np.diag(covariance_of(taught)))
    # The flights' own variation is no part of how well the craft is known.
    sigma[POWER] = math.sqrt(max(sigma[POWER] ** 2 - learned.scatter**2, 0.0))
    figures = [
        (label, learned.before(name), float(getattr(taught, name)), float(sigma[k]))
        for k, (name, label) in enumerate(zip(FACTORS, _LABELS, strict=True))
    ]
    misses = [m if math.isfinite(m) else None for m in learned.residuals.tolist()]
    each = [Lesson(t, m, bool(o)) for t, m, o in zip(known, misses, learned.odd, strict=True)]
    shown = [
        (lesson.miss, lesson.odd, f"{lesson.landed_at:%-d %B}: {minutes(t.flight.duration_s)} on "
         f"{t.pack_name}, {_more(lesson.miss)}")
        for lesson in each if lesson.miss is not None for t in (lesson.told,)
    ]  # fmt: skip
    context |= {
        "learned": learned,
        "logs": len(of.logs),
        "taught": taught,
        "before": before,
        "after": after,
        "times": time_bars(
            (before.range.low_s, before.flight.landing_s, before.range.high_s),
            (after.range.low_s, after.flight.landing_s, after.range.high_s),
        ),
        "factors": factor_lines(figures),
        "misses": miss_chart(shown, sigma=learned.scatter) if shown else None,
        "lessons": each[::-1],
        "more": _more,
        "disagreement": disagreement_of(known, sheet=sheet),
    }
    return page(request, "taught.html", context)


@router.post("/{sheet_id}/taught")
def switch(session: Store, sheet_id: int, form: PostedForm) -> Response:
    """Let the sheet go by its log, or by itself."""
    row = store.fetch(session, sheet_id)
    row.from_log = form.get("from_log") == "1"
    session.flush()
    words = "The forecast goes by its log again." if row.from_log else "The forecast goes by the sheet alone."
    return say(RedirectResponse(f"/sheets/{sheet_id}/taught", 303), words)
