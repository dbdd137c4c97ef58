"""The club's log: a season flown by the stand-ins from a seed, each timer as the log before it advised.

It has a cold month, a pack that tires, a sensor that was out until it was calibrated, and packs that wait.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta

import numpy as np
from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.learn.calibration import (
    CellCheck,
    CraftPoints,
    CurrentCalibration,
    LineLossTest,
    VoltageCalibration,
)
from zesty_cell.core.learn.flights import How, LandedBy, LoggedFlight
from zesty_cell.demo.advised import ADVISED
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.telemetry_columns import guess_mapping
from zesty_cell.services.advice import advise
from zesty_cell.services.log_fits import keep_fits
from zesty_cell.standins.charger import CellChecker, SimulatedCharger
from zesty_cell.standins.course import Course
from zesty_cell.standins.craft import Hidden, Sensors, SimulatedCraft, SimulatedFlight
from zesty_cell.store import calibrations, flights, logs, sheets
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import FlightRow, SheetRow

_MOODS: dict[How, float] = {"gentle": 0.93, "as planned": 1.0, "hard": 1.08}
#: Mean air of a month by the sea, May to November [°C].
_MONTH_C = {5: 14.0, 6: 17.0, 7: 21.0, 8: 21.0, 9: 16.0, 10: 11.0, 11: 3.0}


@dataclass(frozen=True)
class _Story:
    """How a sheet was flown.

    ``current`` is what its sensor shows over the truth, until ``calibrated``; ``tired`` is the pack that loses 3 %
    of its capacity a flight; ``waiting`` flights are not charged yet; ``indoors`` the air is the sheet's.
    """

    sheet: str
    packs: tuple[str, ...]
    flights: int
    began: datetime
    every_days: float
    hidden: Hidden
    current: float = 1.0
    calibrated: datetime | None = None
    tired: str = ""
    waiting: int = 0
    indoors: bool = False
    telemetry: str = ""
    course: Course | None = None


def _day(month: int, day: int, hour: int = 9, minute: int = 40) -> datetime:
    return datetime(2026, month, day, hour, minute, tzinfo=UTC)


_STORIES = (
    _Story(
        "Heron on Pomelo, lighthouse run", ("Pomelo 1", "Pomelo 2"), 15, _day(5, 10), 13.4,
        Hidden(1.05, 0.97, 1.08), current=0.86, calibrated=_day(9, 6, 17, 5),
    ),
    _Story(
        "Swift on Satsuma, harbour wall", ("Satsuma 1", "Satsuma 2", "Satsuma 3"), 21, _day(5, 17, 15, 10), 8.6,
        Hidden(0.96, 0.98, 1.1), tired="Satsuma 3", telemetry="swift-harbour.csv",
        course=Course(latitude_deg=54.3, longitude_deg=7.1, reach_m=90.0, fast_m_s=32.0),
    ),
    _Story(
        "Wren on Kumquat, clubhouse", ("Kumquat 1", "Kumquat 2", "Kumquat 3"), 11, _day(6, 4, 18, 30), 16.8,
        Hidden(1.02, 0.95, 1.2), waiting=2, indoors=True,
    ),
    _Story(
        "Plover on Bergamot, along the dyke", ("Bergamot",), 7, _day(6, 21, 13, 20), 22.0, Hidden(0.93, 1.0, 1.05),
        current=1.04,
    ),
)  # fmt: skip
_NOTES: dict[int, tuple[str, How]] = {2: ("gusty by the wall", "hard"), 5: ("calm evening", "gentle")}
_FADE, _GROWTH = 0.032, 0.085
_TIRED_CELLS = (3.81, 3.80, 3.76, 3.81, 3.80, 3.81)


def load_log(session: Session, *, anew: bool = False) -> int:
    """Fly the club's stories into its log; 0 where there is one.

    Parameters
    ----------
    anew : bool
        Ask for each timer as a pilot does, which takes a quarter of a minute, instead of taking those that were
        advised then (:data:`ADVISED`; a test holds them to it).

    Returns
    -------
    int
        Flights logged.
    """
    if flights.newest(session, 1):
        return 0
    by_name = {row.name: row for row in sheets.all_sheets(session)}
    for number, story in enumerate(_STORIES):
        _Season(session, story, by_name[story.sheet], number).fly(anew=anew)
    _kept_calibrations(session, by_name[_STORIES[0].sheet], by_name[_STORIES[1].sheet])
    return sum(story.flights for story in _STORIES)


class _Season:
    """One story as it is flown."""

    def __init__(self, session: Session, story: _Story, row: SheetRow, number: int) -> None:
        self.session, self.story, self.row, self.number = session, story, row, number
        self.sheet: Sheet = sheets.as_sheet(row)
        self.craft = SimulatedCraft(
            self.sheet, seed=100 + number, hidden=story.hidden, sensors=Sensors(current=story.current, drift=0.009)
        )
        self.charger, self.checker = SimulatedCharger(seed=200 + number), CellChecker(seed=300 + number)
        self.rng = np.random.Generator(np.random.PCG64(400 + number))
        self.packs = {row.name: row for row in PACKS.all(session)}
        self.shown: list[tuple[float, float]] = []

    def fly(self, *, anew: bool) -> None:
        """Every flight, each timer as advised by those before."""
        for k in range(self.story.flights):
            timer_s, down_s = self._advised(k) if anew else ADVISED[self.story.sheet][k]
            row, flown = self._one(k, timer_s, down_s)
        if self.story.telemetry:
            self._telemetry(row, flown)
        self.session.flush()

    def _advised(self, k: int) -> tuple[float, float]:
        name = self.story.packs[k % len(self.story.packs)]
        timer = advise(self.session, self.row, pack=self.packs[name]).timer
        return timer.timer_s, timer.down_s

    def _one(self, k: int, timer_s: float, down_s: float) -> tuple[FlightRow, SimulatedFlight]:
        story = self.story
        name = story.packs[k % len(story.packs)]
        note, how = _NOTES.get(k, ("", "as planned"))
        landed_at = self._landed_at(k)
        air_c = round(_MONTH_C[landed_at.month] + 2.0 * float(self.rng.normal()))
        if story.indoors:
            air_c = round(self.sheet.conditions.air_c)
        if story.calibrated and landed_at > story.calibrated:
            self.craft.sensors = replace(self.craft.sensors, current=1.0)
        age = k // len(story.packs) if name == story.tired else 0
        resistance = 1.0 + _GROWTH * age
        flown = self.craft.fly(
            down_s, mood=_MOODS[how], air_c=air_c, capacity=1.0 - _FADE * age, resistance=resistance
        )
        charge = self.charger.charge(
            self.sheet.pack, used_ah=flown.used_ah, resistance=story.hidden.resistance * resistance
        )
        waits = k >= story.flights - story.waiting
        pack = self.packs[name]
        before = pack.flights, pack.rest_v_per_cell
        hottest_c = flown.flight.temperature_at(flown.duration_s)
        rested_min = (3, 8, 15, 5)[k % 4]
        logged = LoggedFlight(
            landed_at=landed_at,
            duration_s=round(flown.duration_s),
            pattern=self.sheet.flying.name,
            timer_s=timer_s,
            rest_v_per_cell=self.checker.read(rest_v=self.craft.rest_v(flown, after_s=60.0 * rested_min), series=1)[
                0
            ],
            rest_after_s=60.0 * rested_min,
            shown_ah=round(flown.shown_ah, 3),
            put_back_ah=None if waits else charge.put_back_ah,
            charged_v_per_cell=None if waits else charge.charged_v_per_cell,
            charged_at=None if waits else self._charged_at(k),
            cells_v=() if waits else charge.cells_v,
            resistance_ohm=None if waits else charge.resistance_ohm,
            charger_c=None if waits else 21.0,
            air_c=air_c,
            hottest_c=round(hottest_c),
            how=how,
            landed_by=_landed_by(flown.duration_s, timer_s),
            distance_m=self._distance_m(k, flown.duration_s),
            note=note,
        )
        row = flights.add(
            self.session, logged, craft_id=self.row.craft_id, pack=pack, entry=f"club-{self.number}-{k}"
        )
        # The hangar's own words of each pack stand; only one that waits is as it landed.
        pack.flights = before[0]
        if not waits:
            pack.rest_v_per_cell = before[1]
        return row, flown

    def _distance_m(self, k: int, flown_s: float) -> float | None:
        """Those that fly out keep how far they went."""
        speed_m_s = self.sheet.craft.cruise_speed_m_s
        if self.sheet.flying.name not in _FLY_OUT or speed_m_s is None:
            return None
        return round((0.82 + 0.03 * (k % 4)) * speed_m_s * flown_s, -2)

    def _landed_at(self, k: int) -> datetime:
        return self.story.began + timedelta(days=round(self.story.every_days * k), minutes=(47 * k) % 200)

    def _charged_at(self, k: int) -> datetime:
        """The evening before the pack flies again; the last time at once."""
        again = k + len(self.story.packs)
        if again >= self.story.flights:
            return self._landed_at(k) + timedelta(hours=5)
        return self._landed_at(again) - timedelta(hours=16, minutes=(31 * k) % 240)

    def _telemetry(self, row: FlightRow, flown: SimulatedFlight) -> None:
        data = self.craft.log_csv(flown, course=self.story.course)
        table = read_table(data)
        kept = logs.add(self.session, data, table, name=self.story.telemetry, craft_id=self.row.craft_id)
        logs.confirm(self.session, kept, guess_mapping(table, series=self.sheet.pack.series))
        kept.flight_id = row.id
        self.session.flush()
        keep_fits(self.session, row)


#: Patterns that are flown out and home.
_FLY_OUT = ("Shoreline cruise", "Long range")


def _landed_by(flown_s: float, timer_s: float) -> LandedBy | None:
    """The timer, where it was up; else nobody said."""
    return "the timer" if flown_s >= timer_s else None


#: Heron's full throttle was read after that.
_READ_SINCE = CraftPoints(answer="left")


def _kept_calibrations(session: Session, heron: SheetRow, swift: SheetRow) -> None:
    """What the pilots measured: Heron's sensors, its way to the lamp, and the cells of the pack that tires."""
    when = _STORIES[0].calibrated
    assert when is not None  # noqa: S101 - it is written above
    before = [
        flights.flight_of(r)
        for r in flights.newest(session, 200)
        if r.craft_id == heron.craft_id and r.landed_at < when.replace(tzinfo=None)
    ][:3]
    pairs = tuple((f.shown_ah or 0.0, f.put_back_ah or 0.0) for f in before)
    sheet = sheets.as_sheet(heron)
    current = CurrentCalibration(
        made_at=when, old=400.0, step=1.0, reading_rises=True, flights=pairs, capacity_ah=sheet.pack.capacity_ah,
        entered=400.0,
    )  # fmt: skip
    calibrations.add(
        session,
        current.model_copy(update={"entered": current.scale().entered, "craft_points": _READ_SINCE}),
        craft_id=heron.craft_id,
        pack_id=None,
    )
    voltage = VoltageCalibration(
        made_at=when - timedelta(minutes=25), old=110.0, step=0.1, points=((24.62, 24.81), (21.27, 21.44)),
        entered=110.9, craft_points=_READ_SINCE,
    )  # fmt: skip
    calibrations.add(session, voltage, craft_id=heron.craft_id, pack_id=None)
    lamp = LineLossTest(
        made_at=_day(7, 4, 16, 20), alarm_v=24.2, rest_v=24.9, series=6, wanted_rest_v=3.4, current_a=8.6,
        landing_stage="off",
    )  # fmt: skip
    calibrations.add(session, lamp, craft_id=heron.craft_id, pack_id=heron.pack_id)
    tired = next(row for row in PACKS.all(session) if row.name == _STORIES[1].tired)
    check = CellCheck(made_at=_day(11, 8, 19, 30), cells_v=_TIRED_CELLS, note="came back from the youth group")
    calibrations.add(session, check, craft_id=None, pack_id=tired.id)


def load_telemetry(session: Session) -> None:
    """A telemetry log of the first story's sheet, flown to its landing point; the link was lost for a while."""
    story = _STORIES[0]
    row = next(r for r in sheets.all_sheets(session) if r.name == story.sheet)
    if logs.of_craft(session, row.craft_id):
        return
    sheet = sheets.as_sheet(row)
    data = telemetry_csv(sheet, hidden=story.hidden)
    table = read_table(data)
    kept = logs.add(session, data, table, name="heron-lighthouse.csv", craft_id=row.craft_id)
    logs.confirm(session, kept, guess_mapping(table, series=sheet.pack.series))


def telemetry_csv(sheet: Sheet, *, hidden: Hidden | None = None) -> bytes:
    """A flight of a sheet to its landing point as a logger writes it."""
    craft = SimulatedCraft(sheet, seed=503, hidden=hidden)
    return craft.log_csv(craft.fly(forecast(sheet).flight.landing_s), lost_s=(412.0, 417.5))
