"""What is kept of a discharge beside its recording: what the pilot says of it, and what it came to."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from zesty_cell.core.answer.plausibility import Doubt
from zesty_cell.core.discharge.run import DischargeRun
from zesty_cell.core.entity import Entity
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.pack import Pack

PartOfPack = Literal["whole", "first half", "second half"]
#: A cell under load lies between these shares of its chemistry's floor and full voltage, and no discharge begins
#: further under the nominal one [1].
_LEAST_OF_FLOOR, _MOST_OF_FULL, _BEGINS_AT = 0.6, 1.02, 0.9
#: Charge over the label, and rate over its C, beyond which a recording is asked back [1].
_MOST_OF_LABEL, _MOST_RATE_C = 1.35, 60.0
#: A recorder's count and its current over the time agree within this [1].
_AGREE = 0.05


class RunNote(Entity):
    """What the pilot says of a discharge; ``cycle`` counts from the pack's first, ``air_c`` is the bench's [°C]."""

    taken_at: datetime
    air_c: Annotated[float, Field(ge=-30, le=60)] | None = None
    cycle: Annotated[int, Field(ge=1, le=3000)] | None = None
    part: PartOfPack = "whole"


class RunTold(Entity):
    """What a discharge came to, so that a list need not read every recording [Ah, Wh, V, A, s]."""

    drawn_ah: float
    drawn_wh: float
    mean_v: float
    mean_a: float
    lowest_v: float
    rest_v: float | None
    seconds: float
    steady: Literal["current", "power", "pattern"]
    lines: int
    cells: int
    probed: bool


def told_by(run: DischargeRun, /) -> RunTold:
    """The figures of a list's line."""
    return RunTold(
        drawn_ah=round(run.total_ah, 5),
        drawn_wh=round(run.total_wh, 4),
        mean_v=round(run.mean_v, 4),
        mean_a=round(run.mean_a, 4),
        lowest_v=round(run.lowest_v, 4),
        rest_v=None if run.rest_v is None else round(run.rest_v, 4),
        seconds=round(run.seconds, 2),
        steady=run.steady,
        lines=int(run.time_s.size),
        cells=0 if run.cells_v is None else int(run.cells_v.shape[0]),
        probed=run.temperature_c is not None,
    )


def series_of(part: PartOfPack, /, *, series: int) -> int:
    """Cells in series of what was on the discharger [1]."""
    return series if part == "whole" else series // 2 if part == "second half" else (series + 1) // 2


def discharge_doubts(run: DischargeRun, /, *, pack: Pack, part: PartOfPack = "whole") -> tuple[Doubt, ...]:
    """What of a recording cannot be this pack's, or hardly can; ``field`` is a column's role.

    Parameters
    ----------
    part : PartOfPack
        What was on the discharger.
    """
    chemistry, series = chemistry_for(pack.chemistry), series_of(part, series=pack.series)
    found = []
    low, high = run.lowest_v / series, float(run.pack_v.max()) / series
    begins_low = high < _BEGINS_AT * chemistry.nominal_v
    if begins_low or low < _LEAST_OF_FLOOR * chemistry.hard_floor_v or high > _MOST_OF_FULL * chemistry.full_v:
        why = fact("doubt.discharge.volts", low_v=low, high_v=high, series=series, pack=pack.name)
        found.append(Doubt("discharge_volts", "pack_v", True, why))
    if run.total_ah > _MOST_OF_LABEL * pack.capacity_ah:
        why = fact("doubt.discharge.charge", drawn_ah=run.total_ah, capacity_ah=pack.capacity_ah)
        found.append(Doubt("discharge_charge", "used_ah", False, why))
    if run.mean_a > _MOST_RATE_C * pack.capacity_ah:
        why = fact("doubt.discharge.current", mean_a=run.mean_a, pack=pack.name)
        found.append(Doubt("discharge_current", "current_a", True, why))
    if run.pack_v[run.loaded][-1] >= run.pack_v[run.loaded][0]:
        found.append(Doubt("discharge_rises", "pack_v", True, fact("doubt.discharge.rises")))
    by_current = float(((run.current_a[1:] + run.current_a[:-1]) * 0.5 @ (run.time_s[1:] - run.time_s[:-1])) / 3600)
    if abs(by_current / run.total_ah - 1.0) > _AGREE:
        why = fact("doubt.discharge.disagree", counted_ah=run.total_ah, summed_ah=by_current)
        found.append(Doubt("discharge_disagree", "used_ah", False, why))
    if run.cells_v is not None and run.cells_v.shape[0] != series:
        why = fact("doubt.discharge.cells", found=int(run.cells_v.shape[0]), series=series)
        found.append(Doubt("discharge_cells", "cell_1", False, why))
    return tuple(found)
