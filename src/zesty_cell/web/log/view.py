"""The log: all flights by craft, pack and pattern; each put right, set aside with a reason, deleted with undo."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from zesty_cell.core.learn.calibration import charge_factor
from zesty_cell.core.learn.flights import LoggedFlight, Used, odd_ones, used_of
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.formats.flights_csv import NamedFlight, write_flights
from zesty_cell.services.learning import current_sensor
from zesty_cell.services.log_fits import keep_fits
from zesty_cell.store import calibrations, logs, sheets
from zesty_cell.store import flights as store
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.tables import FlightRow
from zesty_cell.web.field.entries import CHARGED, DETAILS, Taken, read_change
from zesty_cell.web.http.database import Store
from zesty_cell.web.http.forms import Field, texts_of, whole_number
from zesty_cell.web.http.messages import NOT_STORED, say
from zesty_cell.web.http.posted import PostedForm
from zesty_cell.web.http.preferences import preferences_of
from zesty_cell.web.http.templating import page
from zesty_cell.words.sensors import sensor_words

router = APIRouter(prefix="/log", include_in_schema=False)
A_PAGE = 100
SET_ASIDE = Field("set_aside", "Set aside, because", kind="text", hint="it counts")
FIELDS = (*DETAILS, *CHARGED, SET_ASIDE)


@dataclass(frozen=True)
class Line:
    """A flight of the list."""

    row: FlightRow
    flight: LoggedFlight
    used: Used | None
    factor: float
    odd: bool = False

    @property
    def rest_share(self) -> float | None:
        """Where its rest voltage lies between the floor and full [1]."""
        if self.flight.rest_v_per_cell is None:
            return None
        chemistry = chemistry_for(store.pack_of(self.row).chemistry)
        span = chemistry.full_v - chemistry.hard_floor_v
        return min(max((self.flight.rest_v_per_cell - chemistry.hard_floor_v) / span, 0.0), 1.0)


def _lines(session: Session, rows: Sequence[FlightRow]) -> list[Line]:
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


@router.get("")
def log(
    request: Request,
    session: Store,
    craft: Annotated[int, Query(ge=0)] = 0,
    pack: Annotated[int, Query(ge=0)] = 0,
    pattern: Annotated[str, Query(max_length=80)] = "",
    air: Annotated[str, Query(max_length=10)] = "",
    page_number: Annotated[int, Query(ge=1, le=10_000, alias="page")] = 1,
) -> Response:
    """The newest flights first, a page at a time."""
    _, from_c, to_c = AIR.get(air, AIR[""])
    found = store.find(
        session, craft_id=craft, pack_id=pack, pattern=pattern, air_from_c=from_c, air_to_c=to_c, most=A_PAGE,
        skip=(page_number - 1) * A_PAGE,
    )  # fmt: skip
    crafts, packs, patterns = store.flown(session)
    context = {
        "lines": _lines(session, found.rows),
        "longest_s": max((r.duration_s for r in found.rows), default=1.0),
        "airs": AIR,
        "total": found.total,
        "pages": max(-(-found.total // A_PAGE), 1),
        "page_number": page_number,
        "sheets": sheets.all_sheets(session),
        "crafts": crafts,
        "packs": packs,
        "patterns": patterns,
        "chosen": {"craft": craft, "pack": pack, "pattern": pattern, "air": air},
    }
    return page(request, "flights.html", context)


@router.get("/flights.csv")
def export(session: Store) -> Response:
    """The whole log as CSV, the oldest first."""
    rows = store.newest(session, most=1_000_000)[::-1]
    text = write_flights(NamedFlight(r.craft.name, r.pack.name, store.flight_of(r)) for r in rows)
    names = 'attachment; filename="flights.csv"'
    return Response(text, media_type="text/csv; charset=utf-8", headers={"Content-Disposition": names})


def _flight_page(
    request: Request, session: Session, flight_id: int, *, taken: Taken | None = None,
    form: dict[str, str] | None = None, conflict: str = "", status: int = 200,
) -> Response:  # fmt: skip
    row = store.fetch(session, flight_id)
    view = preferences_of(request)
    [line] = _lines(session, [row])
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
    }
    return page(request, "flight.html", context, status=status)


@router.get("/{flight_id}")
def show(request: Request, session: Store, flight_id: int) -> Response:
    """One flight, to be put right."""
    return _flight_page(request, session, flight_id)


@router.post("/{flight_id}")
def change(request: Request, session: Store, flight_id: int, form: PostedForm) -> Response:
    """Keep what was put right."""
    row = store.fetch(session, flight_id)
    taken, flight = read_change(session, row, form, FIELDS)
    if flight is None:
        return _flight_page(request, session, flight_id, taken=taken, form=form, status=422)
    try:
        keep_fits(session, store.change(session, flight_id, whole_number(form.get("version", "")), flight))
        session.commit()
    except EditConflictError as error:
        session.rollback()
        return _flight_page(request, session, flight_id, form=form, conflict=str(error), status=409)
    except OperationalError:
        session.rollback()
        return _flight_page(request, session, flight_id, form=form, conflict=NOT_STORED, status=503)
    return say(RedirectResponse("/log", 303), "Put right.", undo=f"/log/{flight_id}/as-before")


@router.post("/{flight_id}/as-before")
def as_before(session: Store, flight_id: int) -> Response:
    """Undo :func:`change`: the flight is what it was; once more, and it is put right again."""
    words = "It is as it was." if store.as_before(session, flight_id) else "There is nothing before that."
    return say(RedirectResponse("/log", 303), words, undo=f"/log/{flight_id}/as-before")


@router.post("/{flight_id}/delete")
def delete(session: Store, flight_id: int) -> Response:
    """Take a flight out of the log; with undo."""
    store.delete(session, store.fetch(session, flight_id))
    return say(RedirectResponse("/log", 303), "The flight is deleted.", undo=f"/log/{flight_id}/undelete")


@router.post("/{flight_id}/undelete")
def undelete(session: Store, flight_id: int) -> Response:
    """Undo :func:`delete`."""
    store.restore(session, flight_id)
    return say(RedirectResponse("/log", 303), "The flight is back.")
