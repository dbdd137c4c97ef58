"""Whether a row can be read: its columns as they must be, every document in it through its model, what it needs.

One reader for all who ask: ``zesty-cell check``, a backup that is looked into, and a row that is set aside.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from typing import Any, Final

from pydantic import ValidationError
from sqlalchemy import JSON, Float, Integer, LargeBinary
from sqlalchemy.orm import object_session

from zesty_cell.core.asked.flying import FlyingPattern
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.discharge.note import RunNote, RunTold
from zesty_cell.core.errors import ZestyCellError, plainly
from zesty_cell.core.fact import Fact, Words, fact
from zesty_cell.core.faults.case import Case
from zesty_cell.core.learn.calibration import CALIBRATION
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.practice.attempt import Attempt
from zesty_cell.core.trials.question import Trial
from zesty_cell.formats.discharge_csv import DischargeMapping
from zesty_cell.formats.telemetry_columns import Mapping as Columns
from zesty_cell.formats.voices_wav import read_wav
from zesty_cell.store.columns import Wrong, problems, wrong_columns
from zesty_cell.store.documents import BroughtWithin, read_telling
from zesty_cell.store.logs import unpacked
from zesty_cell.store.sheets import as_sheet
from zesty_cell.store.tables import (
    Base,
    CalibrationRow,
    CalloutsRow,
    CaseRow,
    CellRow,
    CraftRow,
    DischargeRow,
    FlightRow,
    LogRow,
    Moment,
    PackRow,
    PatternRow,
    PracticeRow,
    SheetRow,
    TrialRow,
    VoiceLineRow,
    Whole,
)

#: The documents of each table: column, model, whether it may be empty.
_DOCUMENTS: dict[type[Any], tuple[tuple[str, Any, bool], ...]] = {
    CraftRow: (("document", Craft, False),),
    CellRow: (("document", CellModel, False),),
    PackRow: (("document", Pack, False),),
    SheetRow: (
        ("flying", FlyingPattern, False),
        ("conditions", Conditions, False),
        ("landing", LandingRule, False),
    ),
    CalloutsRow: (
        ("document", CalloutPlan, False),
        ("printed", CalloutPlan, True),
        ("loaded", CalloutPlan, True),
    ),
    FlightRow: (("document", LoggedFlight, False), ("previous", LoggedFlight, True)),
    LogRow: (("mapping", Columns, True),),
    CalibrationRow: (("document", CALIBRATION, False),),
    VoiceLineRow: (),
    PatternRow: (("document", FlyingPattern, False),),
    TrialRow: (("document", Trial, False),),
    DischargeRow: (("mapping", DischargeMapping, True), ("document", RunNote, False), ("told", RunTold, True)),
    CaseRow: (("document", Case, False),),
    PracticeRow: (("document", Attempt, False),),
}
#: Every table whose rows are read, in an order in which what is needed comes first.
TABLES: Final = tuple(_DOCUMENTS)
#: What a row needs: the column, and the table of what it refers to.
NEEDS: dict[type[Any], tuple[tuple[str, type[Any]], ...]] = {
    SheetRow: (("craft_id", CraftRow), ("pack_id", PackRow)),
    CalloutsRow: (("sheet_id", SheetRow), ("craft_id", CraftRow)),
    FlightRow: (("craft_id", CraftRow), ("pack_id", PackRow)),
    LogRow: (("craft_id", CraftRow),),
    CalibrationRow: (("craft_id", CraftRow), ("pack_id", PackRow)),
    TrialRow: (("craft_id", CraftRow),),
    DischargeRow: (("pack_id", PackRow),),
    CaseRow: (("craft_id", CraftRow), ("pack_id", PackRow)),
}


def _said(kind: str, why: Words) -> dict[str, Any]:
    return {"type": kind, "msg": plainly(why), "ctx": {"why": why}}


def documents_of(row: Any) -> Iterator[tuple[str, Any, Any]]:
    """The documents of a row: column, model, and what is stored."""
    for column, model, may_be_empty in _DOCUMENTS[type(row)]:
        held = getattr(row, column)
        if held is not None or not may_be_empty:
            yield column, model, held


def _in_documents(row: Any) -> Iterator[Wrong]:
    for column, model, held in documents_of(row):
        if not isinstance(held, dict):
            yield Wrong(column, (), held, _said("dict_type", fact("whole.no_document")))
            continue
        try:
            read_telling(model, held)
        except ValidationError as error:
            yield from problems(column, error)


def _in_needs(row: Any) -> Iterator[Wrong]:
    """What a row needs and is not there, or was deleted and cannot be read."""
    session = object_session(row)
    if session is None:
        return
    for column, table in NEEDS.get(type(row), ()):
        record_id = getattr(row, column)
        if record_id is None:
            continue
        needed, what = session.get(table, record_id), table.__tablename__
        if needed is None:
            yield Wrong(column, (), record_id, _said("needs", fact("whole.needs", what=what)))
        elif needed.deleted_at is not None and wrongs_of(needed):
            yield Wrong(column, (), record_id, _said("needs", fact("whole.needs_unreadable", what=what)))


def _in_bytes(row: Any) -> Iterator[Wrong]:
    """What is wrong with a log's file, or a recording."""
    try:
        if isinstance(row, (LogRow, DischargeRow)):
            unpacked(row.packed)
        if isinstance(row, VoiceLineRow) and row.own_wav is not None:
            read_wav(row.own_wav, to_hz=32_000)
    except ZestyCellError as error:
        yield Wrong("", (), None, _said("bytes", error.why))


def wrongs_of(row: Any) -> tuple[Wrong, ...]:
    """All that is wrong with a row, provided that what it needs and was not deleted can be read."""
    found = (*wrong_columns(row), *_in_documents(row), *_in_needs(row), *_in_bytes(row))
    if found or not isinstance(row, SheetRow):
        return found
    try:
        as_sheet(row)
    except ZestyCellError as error:
        cause = error.__cause__
        if isinstance(cause, ValidationError):
            return tuple(Wrong(str(w.place[0]) if w.place else "", w.place[1:], w.value, w.problem)
                         for w in problems("", cause))  # fmt: skip
        return (Wrong("", (), None, _said("sheet", error.why)),)
    return ()


def moved_in(row: Any) -> Iterator[tuple[str, BroughtWithin]]:
    """Values of a readable row beyond a bound that was drawn tighter since, with their columns."""
    for column, model, held in documents_of(row):
        yield from ((column, moved) for moved in read_telling(model, held)[1])


_KINDS: tuple[tuple[Any, str, Fact], ...] = (
    (JSON, "typeof({c}) <> 'text' OR NOT json_valid({c})", fact("whole.no_json")),
    (Moment, "julianday({c}) IS NULL OR typeof({c}) <> 'text' OR length({c}) < 19", fact("whole.no_moment")),
    ((Integer, Whole), "typeof({c}) <> 'integer'", fact("whole.no_whole_number")),
    (Float, "typeof({c}) NOT IN ('real', 'integer')", fact("whole.no_number")),
)


def raw_wrongs(connection: sqlite3.Connection) -> Iterator[tuple[str, int, Fact]]:
    """Rows, not deleted, whose columns are not even of their kind, which no query over their table would survive.

    Yields
    ------
    table, row id, why
    """
    for table in Base.metadata.sorted_tables:
        key = next(iter(table.primary_key.columns)).name
        for column in table.columns:
            test = next((t for kind, t, _ in _KINDS if isinstance(column.type, kind)), None)
            if test is None or isinstance(column.type, LargeBinary):
                continue
            why = next(w for kind, _, w in _KINDS if isinstance(column.type, kind))
            alive = ' AND "deleted_at" IS NULL' if "deleted_at" in table.columns else ""
            asked = (
                f'SELECT "{key}" FROM "{table.name}" '  # noqa: S608 - names of our own tables
                f'WHERE "{column.name}" IS NOT NULL AND ({test.format(c=chr(34) + column.name + chr(34))}){alive}'
            )
            for (row_id,) in connection.execute(asked):
                yield table.name, row_id, fact("whole.column", column=column.name, why=why)
