"""Stored documents: they say their version, and a bound that was drawn tighter since locks nobody out."""

from __future__ import annotations

import json
import math
from typing import Annotated

import pytest
from pydantic import BaseModel, Field
from sqlalchemy import update

from tests.sheets import pomelo, satsuma, sheet
from zesty_cell.core.learn.calibration import CALIBRATION
from zesty_cell.core.parts.pack import Pack
from zesty_cell.store.documents import VERSION, BroughtWithin, Stored, from_text, read, read_telling, to_document
from zesty_cell.store.errors import UnreadableError
from zesty_cell.store.tables import FlightRow, PackRow
from zesty_cell.store.wholeness import faults_of


def test_a_document_says_its_version_and_is_read_with_and_without_it():
    document = to_document(pomelo())
    assert document["stored_as"] == VERSION
    assert read(Pack, document) == pomelo()
    assert read(Pack, pomelo().model_dump(mode="json")) == pomelo()


@pytest.mark.parametrize(
    ("path", "value", "now"),
    [
        (("cycles",), 5000, 3000),
        (("cycles",), 8999.0, 3000),
        (("name",), "x" * 200, "x" * 80),
        (("tests", "charger"), {"cells_ohm": [0.01] * 5 + [2.9]}, None),
    ],
)
def test_a_value_beyond_a_bound_is_read_as_the_bound_and_told(path, value, now):
    document = to_document(pomelo())
    target = document
    for step in path[:-1]:
        target = target[step]
    target[path[-1]] = value
    kept = str(document)
    found, moved = read_telling(Pack, document)
    assert len(moved) == 1
    assert moved[0].field.startswith(".".join(path))
    assert str(document) == kept  # what is stored is left alone
    if now is not None:
        assert moved == (BroughtWithin(path[0], value, now),)
        assert getattr(found, path[0]) == now


def test_a_bound_that_may_not_be_reached_is_just_kept_off():
    class Odd(BaseModel):
        ratio: Annotated[float, Field(gt=2.0)]

    found, [moved] = read_telling(Odd, {"ratio": 1.0})
    assert 2.0 < found.ratio == moved.now == math.nextafter(2.0, math.inf)
    assert (moved.field, moved.was) == ("ratio", 1.0)


def test_a_choice_is_read_so_too():
    """Its errors name the kind before the field."""
    made = {"kind": "voltage", "made_at": "2026-11-01T10:00:00Z", "old": 2e6, "step": 1, "points": [[16, 16.2]],
            "entered": 110}  # fmt: skip
    found, [moved] = read_telling(CALIBRATION, made)
    assert (found.old, moved.field, moved.was) == (1e6, "voltage.old", 2e6)


@pytest.mark.parametrize(
    "change",
    [
        {"chemistry": "tin"},
        {"wings": 2},
        {"series": "six"},
        {"capacity_ah": None},
        {"cycles": 5000, "series": "six"},
    ],
    ids=["no such choice", "unknown", "no number", "missing", "one of two"],
)
def test_whatever_else_cannot_be_read_is_refused(change):
    with pytest.raises(UnreadableError):
        read(Pack, to_document(pomelo()) | change)


def test_a_tighter_bound_locks_nobody_out_of_any_page_and_is_named_by_the_check(client, app, fly_season):
    fly_season()
    database = app.state.database
    with database.session() as session:
        pack = session.get(PackRow, 1)
        flight = session.get(FlightRow, 1)
        packs = update(PackRow).where(PackRow.id == 1).values(document=dict(pack.document) | {"cycles": 8000})
        flights = update(FlightRow).where(FlightRow.id == 1)
        session.execute(packs)
        session.execute(flights.values(document=dict(flight.document) | {"air_c": 60.0}))
    for page in (
        "/hangar",
        "/hangar/packs/1",
        "/sheets",
        "/sheets/8",
        "/log",
        "/log/1",
        "/field",
        "/hangar/health",
    ):
        assert client.get(page).status_code == 200, page
    assert client.get("/api/packs/1").json()["pack"]["cycles"] == 3000
    said = [fault.words() for fault in faults_of(database.path)]
    assert said == [
        "pack 1: cycles: 8000 is beyond what is taken now, and read as 3000",
        "flight 1: air_c: 60.0 is beyond what is taken now, and read as 55.0",
    ]


def test_a_plan_stored_before_documents_had_a_version_is_not_out_of_date_for_it(client, app):
    from zesty_cell.core.answer.forecast import forecast
    from zesty_cell.core.callouts.schools import write_plan
    from zesty_cell.store import callouts

    plan = write_plan(forecast(sheet()), school="loaded voltage").plan
    with app.state.database.session() as session:
        row = callouts.keep(session, plan, owner=callouts.Owner(sheet_id=8), version=0)
        callouts.mark(session, row, printed=True)
        row.printed = plan.model_dump(mode="json")
        session.flush()
        assert callouts.is_stale(row) == ()


def test_a_stored_document_is_read_once_and_replaced_never_changed():
    text = json.dumps(to_document(pomelo()))
    document = from_text(text)
    assert read(Pack, document) is read(Pack, from_text(text))
    assert read(Pack, document) == pomelo()
    assert read(Pack, from_text(json.dumps(to_document(satsuma())))) == satsuma()
    for change in (
        lambda: document.__setitem__("name", "x"),
        lambda: document.__delitem__("name"),
        lambda: document.update(name="x"),
        lambda: document.__ior__({"name": "x"}),
        lambda: document.pop("name"),
        lambda: document.popitem(),
        lambda: document.setdefault("x", 1),
        lambda: document.clear(),
    ):
        with pytest.raises(TypeError, match="replaced"):
            change()
    assert isinstance(document, Stored)
    assert document == to_document(pomelo())


def test_what_is_no_document_is_read_anew_and_what_is_unreadable_stays_so():
    assert from_text("[1, 2]") == [1, 2]
    assert from_text("[1, 2]") is not from_text("[1, 2]")  # a list may be changed by who has it
    long = json.dumps({"name": "x" * 30_000})
    assert from_text(long) == from_text(long)
    assert from_text(long) is not from_text(long)
    broken = from_text('{"name": "Pomelo"}')
    for _ in range(2):
        with pytest.raises(UnreadableError):
            read(Pack, broken)
    assert from_text(b'{"a": 1}') == {"a": 1}
    for no_json in ("{", "", "{'a': 1}", 5, None, b"{"):
        with pytest.raises(UnreadableError):
            from_text(no_json)
