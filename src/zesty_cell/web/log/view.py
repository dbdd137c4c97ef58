"""The log: all flights by craft, pack and pattern; each put right, set aside with a reason, deleted with undo."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, Query, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.exc import OperationalError

from zesty_cell.core.fact import fact
from zesty_cell.core.parts.connectors import CONNECTORS
from zesty_cell.formats.flights_csv import NamedFlight, write_flights
from zesty_cell.services.flight_log import change_flight
from zesty_cell.store import flights as store
from zesty_cell.store import flown, sheets, unreadable
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.field.entries import read_change
from zesty_cell.web.http import NOT_STORED, PostedForm, Store, page, say, whole_number
from zesty_cell.web.log.lines import AIR, FIELDS, flight_page, lines_of

router = APIRouter(prefix="/log", include_in_schema=False)
A_PAGE = 100


@router.get("")
def log(
    request: Request,
    session: Store,
    craft: Annotated[int, Query(ge=0)] = 0,
    pack: Annotated[int, Query(ge=0)] = 0,
    pattern: Annotated[str, Query(max_length=80)] = "",
    propellers: Annotated[str, Query(max_length=80)] = "",
    plug: Annotated[str, Query(max_length=40)] = "",
    note: Annotated[str, Query(max_length=80)] = "",
    air: Annotated[str, Query(max_length=10)] = "",
    page_number: Annotated[int, Query(ge=1, le=10_000, alias="page")] = 1,
) -> Response:
    """The newest flights first, a page at a time."""
    _, from_c, to_c = AIR.get(air, AIR[""])
    found = flown.find(
        session, craft_id=craft, pack_id=pack, pattern=pattern, propellers=propellers, plug=plug,
        note=note.strip(), air_from_c=from_c, air_to_c=to_c, most=A_PAGE, skip=(page_number - 1) * A_PAGE,
    )  # fmt: skip
    crafts, packs, patterns = flown.flown(session)
    chosen = {
        "craft": craft, "pack": pack, "pattern": pattern, "air": air, "propellers": propellers, "plug": plug,
        "note": note.strip(),
    }  # fmt: skip
    plugs = {PACKS.thing(row).connector for row in packs}
    context = {
        "lines": lines_of(session, found.rows),
        "longest_s": max((r.duration_s for r in found.rows), default=1.0),
        "airs": AIR,
        "total": found.total,
        "pages": max(-(-found.total // A_PAGE), 1),
        "page_number": page_number,
        "sheets": sheets.all_sheets(session),
        "crafts": crafts,
        "packs": packs,
        "patterns": patterns,
        "cannot_be_read": unreadable.count(session),
        "propellers": flown.propellers_flown(session),
        "plugs": [(key, connector.name) for key, connector in CONNECTORS.items() if key in plugs],
        "chosen": chosen,
        "query": urlencode({k: v for k, v in chosen.items() if v}),
    }
    return page(request, "flights.html", context)


@router.get("/flights.csv")
def export(session: Store) -> Response:
    """The whole log as CSV, the oldest first."""
    rows = store.newest(session, most=1_000_000)[::-1]
    text = write_flights(NamedFlight(r.craft.name, r.pack.name, store.flight_of(r)) for r in rows)
    names = 'attachment; filename="flights.csv"'
    return Response(text, media_type="text/csv; charset=utf-8", headers={"Content-Disposition": names})


@router.get("/{flight_id}")
def show(request: Request, session: Store, flight_id: int) -> Response:
    """One flight, to be put right."""
    return flight_page(request, session, flight_id)


@router.post("/{flight_id}")
def change(request: Request, session: Store, flight_id: int, form: PostedForm) -> Response:
    """Keep what was put right."""
    row = store.fetch(session, flight_id)
    taken, flight = read_change(session, row, form, FIELDS)
    if flight is None:
        return flight_page(request, session, flight_id, taken=taken, form=form, status=422)
    try:
        change_flight(session, row, flight, version=whole_number(form.get("version", "")))
        session.commit()
    except EditConflictError as error:
        session.rollback()
        return flight_page(request, session, flight_id, form=form, conflict=error.why, status=409)
    except OperationalError:
        session.rollback()
        return flight_page(request, session, flight_id, form=form, conflict=NOT_STORED, status=503)
    return say(RedirectResponse("/log", 303), fact("said.flight.put_right"), undo=f"/log/{flight_id}/as-before")


@router.post("/{flight_id}/as-before")
def as_before(session: Store, flight_id: int) -> Response:
    """Undo :func:`change`: the flight is what it was; once more, and it is put right again."""
    words = (
        fact("said.flight.as_before") if store.as_before(session, flight_id) else fact("said.flight.nothing_before")
    )
    return say(RedirectResponse("/log", 303), words, undo=f"/log/{flight_id}/as-before")


@router.post("/{flight_id}/delete")
def delete(session: Store, flight_id: int) -> Response:
    """Take a flight out of the log; with undo."""
    store.delete(session, store.fetch(session, flight_id))
    return say(RedirectResponse("/log", 303), fact("said.flight.deleted"), undo=f"/log/{flight_id}/undelete")


@router.post("/{flight_id}/undelete")
def undelete(session: Store, flight_id: int) -> Response:
    """Undo :func:`delete`."""
    store.restore(session, flight_id)
    return say(RedirectResponse("/log", 303), fact("said.flight.back"))
