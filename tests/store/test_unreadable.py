"""A row that cannot be read is set aside, with its reason and what needs it; the rest goes on; it can be mended."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from datetime import UTC, datetime

import pytest
from sqlalchemy import func, select

from tests.sheets import pomelo, sheet
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.core.practice.attempt import Attempt
from zesty_cell.demo.faults import load_faults
from zesty_cell.store import callouts, flights, flown, practice, setting_aside, sheets, unreadable
from zesty_cell.store.columns import Wrong
from zesty_cell.store.documents import to_document
from zesty_cell.store.errors import MissingRecordError, NoSuchNumberError, UnreadableError, UnstorableError
from zesty_cell.store.hangar import CRAFTS, PACKS, keep, ownership_of
from zesty_cell.store.tables import FlightRow, PackRow, SheetRow


@pytest.fixture
def database(app, fly_season):
    fly_season()
    return app.state.database


@pytest.fixture(autouse=True)
def with_a_plan(database):
    """A callout plan of the first sheet; something that was off, and a drill."""
    with database.session() as session:
        load_faults(session)
        at = datetime(2026, 6, 1, tzinfo=UTC)
        practice.add(session, Attempt(drill="chatter", seed=1, name="x", at=at, score=5, flown_s=9.0, left=0.5))
        callouts.keep(session, CalloutPlan(name="None", series=6), owner=callouts.Owner(sheet_id=1), version=0)


def spoil(database, table, row_id, column, value):
    """Write what no page of ours would."""
    with closing(sqlite3.connect(database.path)) as other:
        other.execute(f"UPDATE {table} SET {column} = ? WHERE id = ?", (value, row_id))
        other.commit()


def alive(session, table):
    return session.scalar(select(func.count()).select_from(table).where(table.deleted_at.is_(None)))


@pytest.mark.parametrize(
    ("table", "column", "value", "reason"),
    [
        ("craft", "document", "{}", "document.name: Field required"),
        ("cell", "document", "[1]", "document: no document"),
        ("pack", "standing", "borrowed", "standing: Input should be 'own', 'lent', 'wanted' or 'retired'"),
        ("pack", "lent_to", "Anna\tSmith", "lent_to: String should match pattern"),
        ("pack", "rest_v_per_cell", "full", "rest_v_per_cell: is no number"),
        ("pack", "name", "", "name: String should have at least 1 character"),
        ("sheet", "conditions", '{"air_c": "warm"}', "conditions.air_c: Input should be a valid number"),
        ("sheet", "trying", '["magic"]', "trying."),
        ("callouts", "printed", '{"rules": 3}', "printed.name: Field required"),
        ("flight", "document", '{"half', "document: is no JSON"),
        ("flight", "landed_at", "yesterday", "landed_at: is no moment"),
        ("flight", "waiting", "perhaps", None),
        ("log", "mapping", '{"time": []}', "mapping."),
        ("calibration", "document", '{"kind": "guess"}', "document: Input tag 'guess'"),
        ("fault", "document", '{"craft": "x", "signs": ["gremlins"]}', "document.began_at: Field required"),
        ("practice", "document", '{"drill": "own"}', "document.seed: Field required"),
    ],
)
def test_each_is_found_with_its_reason_and_all_else_goes_on(database, table, column, value, reason):
    spoil(database, table, 1, column, value)
    with database.session() as session:
        found = setting_aside.set_aside(session)
        if reason is None:  # any text is no: read as it ever was
            assert found == 0
            return
        [one] = setting_aside.all_of(session)
        assert (one.table, one.row_id) == (table, 1)
        assert one.reason.startswith(reason)
        assert unreadable.count(session) == 1
        assert found == 1 + sum(many for _, many in unreadable.needing(session))
        assert setting_aside.set_aside(session) == 0
        for row in sheets.all_sheets(session):
            sheets.as_sheet(row)
        for row in flights.newest(session, 1000):
            flights.flight_of(row)
        for row in PACKS.all(session):
            assert ownership_of(row).standing in ("own", "lent", "wanted", "retired")


def test_what_needs_it_goes_and_comes_back_with_it(database):
    with database.session() as session:
        row = PACKS.all(session)[0]
        pack_id, before = row.id, (alive(session, SheetRow), alive(session, FlightRow), alive(session, PackRow))
        flown = len(flights.of_pack(session, pack_id))
    assert flown > 0
    spoil(database, "pack", pack_id, "document", json.dumps(to_document(pomelo()) | {"series": 0}))
    with database.session() as session:
        setting_aside.set_aside(session)
        assert dict(unreadable.needing(session))["flight"] == flown
        assert flights.of_pack(session, pack_id) == []
        [one] = setting_aside.all_of(session)
        assert one.wrongs == (Wrong("document", ("series",), 0, one.wrongs[0].problem),)
        assert setting_aside.mend(session, one.id, {0: "many"})  # what is typed is looked at
        assert setting_aside.mend(session, one.id, {7: 6})
        assert unreadable.count(session) == 1
    with database.session() as session:
        assert setting_aside.mend(session, one.id, {0: 6}) == ()
        assert PACKS.find(session, pack_id) == pomelo()
        assert before == (alive(session, SheetRow), alive(session, FlightRow), alive(session, PackRow))
        assert unreadable.needing(session) == []


def test_an_undo_does_not_bring_back_what_cannot_be_read(database):
    spoil(database, "flight", 3, "document", "{}")
    with database.session() as session:
        setting_aside.set_aside(session)
        flights.restore(session, 3)
    spoil(database, "flight", 4, "document", '{"half')
    with database.session() as session:
        assert setting_aside.set_aside(session) == 1
    spoil(database, "flight", 4, "deleted_at", None)
    with database.session() as session:
        assert setting_aside.set_aside(session) == 0
        assert unreadable.count(session) == 2
        assert not flights.is_there(session, 3)
        assert len(flights.newest(session, 1000)) == 52
        setting_aside.leave(session, 2)
        [one] = setting_aside.all_of(session)
        assert setting_aside.mend(session, one.id, {0: 10**30, 1: [], 2: {}, 3: "x"})


def test_a_column_is_mended_too_and_what_cannot_be_is_left_out(database):
    spoil(database, "pack", 2, "standing", "borrowed")
    spoil(database, "flight", 3, "document", '{"half')
    with database.session() as session:
        setting_aside.set_aside(session)
        pack, half = setting_aside.all_of(session)
        assert half.wrongs == ()
        assert setting_aside.document(session, half.id)["document"] == '{"half'
        assert setting_aside.document(session, pack.id)["standing"] == "borrowed"
        setting_aside.leave(session, half.id)
        assert setting_aside.mend(session, pack.id, {0: "own"}) == ()
        assert setting_aside.all_of(session) == []
        assert not unreadable.is_set_aside(session, "flight", 3)
        with pytest.raises(MissingRecordError):
            setting_aside.leave(session, 99)
    with database.session() as session, pytest.raises(UnreadableError, match="JSON"):
        flights.restore(session, 3)


def test_nothing_is_written_that_no_page_could_read(database):
    with database.session() as session:
        with pytest.raises(UnstorableError, match="series"):
            to_document(pomelo().model_copy(update={"series": 0}))
        nothing = sheet().landing.model_copy(update={"charge_kept": None})
        with pytest.raises(UnstorableError, match="landing rule"):
            sheets.bring_in(session, sheet().model_copy(update={"landing": nothing}))
    with database.session() as session:
        row = PACKS.all(session)[0]
        row.rest_v_per_cell = 60.0
        with pytest.raises(UnstorableError, match="rest_v_per_cell"):
            session.flush()
        session.rollback()
        row = PACKS.all(session)[0]
        with pytest.raises(UnstorableError, match="lent_to"):
            keep(session, row, Ownership.model_construct(standing="lent", lent_to="Anna\tSmith", flights=0))
        session.rollback()


@pytest.mark.parametrize("number", [2**63, -(2**63), 10**40])
def test_a_number_that_is_too_large_is_nobodys(database, number):
    with database.session() as session:
        with pytest.raises(NoSuchNumberError, match="larger than any"):
            CRAFTS.fetch(session, number)
        with pytest.raises(MissingRecordError):
            flown.find(session, craft_id=number, most=5)
