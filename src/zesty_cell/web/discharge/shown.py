"""What the drawer of discharge runs shows: its lines, the chosen curves, what each gives to a cutoff."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby

from sqlalchemy.orm import Session

from zesty_cell.core.discharge.compared import NotedRun
from zesty_cell.core.discharge.note import RunNote, RunTold, series_of
from zesty_cell.core.discharge.run import AXES, AtCutoff, DischargeRun, Halves, Knee, at_cutoff, halves_of, knee_of
from zesty_cell.core.discharge.told import told_together
from zesty_cell.core.fact import Fact, Words
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.pack import Pack
from zesty_cell.services.discharges import MOST_CURVES, run_of
from zesty_cell.store import discharges
from zesty_cell.store.errors import UnreadableError
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import DischargeRow, PackRow
from zesty_cell.web.drawing.discharge_chart import DischargeChart, OneRun, discharge_chart
from zesty_cell.web.http import whole_number

_LOWEST_V, _HIGHEST_V = 0.5, 4.5


@dataclass(frozen=True)
class Line:
    """A run in the drawer."""

    row: DischargeRow
    note: RunNote
    told: RunTold
    rate_c: float
    series: int


@dataclass(frozen=True)
class Laid:
    """A chosen run: what it gives to the cutoff, beside its label."""

    line: Line
    pack: Pack
    run: DischargeRun
    to_cutoff: AtCutoff | None
    of_label: float | None
    knee: Knee | None
    halves: Halves | None


@dataclass(frozen=True)
class Drawer:
    """The page.

    Attributes
    ----------
    packs : list of (PackRow, lines)
        Every run by its pack.
    laid : list of Laid
        The chosen ones that can be read.
    trouble : list
        What could not be read, and why.
    cutoff_v : float
        A cell's [V].
    told : list of Fact
        What cycles and halves of one pack say of each other, and of their cells.
    too_many : bool
        More were chosen than are drawn.
    """

    packs: list[tuple[PackRow, list[Line]]]
    waiting: list[DischargeRow]
    laid: list[Laid]
    chosen: set[int]
    axis: str
    cutoff_v: float
    chart: DischargeChart | None
    trouble: list[Words]
    told: list[Fact]
    too_many: bool


def line_of(row: DischargeRow) -> Line | None:
    """A run's line; None while its columns wait to be confirmed."""
    told, note = discharges.told_of(row), discharges.note_of(row)
    if told is None:
        return None
    return Line(row, note, told, told.mean_a / row.pack.capacity_ah, series_of(note.part, series=row.pack.series))


def usual_cutoff_v(pack: Pack) -> float:
    """Where a cell under load ends for its chemistry [V]."""
    return chemistry_for(pack.chemistry).loaded_floor_v


def drawer(session: Session, *, ids: Sequence[str], query: Mapping[str, str]) -> Drawer:
    """Everything in it, the chosen runs laid over one another.

    Parameters
    ----------
    ids : sequence of str
        Numbers of the chosen runs, as an address has them.
    query : mapping
        ``against`` and ``cutoff`` as typed.
    """
    lines = [line for row in discharges.all_runs(session) if (line := line_of(row)) is not None]
    by_pack = [(of[0].row.pack, of) for of in (list(g) for _, g in groupby(lines, key=lambda k: k.row.pack_id))]
    by_pack.sort(key=lambda p: p[0].name)
    wanted = [n for n in dict.fromkeys(whole_number(text) for text in ids) if any(k.row.id == n for k in lines)]
    picked = [next(k for k in lines if k.row.id == n) for n in wanted[:MOST_CURVES]]
    axis = query.get("against", "") if query.get("against", "") in AXES else "charge"
    cutoff_v = _cutoff(query.get("cutoff", ""), picked)
    laid, trouble = [], []
    for line in picked:
        try:
            laid.append(_laid(line, cutoff_v))
        except UnreadableError as error:
            trouble.append(error.why)
    ones = [OneRun(k.run, k.line.series, k.pack.capacity_ah) for k in laid]
    noted = [(k.pack, NotedRun(k.run, k.line.note)) for k in laid]
    return Drawer(
        packs=by_pack,
        waiting=discharges.waiting(session),
        laid=laid,
        chosen={k.row.id for k in picked},
        axis=axis,
        cutoff_v=cutoff_v,
        chart=discharge_chart(ones, axis=axis, cutoff_v=cutoff_v),
        trouble=trouble,
        told=told_together(noted, cutoff_v=cutoff_v),
        too_many=len(wanted) > MOST_CURVES,
    )


def _cutoff(text: str, picked: Sequence[Line]) -> float:
    """The cutoff that was typed or dragged; where a cell under load ends without [V]."""
    try:
        typed = float(text.replace(",", "."))
    except ValueError:
        typed = 0.0
    if _LOWEST_V <= typed <= _HIGHEST_V:
        return round(typed, 3)
    return cutoff_for([(k.told.lowest_v / k.series, PACKS.thing(k.row.pack)) for k in picked])


def cutoff_for(ends: Sequence[tuple[float, Pack]]) -> float:
    """Where a cell under load ends without, or just above where the last of the runs was ended [V a cell].

    Parameters
    ----------
    ends : sequence of (float, Pack)
        A cell's lowest voltage in each run [V], and its pack.
    """
    if not ends:
        return 3.3
    lowest = max(v for v, _ in ends)
    return max(max(usual_cutoff_v(pack) for _, pack in ends), round(math.ceil(lowest / 0.05) * 0.05, 2))


def _laid(line: Line, cutoff_v: float) -> Laid:
    run, pack = run_of(line.row), PACKS.thing(line.row.pack)
    to_cutoff = at_cutoff(run, cutoff_v=cutoff_v * line.series)
    of_label = None if to_cutoff is None else to_cutoff.drawn_ah / pack.capacity_ah
    return Laid(line, pack, run, to_cutoff, of_label, knee_of(run), halves_of(run))
