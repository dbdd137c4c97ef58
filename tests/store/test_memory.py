"""What is remembered of the database is forgotten by every change to it, whoever makes it."""

from __future__ import annotations

import sqlite3
from itertools import count

import pytest
from sqlalchemy import text

from zesty_cell.store.database import Database
from zesty_cell.store.memory import remembered
from zesty_cell.store.tables import FieldEntryRow


@pytest.fixture
def database(tmp_path):
    opened = Database(tmp_path / "memory.sqlite")
    yield opened
    opened.close()


@pytest.fixture
def ask(database):
    """Asks one question in a transaction of its own; the answer counts how often it was worked out."""
    answers = count(1)

    def once(key="question"):
        with database.session() as session:
            return remembered(session, key, lambda: next(answers))

    return once


def test_an_answer_is_worked_out_once_for_each_question(ask):
    assert [ask(), ask(), ask("other"), ask(), ask("other")] == [1, 1, 2, 1, 2]


def test_no_answer_is_an_answer(database):
    asked = []
    for _ in range(2):
        with database.session() as session:
            assert remembered(session, "none", lambda: asked.append(1)) is None
    assert asked == [1]


def _by_row(session):
    session.add(FieldEntryRow(entry="x", answer={}))


def _by_statement(session):
    session.execute(text("INSERT INTO field_entry (entry, taken_at, answer) VALUES ('y', '2026-05-01', '{}')"))


@pytest.mark.parametrize("write", [_by_row, _by_statement])
def test_a_change_of_our_own_is_seen_at_once_and_by_itself(database, ask, write):
    assert ask() == 1
    with database.session() as session:
        write(session)
        assert remembered(session, "question", lambda: "as it will be") == "as it will be"
        session.flush()
        assert remembered(session, "question", lambda: "as it will be") == "as it will be"
    assert ask() == ask() == 2


def test_a_change_that_is_taken_back_keeps_what_was_remembered(database, ask):
    assert ask() == 1

    def broken_off():
        with database.session() as session:
            _by_row(session)
            session.flush()
            raise RuntimeError

    with pytest.raises(RuntimeError):
        broken_off()
    assert ask() == 1


def test_a_change_by_another_process_is_seen(database, ask):
    assert ask() == ask() == 1
    other = sqlite3.connect(database.path)
    with other:
        other.execute("INSERT INTO field_entry (entry, taken_at, answer) VALUES ('y', '2026-05-01', '{}')")
    other.close()
    assert ask() == ask() == 2


def test_what_was_read_before_a_change_is_not_kept_for_after_it(database, ask):
    with database.session() as early:
        early.execute(text("SELECT count(*) FROM field_entry")).scalar()  # its view of the database is fixed here
        with database.session() as session:
            _by_row(session)
        assert remembered(early, "question", lambda: "old") == "old"
    assert ask() == 1


def test_more_than_it_keeps_begins_anew(database, ask, monkeypatch):
    monkeypatch.setattr("zesty_cell.store.memory._MOST", 2)
    assert [ask("a"), ask("b"), ask("c"), ask("c"), ask("a")] == [1, 2, 3, 3, 4]
