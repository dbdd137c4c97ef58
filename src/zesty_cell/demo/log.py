"""The club's log: flown by the stand-ins from a seed, each timer as the log before it advised."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy.orm import Session

from zesty_cell.core.forecast import forecast
from zesty_cell.core.learn.flights import How, LoggedFlight
from zesty_cell.core.learn.timer import next_timer
from zesty_cell.core.sheet import Sheet
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.telemetry_csv import guess_mapping
from zesty_cell.standins.charger import CellChecker, SimulatedCharger
from zesty_cell.standins.craft import Hidden, Sensors, SimulatedCraft
from zesty_cell.store import flights, logs, sheets
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import SheetRow

_BEGAN = datetime(2026, 10, 3, 8, 40, tzinfo=UTC)

_MOODS: dict[How, float] = {"gentle": 0.93, "as planned": 1.0, "hard": 1.08}


@dataclass(frozen=True)
class _Story:
    """How a sheet was flown: which individuals, how often, what is true of them, how many wait for the charger."""

    sheet: str
    packs: tuple[str, ...]
    flights: int
    hidden: Hidden
    current: float
    waiting: int = 0


_STORIES = (
    _Story("Heron on Pomelo, lighthouse run", ("Pomelo 1", "Pomelo 2"), 9, Hidden(1.05, 0.97, 1.08), 0.93),
    _Story("Swift on Satsuma, harbour wall", ("Satsuma 1", "Satsuma 2"), 12, Hidden(0.96, 0.98, 1.1), 1.0),
    _Story(
        "Wren on Kumquat, clubhouse", ("Kumquat 1", "Kumquat 2", "Kumquat 3"), 8, Hidden(1.02, 0.95, 1.2), 1.0, 2
    ),
)
_NOTES: dict[int, tuple[str, How]] = {2: ("gusty by the wall", "hard"), 5: ("calm evening", "gentle")}


def load_log(session: Session) -> int:
    """Fly the club's stories into its log; 0 where there is one.

    Returns
    -------
    int
        Flights logged.
    """
    if flights.newest(session, 1):
        return 0
    by_name = {row.name: row for row in sheets.all_sheets(session)}
    packs = {row.name: row for row in PACKS.all(session)}
    count = 0
    for number, story in enumerate(_STORIES):
        row = by_name[story.sheet]
        sheet = sheets.as_sheet(row)
        craft = SimulatedCraft(
            sheet, seed=100 + number, hidden=story.hidden, sensors=Sensors(current=story.current)
        )
        _fly(session, story, row, sheet, craft, number, {n: packs[n].id for n in story.packs})
        count += story.flights
    return count


def _fly(
    session: Session,
    story: _Story,
    row: SheetRow,
    sheet: Sheet,
    craft: SimulatedCraft,
    number: int,
    ids: dict[str, int],
) -> None:
    charger, checker = SimulatedCharger(seed=200 + number), CellChecker(seed=300 + number)
    result = forecast(sheet)
    kept = sheet.landing.charge_kept
    known: list[tuple[float, float]] = []
    for k in range(story.flights):
        name = story.packs[k % len(story.packs)]
        advised = next_timer(
            flights=known,
            landing_used=0.8 if kept is None else 1.0 - kept,
            forecast_s=result.callouts.timers.timer_s,
            home_s=result.setup.home_s,
        )
        note, how = _NOTES.get(k, ("", "as planned"))
        flown = craft.fly(advised.down_s, mood=_MOODS[how])
        charge = charger.charge(sheet.pack, used_ah=flown.used_ah, resistance=story.hidden.resistance)
        waits = k >= story.flights - story.waiting
        pack = PACKS.fetch(session, ids[name])
        before = pack.flights, pack.rest_v_per_cell
        logged = LoggedFlight(
            landed_at=_BEGAN + timedelta(days=3 * k + number, minutes=47 * k),
            duration_s=round(flown.duration_s),
            pattern=sheet.flying.name,
            timer_s=advised.timer_s,
            rest_v_per_cell=checker.read(rest_v=flown.rest_v, series=1)[0],
            shown_ah=round(flown.shown_ah, 3),
            put_back_ah=None if waits else charge.put_back_ah,
            charged_v_per_cell=None if waits else charge.charged_v_per_cell,
            cells_v=() if waits else charge.cells_v,
            air_c=sheet.conditions.air_c,
            how=how,
            note=note,
        )
        flights.add(session, logged, craft_id=row.craft_id, pack=pack, entry=f"club-{number}-{k}")
        # The hangar's own words of each pack stand; only one that waits is as it landed.
        pack.flights = before[0]
        if not waits:
            pack.rest_v_per_cell = before[1]
            known.append((flown.duration_s, charge.put_back_ah / sheet.pack.capacity_ah))
    session.flush()


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
