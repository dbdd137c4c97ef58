"""The log's lines and one flight's form."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from fastapi import Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from zesty_cell.core.fact import Words
from zesty_cell.core.learn.calibration import charge_factor
from zesty_cell.core.learn.flights import LoggedFlight, Used, odd_ones, used_of
from zesty_cell.core.parts.pack import cells_of
from zesty_cell.services.learning import current_sensor
from zesty_cell.store import calibrations, logs
from zesty_cell.store import flights as store
from zesty_cell.store.tables import FlightRow
from zesty_cell.web.field.entries import CHARGED, DETAILS, Taken, units_behind
from zesty_cell.web.http import page, preferences_of
from zesty_cell.web.http.forms import Field, texts_of
from zesty_cell.words.sensors import sensor_words
from zesty_cell.words.units import DISTANCE, SPEED

SET_ASIDE = Field("set_aside", "Set aside, because", kind="text", hint="it counts")
#: Kept of a flight, and not asked for at the field.
FLOWN = (
    Field("distance_m", "Distance flown", DISTANCE),
    Field("top_speed_m_s", "Top speed", SPEED),
    Field("propellers", "Propellers", kind="text", hint="one set"),
)
FIELDS = (*DETAILS, *CHARGED, *FLOWN, SET_ASIDE)


@dataclass(frozen=True)
class Line:
    """A flight of the list."""

    row: FlightRow
    flight: LoggedFlight
    used: Used | None
    factor: float
    odd: bool = False

    @property
    def mah_per_km(self) -> float | None:
        """Charge used for each kilometre, as measured [mAh/km]."""
        if self.used is None or self.used.by == "rest voltage":
            return None
        ah = self.flight.ah_per_km(self.used.share * store.pack_of(self.row).capacity_ah)
        return None if ah is None else 1000.0 * ah

    @property
    def rest_share(self) -> float | None:
        """Where its rest voltage lies between the floor and full [1]."""
        if self.flight.rest_v_per_cell is None:
            return None
        chemistry = cells_of(store.pack_of(self.row))
        span = chemistry.full_v - chemistry.hard_floor_v
        return min(max((self.flight.rest_v_per_cell - chemistry.hard_floor_v) / span, 0.0), 1.0)


def lines_of(session: Session, rows: Sequence[FlightRow]) -> list[Line]:
    """Flights with what they used, corrected by the calibrations after them; odd among those like them here."""
    made = {craft_id: calibrations.of_craft(session, craft_id) for craft_id in {r.craft_id for r in rows}}
    lines = []
    for row in rows:
        flight, of = store.flight_of(row), made[row.craft_id]
        used = used_of(flight, pack=store.pack_of(row), calibrations=of)
        lines.append(Line(row, flight, used, charge_factor(of, at=flight.landed_at)))
    alike: dict[tuple[int, str, str], list[int]] = {}
    for k, line in enumerate(lines):
        if line.used is not None and line.used.by != "rest voltage" and line.flight.set_aside is None:
            alike.setdefault((line.row.craft_id, line.row.pack.type_name, line.row.pattern), []).append(k)
    for of_kind in alike.values():
        rates = [used.share / lines[k].flight.duration_s for k in of_kind if (used := lines[k].used) is not None]
        for k, odd in zip(of_kind, odd_ones(rates), strict=True):
            lines[k] = replace(lines[k], odd=odd)
    return lines


#: Air to look for: word, from and below [°C].
AIR: dict[str, tuple[str, float | None, float | None]] = {
    "": ("any air", None, None),
    "frost": ("below 5 °C", None, 5.0),
    "cool": ("5 to 15 °C", 5.0, 15.0),
    "mild": ("15 to 25 °C", 15.0, 25.0),
    "hot": ("25 °C and more", 25.0, None),
}


def flight_page(
    request: Request, session: Session, flight_id: int, *, taken: Taken | None = None,
    form: dict[str, str] | None = None, conflict: Words = "", status: int = 200,
) -> Response:  # fmt: skip
    row = store.fetch(session, flight_id)
    view = preferences_of(request)
    [line] = lines_of(session, [row])
    texts = form or texts_of(FIELDS, line.flight.model_dump(), view.units) | {"version": str(row.version)}
    kept = logs.of_craft(session, row.craft_id)
    context: dict[str, Any] = {
        "sensor": sensor_words(current_sensor(session, row.craft_id), sensor="current"),
        "attached": logs.of_flight(session, flight_id),
        "free_logs": [log for log in kept if log.flight_id is None],
        "line": line,
        "fields": FIELDS,
        "texts": texts,
        "how": texts.get("how", line.flight.how),
        "errors": taken.errors if taken else {},
        "asked": " ".join(taken.asked) if taken else "",
        "conflict": conflict,
        "unit_of": units_behind(view, FIELDS, volts="cell"),
    }
    return page(request, "flight.html", context, status=status)
