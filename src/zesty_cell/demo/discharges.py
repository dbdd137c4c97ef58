"""The club's drawer of discharge runs, recorded by the stand-in discharger."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC, datetime

from sqlalchemy.orm import Session

from zesty_cell.core.discharge.note import PartOfPack, RunNote, series_of
from zesty_cell.core.parts.pack import Pack
from zesty_cell.services.discharges import confirm, proposed, take_in
from zesty_cell.standins.discharger import Discharger, HiddenPack, Setting
from zesty_cell.store import discharges
from zesty_cell.store.hangar import PACKS


@dataclass(frozen=True)
class _Recorded:
    """One run: of which pack, at which rate [C] or in jumps, in which air, down to which cell voltage."""

    pack: str
    rate_c: float
    day: datetime
    air_c: float
    floor_v: float
    seed: int
    jumps: bool = False
    cycle: int | None = None
    part: PartOfPack = "whole"
    #: Of this pack's capacity then [1]: a new one gains some in its first cycles.
    capacity: float | None = None
    hidden: dict[str, float] = field(default_factory=dict)


def _at(month: int, day: int, hour: int = 19) -> datetime:
    return datetime(2026, month, day, hour, 0, tzinfo=UTC)


_TIRED = {"capacity": 0.93, "resistance": 1.5}
_RUNS = (
    _Recorded("Tangelo 1", 0.5, _at(10, 12), 21, 3.3, 31),
    _Recorded("Tangelo 1", 1.0, _at(10, 13), 20, 3.3, 31),
    _Recorded("Tangelo 1", 5.0, _at(10, 14), 20, 3.3, 31),
    _Recorded("Tangelo 1", 8.0, _at(10, 15), 21, 3.3, 31, jumps=True),
    _Recorded("Tangelo 2", 1.0, _at(10, 16), 20, 3.3, 32, hidden=_TIRED),
    _Recorded("Tangelo 2", 5.0, _at(10, 17), 20, 3.3, 32, hidden=_TIRED),
    _Recorded("Pomelo 1", 0.2, _at(10, 24, 9), 19, 2.5, 33),
    _Recorded("Pomelo 1", 1.0, _at(10, 25, 9), 19, 2.5, 33),
    _Recorded("Pomelo 1", 3.0, _at(10, 25, 15), 20, 2.8, 33),
    _Recorded("Yuzu 2", 1.0, _at(5, 2), 20, 3.3, 34, cycle=1, capacity=0.94),
    _Recorded("Yuzu 2", 1.0, _at(5, 3), 20, 3.3, 34, cycle=2, capacity=0.975),
    _Recorded("Yuzu 2", 1.0, _at(5, 4), 21, 3.3, 34, cycle=4, capacity=0.985),
    _Recorded("Satsuma 3", 1.0, _at(11, 7), 18, 3.3, 35, part="first half", hidden={"capacity": 0.97}),
    _Recorded("Satsuma 3", 1.0, _at(11, 8), 18, 3.3, 36, part="second half", hidden={"capacity": 0.86}),
)


def load_discharges(session: Session) -> int:
    """Put the club's discharge runs into an empty drawer; how many."""
    if discharges.all_runs(session):
        return 0
    by_name = {row.name: row for row in PACKS.all(session)}
    told = [run for run in _RUNS if run.pack in by_name]
    instrument = Discharger(seed=12)
    for run in told:
        row = by_name[run.pack]
        pack = PACKS.thing(row)
        note = RunNote(taken_at=run.day, air_c=run.air_c, cycle=run.cycle, part=run.part)
        data = _recorded(run, pack, instrument)
        name = f"{run.pack.lower().replace(' ', '-')}-{run.day:%m%d}.csv"
        kept = take_in(session, data, name=name, pack_id=row.id, note=note)
        confirm(session, proposed(session, kept), note)
    return len(told)


def _recorded(run: _Recorded, pack: Pack, instrument: Discharger) -> bytes:
    series = series_of(run.part, series=pack.series)
    of = pack if run.part == "whole" else pack.model_copy(update={"series": series, "mass_kg": None})
    hidden = HiddenPack(
        of,
        seed=run.seed,
        capacity=run.hidden.get("capacity", run.capacity),
        resistance=run.hidden.get("resistance"),
    )
    amps = run.rate_c * pack.capacity_ah
    watts = amps * series * hidden.chemistry.nominal_v
    # The slower, the further apart: a recording of some thousand lines.
    every_s = max(1.0, round(3.0 / run.rate_c)) if not run.jumps else 1.0
    setting = Setting(
        mode="pattern" if run.jumps else "current", amps=amps,
        pattern=((14.0, 0.55 * watts), (30.0, 0.3 * watts), (6.0, watts)),
        cutoff_v=run.floor_v * series, every_s=every_s,
    )  # fmt: skip
    return instrument.csv(hidden, setting, air_c=run.air_c)
