"""Discharge runs between pages and store: taken in, read once, taken apart, and their curve given to a pack."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell.core.answer.plausibility import Doubt
from zesty_cell.core.discharge.apart import Apart, apart
from zesty_cell.core.discharge.curve import own_curve
from zesty_cell.core.discharge.note import RunNote, discharge_doubts, series_of, told_by
from zesty_cell.core.discharge.rows import RunOf
from zesty_cell.core.discharge.run import DischargeRun
from zesty_cell.core.errors import OutOfRangeError, ZestyCellError
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.own_curve import OwnCurve
from zesty_cell.core.parts.pack import Pack
from zesty_cell.formats.csv_table import Table, read_table
from zesty_cell.formats.discharge_csv import DischargeMapping, ReadRun, guess_discharge, read_discharge
from zesty_cell.services.few import Few
from zesty_cell.services.turns import TURNS
from zesty_cell.store import discharges
from zesty_cell.store.errors import UnreadableError
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import DischargeRow, PackRow

#: So many curves are laid over one another.
MOST_CURVES = 12
#: So many recordings are held read, and so many packs' answers.
_HELD, _ANSWERS = 48, 16


_runs: Few[str, DischargeRun] = Few(_HELD)
_answers: Few[str, Apart | OutOfRangeError] = Few(_ANSWERS)


def forget() -> None:
    """Nothing is remembered beyond what is stored, as after a start."""
    _runs.clear()
    _answers.clear()


def _key(row: DischargeRow) -> str:
    return f"{row.id} {row.version} {row.source} {row.mapping} {row.told}"


@dataclass(frozen=True)
class Proposed:
    """A recording through some columns, held against its pack; ``read`` is None where it cannot be read."""

    row: DischargeRow
    table: Table
    mapping: DischargeMapping
    read: ReadRun | None
    error: ZestyCellError | None
    doubts: tuple[Doubt, ...]

    @property
    def sound(self) -> bool:
        """Whether the columns can be what they are taken for."""
        return self.read is not None and not any(d.impossible for d in self.doubts)


def take_in(session: Session, data: bytes, *, name: str, pack_id: int, note: RunNote) -> DischargeRow:
    """Keep a recording, its columns not confirmed yet.

    Raises
    ------
    FileFormatError
        When it is no table; nothing is kept then.
    MissingRecordError
    """
    PACKS.fetch(session, pack_id)
    return discharges.add(session, data, read_table(data), name=name, pack_id=pack_id, note=note)


def proposed(session: Session, row: DischargeRow, mapping: DischargeMapping | None = None) -> Proposed:
    """A recording through columns: those given, else those confirmed, remembered or guessed."""
    table = read_table(discharges.data_of(row))
    note, pack = discharges.note_of(row), PACKS.thing(row.pack)
    if mapping is None:
        mapping = discharges.mapping_of(row) or discharges.remembered(session, table)
    if mapping is None:
        mapping = guess_discharge(table, series=series_of(note.part, series=pack.series))
    try:
        read = read_discharge(table, mapping)
    except ZestyCellError as error:
        return Proposed(row, table, mapping, None, error, ())
    return Proposed(row, table, mapping, read, None, discharge_doubts(read.run, pack=pack, part=note.part))


def confirm(session: Session, found: Proposed, note: RunNote) -> None:
    """Take the columns for what they are."""
    assert found.read is not None  # noqa: S101 - only what can be read is confirmed
    discharges.confirm(session, found.row, found.mapping, note, told_by(found.read.run))


def run_of(row: DischargeRow) -> DischargeRun:
    """A confirmed recording, read.

    Raises
    ------
    UnreadableError
        Where what is stored cannot be read any more.
    """

    def make() -> DischargeRun:
        mapping = discharges.mapping_of(row)
        if mapping is None:
            raise UnreadableError(fact("stored.columns_unconfirmed", name=row.name))
        try:
            return read_discharge(read_table(discharges.data_of(row)), mapping).run
        except ZestyCellError as error:
            raise UnreadableError(fact("stored.run_unreadable", name=row.name, why=error.why)) from error

    return _runs.get(_key(row), make)


def whole_runs(rows: Sequence[DischargeRow]) -> list[DischargeRow]:
    """Those of the whole pack: a half says nothing of the other one."""
    return [row for row in rows if discharges.note_of(row).part == "whole"]


def apart_of(session: Session, pack_row: PackRow) -> Apart | OutOfRangeError:
    """What the runs of a pack say of it together, or why they do not."""
    rows = whole_runs(discharges.of_pack(session, pack_row.id))[:MOST_CURVES]
    pack = PACKS.thing(pack_row).model_copy(update={"curve": None})

    def make() -> Apart | OutOfRangeError:
        try:
            runs = [RunOf(run_of(row), discharges.note_of(row).air_c) for row in rows]
            with TURNS.live():
                return apart(runs, pack=pack)
        except OutOfRangeError as error:
            return error

    return _answers.get("\n".join((pack.model_dump_json(), *map(_key, rows))), make)


def curve_of(session: Session, pack_row: PackRow) -> OwnCurve | Words:
    """The curve that a pack's runs would give it, or why they give none."""
    found = apart_of(session, pack_row)
    if isinstance(found, OutOfRangeError):
        return found.why
    rows = whole_runs(discharges.of_pack(session, pack_row.id))[:MOST_CURVES]
    newest = max(discharges.note_of(row).taken_at for row in rows)
    try:
        return own_curve(found, chemistry=PACKS.thing(pack_row).chemistry, runs=len(rows), measured_at=newest)
    except OutOfRangeError as error:
        return error.why


def give_curve(session: Session, pack_id: int, version: int, curve: OwnCurve | None) -> Pack:
    """Let a pack's sheets fly on its own curve, or on its chemistry's again.

    Raises
    ------
    MissingRecordError, EditConflictError
    """
    row = PACKS.fetch(session, pack_id)
    pack = PACKS.thing(row).model_copy(update={"curve": curve})
    PACKS.change(session, pack_id, version, pack, cell_id=row.cell_id)
    return pack
