"""Sheets: as they were, kept once, guarded by their version, deleted and back."""

from __future__ import annotations

import pytest

from tests.sheets import sheet
from zesty_cell.store import sheets
from zesty_cell.store.errors import EditConflictError, InUseError, MissingRecordError
from zesty_cell.store.hangar import CRAFTS


def test_a_sheet_comes_back_as_it_was(database):
    with database.session() as session:
        number = sheets.bring_in(session, sheet()).id
    with database.session() as session:
        assert sheets.as_sheet(sheets.fetch(session, number)) == sheet()


def test_equal_crafts_and_packs_are_kept_once(database):
    with database.session() as session:
        first, second = sheets.bring_in(session, sheet()), sheets.bring_in(session, sheet(name="another"))
        assert (first.craft_id, first.pack_id) == (second.craft_id, second.pack_id)


def test_a_late_edit_is_refused_and_changes_nothing(database):
    with database.session() as session:
        row = sheets.bring_in(session, sheet())
        number, version = row.id, row.version
        parts = {"craft_id": row.craft_id, "pack_id": row.pack_id}
    with database.session() as session:
        sheets.change(session, number, version, sheet(name="first"), **parts)
    with pytest.raises(EditConflictError), database.session() as session:
        sheets.change(session, number, version, sheet(name="second"), **parts)
    with database.session() as session:
        assert sheets.fetch(session, number).name == "first"


def test_deleting_and_undoing(database):
    with database.session() as session:
        row = sheets.bring_in(session, sheet())
        with pytest.raises(InUseError, match="Heron on Pomelo"):
            CRAFTS.delete(session, row.craft_id)
        sheets.delete(session, row.id)
        CRAFTS.delete(session, row.craft_id)
        with pytest.raises(MissingRecordError):
            sheets.fetch(session, row.id)
        back = sheets.restore(session, row.id)
        assert CRAFTS.fetch(session, back.craft_id).name == "Heron"
