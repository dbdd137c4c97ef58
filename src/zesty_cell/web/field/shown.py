"""The field page from its desk."""

from __future__ import annotations

import math
import uuid
from typing import Any

from fastapi import Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from zesty_cell.services.learning import current_sensor
from zesty_cell.services.pack_health import storage_reminders
from zesty_cell.web.drawing.timer_chart import TimerChart, timer_chart
from zesty_cell.web.field.desk import FieldDesk
from zesty_cell.web.field.entries import CHARGED, DETAILS, Taken
from zesty_cell.web.http import page
from zesty_cell.words.sensors import sensor_words

_SAID = {"landed": "Landed.", "details": "Kept.", "charged": "Charged."}


def _chart(desk: FieldDesk) -> TimerChart | None:
    if desk.timer is None or desk.expects is None:
        return None
    share, low, _ = desk.expects
    down_s = desk.timer.down_s
    sigma = math.log(share / low) / 1.96
    return timer_chart(desk.rates, desk.timer, landing_used=desk.landing_used, rate=share / down_s, sigma=sigma)


def field_page(
    request: Request, session: Session, *, craft: int, pack: int, as_it_is: bool = False,
    taken: Taken | None = None, form: dict[str, str] | None = None, status: int = 200,
) -> Response:  # fmt: skip
    desk = FieldDesk(session, craft_id=craft, pack_id=pack, as_it_is=as_it_is)
    context: dict[str, Any] = {
        "desk": desk,
        "result": desk.result,
        "chart": _chart(desk),
        # A pack stands in one place: what waits for the charger, or is in hand, is not told of again.
        "store": storage_reminders(
            session,
            [c.row for c in desk.packs if not c.flown and (desk.pack is None or c.row.id != desk.pack.id)],
        ),
        "sensor": ""
        if desk.craft is None
        else sensor_words(current_sensor(session, desk.craft.id), sensor="current"),
        "details": DETAILS,
        "charged": CHARGED,
        "errors": taken.errors if taken else {},
        "asked": " ".join(taken.asked) if taken else "",
        "typed": form or {},
        "names": [uuid.uuid4().hex for _ in range(2 + len(desk.waiting))],
    }
    return page(request, "field.html", context, status=status)
