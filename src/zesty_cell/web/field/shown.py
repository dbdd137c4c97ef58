"""The field page from its hand."""

from __future__ import annotations

import math
import uuid
from typing import Any

from fastapi import Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from zesty_cell.core.fact import fact
from zesty_cell.services.in_hand import InHand
from zesty_cell.services.learning import current_sensor
from zesty_cell.services.pack_health import storage_reminders
from zesty_cell.web.drawing.timer_chart import TimerChart, timer_chart
from zesty_cell.web.field.entries import CHARGED, DETAILS, KINDS, Taken, labels_behind, units_behind
from zesty_cell.web.http import page, preferences_of
from zesty_cell.words.sensors import sensor_words

_SAID = {"landed": fact("said.landed"), "details": fact("said.kept"), "charged": fact("said.charged")}


def _chart(hand: InHand) -> TimerChart | None:
    if hand.timer is None or hand.expects is None:
        return None
    share, low, _ = hand.expects
    down_s = hand.timer.down_s
    sigma = math.log(share / low) / 1.96
    return timer_chart(hand.rates, hand.timer, landing_used=hand.landing_used, rate=share / down_s, sigma=sigma)


def field_page(
    request: Request, session: Session, *, craft: int, pack: int, as_it_is: bool = False,
    taken: Taken | None = None, form: dict[str, str] | None = None, status: int = 200,
) -> Response:  # fmt: skip
    hand = InHand(session, craft_id=craft, pack_id=pack, as_it_is=as_it_is)
    view = preferences_of(request)
    context: dict[str, Any] = {
        "hand": hand,
        "result": hand.result,
        "chart": _chart(hand),
        # A pack stands in one place: what waits for the charger, or is in hand, is not told of again.
        "store": storage_reminders(
            session,
            [c.row for c in hand.packs if not c.flown and (hand.pack is None or c.row.id != hand.pack.id)],
        ),
        "sensor": ""
        if hand.craft is None
        else sensor_words(current_sensor(session, hand.craft.id), sensor="current"),
        "details": DETAILS,
        "charged": CHARGED,
        "unit_of": units_behind(view),
        "field_words": {"kinds": KINDS, "labels": labels_behind(view)},
        "errors": taken.errors if taken else {},
        "asked": " ".join(taken.asked) if taken else "",
        "typed": form or {},
        "names": [uuid.uuid4().hex for _ in range(2 + len(hand.waiting))],
    }
    return page(request, "field.html", context, status=status)
