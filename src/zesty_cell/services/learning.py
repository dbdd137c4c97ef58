"""What the log taught about a sheet: its flights, what was learned of them, the sheet as they correct it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import lru_cache

from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import PATTERNS, FlyingPattern
from zesty_cell.core.asked.learned_factors import LearnedFactors
from zesty_cell.core.asked.sheet import CurrentSensor, Sheet, corrected
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.learn.calibration import Calibration, SensorNow, current_now
from zesty_cell.core.learn.correction import learn
from zesty_cell.core.learn.disagreement import Disagreement, disagreement
from zesty_cell.core.learn.flights import LoggedFlight, Used, used_of
from zesty_cell.core.learn.learned import Learned
from zesty_cell.core.learn.measured_points import unexplained_share
from zesty_cell.core.learn.observation import Observation, PackTold, observation
from zesty_cell.services.log_fits import told_by_logs
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store import calibrations, flights, flown, sheets
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.memory import remembered
from zesty_cell.store.tables import CraftRow, FlightRow, PackRow, SheetRow


@dataclass(frozen=True)
class KnownFlight:
    """A flight whose charge is known, on which pack and which pattern."""

    flight: LoggedFlight
    used: Used
    used_ah: float
    flight_id: int
    pack_id: int
    pack_name: str
    pattern: str

    @property
    def pack_key(self) -> str:
        """The pack as the core tells it from others."""
        return str(self.pack_id)


def told(session: Session, of: flown.Flown, *, pattern: str) -> tuple[KnownFlight, ...]:
    """Flights of a craft with packs of a type on a pattern whose charge is known, the oldest first.

    What its sensor showed before a calibration is corrected by it.
    """
    rows = flown.alike(session, of, pattern=pattern)
    return _told(rows, made=calibrations.of_craft(session, of.craft_id))


@dataclass(frozen=True)
class Elsewhere:
    """A flight on another pattern: it tells of the craft and its packs, and not of how lively this one is flown."""

    told: KnownFlight
    pattern: FlyingPattern


def told_elsewhere(session: Session, of: flown.Flown, *, pattern: str) -> tuple[Elsewhere, ...]:
    """Flights of a craft with packs of a type on other patterns that are still known, the oldest first."""
    rows = flown.alike_elsewhere(session, of, pattern=pattern)
    if not rows:
        return ()
    patterns = {p.name: p for p in PATTERNS.values()}
    patterns |= {
        flying.name: flying
        for row in sheets.all_sheets(session)
        if row.craft_id == of.craft_id
        for flying in (sheets.as_sheet(row).flying,)
    }
    known = [row for row in rows if row.pattern in patterns]
    made = calibrations.of_craft(session, of.craft_id)
    return tuple(Elsewhere(t, patterns[t.pattern]) for t in _told(known, made=made))


def _told(rows: Sequence[FlightRow], *, made: Sequence[Calibration]) -> tuple[KnownFlight, ...]:
    found = []
    for row in rows:
        flight = flights.flight_of(row)
        pack = flights.pack_of(row)
        used = used_of(flight, pack=pack, calibrations=made)
        if used is not None:
            used_ah = used.share * pack.capacity_ah
            found.append(KnownFlight(flight, used, used_ah, row.id, row.pack_id, row.pack.name, row.pattern))
    return tuple(found)


def sensor_flights(session: Session, craft_id: int) -> list[LoggedFlight]:
    """The newest flights of a craft with both the sensor's and the charger's word, the oldest first."""
    found = [flights.flight_of(row) for row in flights.newest_of_craft(session, craft_id, 20)]
    told = [f for f in found if f.shown_ah and f.put_back_ah and f.set_aside is None]
    return told[::-1]


def current_sensor(session: Session, craft_id: int) -> SensorNow:
    """How far out a craft's current sensor is now."""
    return remembered(session, ("current sensor", craft_id), lambda: _current_sensor(session, craft_id))


def _current_sensor(session: Session, craft_id: int) -> SensorNow:
    told: list[tuple[datetime, float, float]] = [
        (f.landed_at, f.shown_ah or 0.0, f.put_back_ah or 0.0) for f in sensor_flights(session, craft_id)
    ]
    return current_now(calibrations=calibrations.of_craft(session, craft_id), flights=told)


def sensor_of(session: Session, craft_id: int) -> CurrentSensor | None:
    """What is known of a craft's current sensor; None where nothing tells.

    While nobody said whether its measured points were read before a calibration that explains them, they are as far
    out as it says.
    """
    return remembered(session, ("sensor", craft_id), lambda: _sensor_of(session, craft_id))


def _sensor_of(session: Session, craft_id: int) -> CurrentSensor | None:
    now = current_sensor(session, craft_id)
    if now.by == "nothing":
        return None
    craft = CRAFTS.thing(session.get_one(CraftRow, craft_id))
    open_share = unexplained_share(craft, calibrations.of_craft(session, craft_id))
    error = math.hypot(now.error, open_share)
    return CurrentSensor(out=round(min(max(now.out, -0.95), 20.0), 4), error=round(min(error, 10.0), 4))


@dataclass(frozen=True)
class Lessons:
    """All that can be learned from about a craft with a type of pack on a pattern.

    Attributes
    ----------
    known : tuple of KnownFlight
        Flights on that pattern, the oldest first.
    elsewhere : tuple of Elsewhere
        Flights on other patterns.
    logs : tuple of PackTold
        What fits of telemetry logs told of the packs.
    """

    known: tuple[KnownFlight, ...]
    elsewhere: tuple[Elsewhere, ...]
    logs: tuple[PackTold, ...]

    def __bool__(self) -> bool:
        return bool(self.known or self.elsewhere or self.logs)


def lessons(session: Session, sheet: Sheet, *, craft_id: int, pack: PackRow) -> Lessons:
    """What a sheet's craft, with the propellers that are on it, with packs of a type can be learned from."""
    of = flown.Flown(craft_id, pack.type_name, sheet.craft.propellers)
    pattern = sheet.flying.name
    return remembered(
        session,
        ("lessons", of, pattern, sheet.pack),
        lambda: Lessons(
            known=told(session, of, pattern=pattern),
            elsewhere=told_elsewhere(session, of, pattern=pattern),
            logs=told_by_logs(session, craft_id=craft_id, type_name=pack.type_name, of=sheet.pack),
        ),
    )


@lru_cache(maxsize=64)
def _learned(sheet: Sheet, seen: tuple[Observation, ...], logs: tuple[PackTold, ...] = ()) -> Learned | None:
    try:
        return learn(sheet, seen, told=logs)
    except OutOfRangeError:  # a sheet that contradicts itself is refused where it is flown
        return None


_observation = lru_cache(maxsize=2048)(observation)


def observed(
    known: Sequence[KnownFlight], /, *, sheet: Sheet, flights: int | None = None
) -> tuple[Observation, ...]:
    """The flights as the core learns from them, of so many that are learned from together [1]."""
    count = len(known) if flights is None else flights
    return tuple(_observation(t.flight, t.used, key=t.pack_key, pack=sheet.pack, flights=count) for t in known)


def learned_from(of: Lessons, /, *, sheet: Sheet) -> Learned | None:
    """What flights and their logs taught about a sheet's craft and packs; None without any.

    Those on other patterns tell of craft and packs alike; residuals are of the sheet's own pattern.

    Learned on the sheet as it would be flown plainly, from a full pack: changes being tried and landing rules are
    not of the flights.  The same question is answered once.
    """
    if not of:
        return None
    count = len(of.known) + len(of.elsewhere)
    seen = observed(of.known, sheet=sheet, flights=count) + tuple(
        _observation(
            e.told.flight,
            e.told.used,
            key=e.told.pack_key,
            pack=sheet.pack,
            flights=count,
            pattern=e.pattern,
        )
        for e in of.elsewhere
    )
    learned = _learned(_plain(sheet), seen, of.logs)
    if learned is None or not of.elsewhere:
        return learned
    own = slice(0, len(of.known))
    return replace(
        learned, residuals=learned.residuals[own], plain=learned.plain[own], odd=learned.odd[own],
        elsewhere=len(of.elsewhere),
    )  # fmt: skip


def _plain(sheet: Sheet) -> Sheet:
    return Sheet(
        name="learned",
        craft=sheet.craft,
        pack=sheet.pack,
        flying=sheet.flying,
        conditions=sheet.conditions.model_copy(update={"start_charge": 1.0}),
    )


@lru_cache(maxsize=64)
def _disagreement(
    sheet: Sheet, seen: tuple[Observation, ...], names: tuple[tuple[str, str], ...]
) -> Disagreement | None:
    learned = _learned(_plain(sheet), seen)
    return None if learned is None else disagreement(learned, seen, sheet=sheet, names=dict(names))


def disagreement_of(known: Sequence[KnownFlight], /, *, sheet: Sheet) -> Disagreement | None:
    """Where flights disagree strongly with a sheet, and why that may be; the same question is answered once."""
    if not known:
        return None
    names = sorted({(t.pack_key, t.pack_name) for t in known})
    return _disagreement(_plain(sheet), observed(known, sheet=sheet), tuple(names))


def taught_of(session: Session, sheet: Sheet, *, craft_id: int, pack: PackRow) -> LearnedFactors | None:
    """What the log taught about a stored sheet flown with a pack; None without flights.

    Where its type of pack was not flown so, what the craft's flights with another taught: the craft is known then,
    and its pack is not.
    """
    return remembered(
        session,
        ("taught", sheet, craft_id, pack.id),
        lambda: _taught_of(session, sheet, craft_id=craft_id, pack=pack),
    )


def _taught_of(session: Session, sheet: Sheet, *, craft_id: int, pack: PackRow) -> LearnedFactors | None:
    known = lessons(session, sheet, craft_id=craft_id, pack=pack)
    if not known:
        other = _flown_with(session, craft_id=craft_id, sheet=sheet)
        if other is None:
            return None
        pack = other
        sheet = sheet.model_copy(update={"pack": PACKS.thing(other)})
        known = lessons(session, sheet, craft_id=craft_id, pack=pack)
    learned = learned_from(known, sheet=sheet)
    return None if learned is None else learned.learned_factors(str(pack.id))


def _flown_with(session: Session, *, craft_id: int, sheet: Sheet) -> PackRow | None:
    """The pack by which a craft's flights on a pattern are known: that of its sheet for the type flown last."""
    pattern, on = sheet.flying.name, sheet.craft.propellers
    newest = flown.newest_on(session, craft_id=craft_id, propellers=on, pattern=pattern)
    if newest is None:
        newest = flown.newest_on(session, craft_id=craft_id, propellers=on, pattern=None)
    if newest is None:
        return None
    row = sheet_for(session, craft_id=craft_id, pack=newest.pack, pattern=pattern)
    return row.pack if row is not None and row.pack.type_name == newest.pack.type_name else newest.pack


def with_its_pack(row: SheetRow, *, pack: PackRow | None = None) -> Sheet:
    """A stored sheet with the very pack that is flown, as it is now: its own, or another."""
    return sheets.as_sheet(row).model_copy(update={"pack": PACKS.thing(row.pack if pack is None else pack)})


def corrected_sheet(session: Session, row: SheetRow, *, pack: PackRow | None = None) -> Sheet:
    """A stored sheet as its flights correct it, unless it is to go by itself; with another pack where one is given.

    Capacity and resistance are those of the very pack that is flown.
    """
    pack = row.pack if pack is None else pack
    sheet = with_its_pack(row, pack=pack)
    sensor = sensor_of(session, row.craft_id)
    if not row.from_log:
        return corrected(sheet, None, sensor=sensor)
    return corrected(sheet, taught_of(session, sheet, craft_id=row.craft_id, pack=pack), sensor=sensor)
