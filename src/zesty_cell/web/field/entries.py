"""What a phone sends from the field: landed, details, charged; each entry counts once, however often it comes."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from pydantic import ValidationError
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from zesty_cell.core.answer.plausibility import cell_volts_doubt
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.plausibility import measured_doubt
from zesty_cell.core.parts.pack import Pack
from zesty_cell.services.flight_log import (
    CLOCK_AHEAD,
    Foretold,
    change_flight,
    charge_pack,
    doubted,
    foretold_by,
    log_flight,
)
from zesty_cell.services.trial_runs import take_flight
from zesty_cell.store import flights as store
from zesty_cell.store import sheets, trials
from zesty_cell.store.errors import EditConflictError, MissingRecordError
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import FlightRow, PackRow, SheetRow
from zesty_cell.web.http import whole_number
from zesty_cell.web.http.forms import Field, form_units, read_field, words_of
from zesty_cell.web.http.preferences import Preferences
from zesty_cell.words.units import CAPACITY, DURATION, FLIGHT_TIME, MILLIOHM, TEMPERATURE, VOLTAGE

DURATION_FIELD = Field("duration_s", "Flew", FLIGHT_TIME, required=True)
DETAILS = (
    DURATION_FIELD,
    Field("rest_v_per_cell", "Rest voltage", VOLTAGE),
    Field("rest_after_s", "Read after landing", FLIGHT_TIME, hint="2:00"),
    Field("shown_ah", "Charge used, as shown", CAPACITY),
    Field("air_c", "Air", TEMPERATURE),
    Field("hottest_c", "Pack when landed", TEMPERATURE),
    Field("note", "Note", kind="text"),
)
CHARGED = (
    Field("put_back_ah", "Put back", CAPACITY),
    Field("charged_v_per_cell", "Charged to", VOLTAGE),
    Field("cells_v", "Each cell", VOLTAGE, several=True),
    Field("resistance_ohm", "A cell’s resistance", MILLIOHM),
)
RESTS = (Field("rest_v_per_cell", "It rests at", VOLTAGE, required=True),)
#: What a phone may send, and how each is called where it was refused.
KINDS = {"landed": "Landed", "details": "How it was", "charged": "Charged", "rests": "Measured"}
#: What an empty input means where it is not “not known”.
_EMPTY: dict[str, Any] = {"note": "", "cells_v": (), "propellers": ""}
_PACK_VOLTS = frozenset({"rest_v_per_cell", "charged_v_per_cell"})
_NAME_LENGTH = 40


def units_behind(
    view: Preferences, fields: Sequence[Field] = (*DETAILS, *CHARGED), *, volts: str = ""
) -> dict[str, str]:
    """What stands behind fields: the unit, and whether a voltage is a cell's; ``volts`` where it is always that."""
    cell = "" if (volts or view.volts) == "pack" else " a cell"
    return {
        f.path: f.quantity.unit(view.units).label + (cell if f.path in _PACK_VOLTS else "")
        for f in fields
        if f.quantity is not None
    }


def labels_behind(view: Preferences) -> dict[str, str]:
    """What a refused entry's fields are called, with their units."""
    units = units_behind(view)
    return {f.path: ", ".join(filter(None, (f.label, units.get(f.path)))) for f in (*DETAILS, *CHARGED)}


@dataclass
class Taken:
    """What became of an entry: the flight it concerns, or what is wrong, by field; ``errors[""]`` is the whole.

    ``asked`` are the keys of what is only improbable: sent back as ``sure`` they are taken.
    """

    flight_id: int = 0
    errors: dict[str, Words] = field(default_factory=dict)
    asked: tuple[str, ...] = ()


def _read(fields: tuple[Field, ...], form: Mapping[str, str], series: int, taken: Taken) -> dict[str, Any]:
    """The fields that were sent; volts of the pack become volts a cell."""
    values: dict[str, Any] = {}
    for item in fields:
        if item.path not in form:
            continue
        try:
            value = read_field(item, form[item.path], form_units(form))
        except ValueError as error:
            taken.errors[item.path] = str(error)
            continue
        if value is not None and item.path in _PACK_VOLTS and form.get("volts") == "pack":
            value /= series
        if value is None:
            value = _EMPTY.get(item.path)
        values[item.path] = value
    return values


def _of_pack(values: dict[str, Any], pack: Pack, taken: Taken) -> None:
    """Voltages that no cell of the pack has are refused in words of that pack, before anything else is."""
    for name in ("rest_v_per_cell", "charged_v_per_cell"):
        volts = values.get(name)
        doubt = None if volts is None else cell_volts_doubt(volts, pack=pack, field=name)
        if doubt is not None:
            taken.errors[name] = doubt.why


def _checked(
    values: dict[str, Any],
    row: FlightRow | None,
    pack_id: int,
    session: Session,
    taken: Taken,
    *,
    sure: str = "",
    foretold: Foretold | None = None,
) -> LoggedFlight | None:
    """The flight with its new values, or what is wrong with it at its fields."""
    pack = PACKS.thing(PACKS.fetch(session, pack_id))
    _of_pack(values, pack, taken)
    if taken.errors:
        return None
    try:
        flight = LoggedFlight.model_validate(values)
    except ValidationError as error:
        for problem in error.errors(include_url=False, include_input=False):
            taken.errors.setdefault(str(problem["loc"][0]) if problem["loc"] else "", words_of(problem))
        return None
    found = doubted(session, flight, pack_id=pack_id, row=row, sure=set(sure[:400].split()), foretold=foretold)
    taken.errors |= found.errors
    taken.asked = tuple(sorted(found.asked))
    return None if taken.errors else flight


def _landed_at(text: str) -> datetime | str:
    """When it landed, as the phone says; now, where the phone does not say or its clock is ahead."""
    now = datetime.now(UTC)
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        return text or now
    return now if moment.tzinfo is not None and moment > now + CLOCK_AHEAD else text


def _as_it_stands(local: str) -> str:
    """A time typed without a script, which knows no zone: it is taken as UTC."""
    return f"{local}+00:00" if local else ""


#: What sheets foretell with packs, for entries that come together, by the numbers of both.
ForetoldBy = dict[tuple[int, int], Foretold | None]
#: A day's entries come within moments: what was foretold for the first serves the others [s].
_LATELY_S = 60.0


class ForetoldLately:
    """What was foretold within the last minute; only doubts are raised by it, and no number leaves the page."""

    def __init__(self) -> None:
        self._since, self._found = 0.0, ForetoldBy()

    def now(self) -> ForetoldBy:
        """What still counts."""
        if time.monotonic() - self._since > _LATELY_S:
            self._since, self._found = time.monotonic(), {}
        return self._found


@dataclass
class _Together:
    """Entries that came together: what was foretold for them, what became of each that was taken, by its name.

    ``rows`` holds on to the packs and sheets that they are of, which are read once.
    """

    foretold: ForetoldBy
    answers: dict[str, dict[str, object]]
    rows: list[PackRow | SheetRow] = field(default_factory=list)


def _landed(session: Session, form: Mapping[str, str], entry: str, together: _Together) -> Taken:
    taken = Taken()
    pack = PACKS.fetch(session, whole_number(form.get("pack", "")))
    sheet = sheets.fetch(session, whole_number(form.get("sheet", "")))
    together.rows += [pack, sheet]
    foretold = together.foretold
    if (sheet.id, pack.id) not in foretold:
        foretold[sheet.id, pack.id] = foretold_by(session, sheet, pack=pack)
    values: dict[str, Any] = _read((*DETAILS, Field("timer_s", "Timer", DURATION)), form, pack.series, taken)
    values |= {
        "landed_at": _landed_at(form.get("landed_at", "") or _as_it_stands(form.get("landed_local", ""))),
        "pattern": sheets.as_sheet(sheet).flying.name,
    }
    if form.get("part") == "yes":
        values["said_part"] = True  # flown as it was: what it used is not told by where it ended
    if taken.errors:
        return taken
    # Only flights are looked up from here on, and each is written at once: what else is new waits for its flight.
    with session.no_autoflush:
        flight = _checked(
            values, None, pack.id, session, taken, sure=form.get("sure", ""), foretold=foretold[sheet.id, pack.id]
        )
        if flight is not None:
            row = log_flight(session, flight, sheet=sheet, pack=pack, entry=entry)
            taken.flight_id = row.id
            _as_run(session, form.get("run", ""), row)
    return taken


def _rests(session: Session, form: Mapping[str, str], together: _Together) -> Taken:
    """A pack that was measured on the ground: charged where nobody logged it, or looked at before it flies."""
    taken = Taken()
    pack = PACKS.fetch(session, whole_number(form.get("pack", "")))
    together.rows.append(pack)
    values = _read(RESTS, form, pack.series, taken)
    _of_pack(values, PACKS.thing(pack), taken)
    try:
        at = datetime.fromisoformat(str(_landed_at(form.get("measured_at", ""))))
        at = at if at.tzinfo else at.replace(tzinfo=UTC)
    except ValueError:
        taken.errors["measured_at"] = fact("typed.field.no_moment")
    else:
        if (doubt := measured_doubt(at)) is not None:
            taken.errors["measured_at"] = doubt.why
    if not taken.errors:
        store.note_rest(session, pack, values["rest_v_per_cell"], at=at)
    return taken


def _as_run(session: Session, named: str, flight: FlightRow) -> None:
    """A flight that was flown as the run of a test is that; whatever became of the test, it is a flight."""
    trial_id, _, slot = named.partition(":")
    row = trials.open_one(session, whole_number(trial_id))
    if row is not None and row.craft_id == flight.craft_id:
        take_flight(session, row, flight, slot=whole_number(slot), source="field")


def read_change(
    session: Session, row: FlightRow, form: Mapping[str, str], fields: tuple[Field, ...]
) -> tuple[Taken, LoggedFlight | None]:
    """A logged flight with what a form says of it; or what is wrong, by field."""
    taken = Taken(flight_id=row.id)
    values = store.flight_of(row).model_dump() | _read(fields, form, row.pack.series, taken)
    if form.get("how"):
        values["how"] = form["how"]
    if "landed_by" in form:
        values["landed_by"] = form["landed_by"] or None
    if form.get("landed_at"):
        values["landed_at"] = _landed_at(form["landed_at"])
    if form.get("charged_at"):
        values["charged_at"] = form["charged_at"]
    if taken.errors:
        return taken, None
    return taken, _checked(values, row, row.pack_id, session, taken, sure=form.get("sure", ""))


def _change(session: Session, form: Mapping[str, str], fields: tuple[Field, ...]) -> Taken:
    row = store.of_entry(session, form.get("flight", ""))
    if row is None:
        return Taken(errors={"": fact("typed.field.gone")})
    if fields is CHARGED and not form.get("charged_at"):
        # A form without a script does not know the time: it is charged now.
        form = {**form, "charged_at": datetime.now(UTC).isoformat()}
    taken, flight = read_change(session, row, form, fields)
    if flight is None:
        return taken
    (charge_pack if fields is CHARGED else change_flight)(session, row, flight)
    return taken


def was_taken(session: Session, form: Mapping[str, str]) -> bool:
    """Whether an entry is in the log."""
    return bool(store.taken(session, [form.get("entry", "")]))


def _together(session: Session, forms: Sequence[Mapping[str, str]], foretold: ForetoldBy) -> _Together:
    return _Together(foretold, store.taken(session, [form.get("entry", "") for form in forms]))


def take_entry(session: Session, form: Mapping[str, str], together: _Together | None = None) -> Taken:
    """Take one entry; one that was taken before is answered as it was then, and changes nothing.

    Parameters
    ----------
    together : _Together, optional
        What is known of those that came with it.

    Raises
    ------
    MissingRecordError
        When its pack or sheet is gone.
    """
    entry = form.get("entry", "")
    if not entry or len(entry) > _NAME_LENGTH or not entry.isprintable():
        return Taken(errors={"": fact("typed.field.no_name")})
    together = together or _together(session, [form], {})
    before = together.answers.get(entry)
    if before is not None:
        return Taken(flight_id=int(str(before["flight"])))
    kind = form.get("kind", "")
    if kind == "landed":
        taken = _landed(session, form, entry, together)
    elif kind == "rests":
        taken = _rests(session, form, together)
    elif kind in ("details", "charged"):
        taken = _change(session, form, DETAILS if kind == "details" else CHARGED)
    else:
        return Taken(errors={"": fact("typed.field.kind")})
    if not taken.errors:
        together.answers[entry] = {"flight": taken.flight_id}
        store.take(session, entry, together.answers[entry])
    return taken


#: An entry is looked at so often while others change the same pack.
_TURNS = 8


def take_one(session: Session, form: Mapping[str, str]) -> Taken:
    """Take an entry; acknowledged only once it is on disk.

    Another phone may land the same pack, or send the same entry, at this very moment: it is looked at again then.
    """
    for turn in range(_TURNS):
        try:
            taken = take_entry(session, form)
            if taken.errors:
                session.rollback()
                if turn < _TURNS - 1 and was_taken(session, form):  # the same, sent twice: its twin was just now
                    continue
            else:
                session.commit()
            return taken
        except MissingRecordError as error:
            session.rollback()
            return Taken(errors={"": error.why})
        except (StaleDataError, EditConflictError, IntegrityError):
            session.rollback()
            session.expire_all()
            if turn == _TURNS - 1:
                raise
    raise AssertionError("the last turn returns or raises")


def take_several(session: Session, forms: Sequence[Mapping[str, str]], foretold: ForetoldBy) -> list[Taken]:
    """Take entries that come together, in order; acknowledged only once all that were taken are on disk.

    One transaction for all, as long as nobody comes between; else one by one.
    """
    found = []
    try:
        together = _together(session, forms, foretold)
        for form in forms:
            try:
                taken = take_entry(session, form, together)
            except MissingRecordError as error:
                taken = Taken(errors={"": error.why})
            # One that left something half done is not taken together with the others.
            if taken.errors and (session.new or session.dirty or session.deleted):
                raise EditConflictError("entry", "one of several")
            found.append(taken)
        session.commit()
    except (StaleDataError, EditConflictError, IntegrityError):
        session.rollback()
        session.expire_all()
        return [take_one(session, form) for form in forms]
    return found
