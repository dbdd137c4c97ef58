"""Backup and restore from the page: a whole copy down, looked into, taken; nothing changes before that."""

from __future__ import annotations

import io
import re

import pytest

from tests.sheets import sheet
from zesty_cell.store import sheets

RESTORE = "/backup/restore"


def names(app):
    with app.state.database.session() as session:
        return sorted(row.name for row in sheets.all_sheets(session))


def offer(client, data, name="club.backup"):
    return client.post(RESTORE, files={"file": (name, io.BytesIO(data))})


def test_down_looked_into_and_taken(client, app):
    answer = client.get("/backup/file")
    assert re.search(r'filename="zesty-cell-\d{4}-\d\d-\d\d.backup"', answer.headers["content-disposition"])
    before = names(app)
    with app.state.database.session() as session:
        sheets.bring_in(session, sheet(name="since then"))
    page = offer(client, answer.content)
    assert "8 sheets" in page.text
    assert "since then" in names(app)
    confirm = re.search(rf'action="({RESTORE}/\w+)"', page.text)[1]
    assert client.post(confirm).status_code == 303
    assert names(app) == before
    assert list(app.state.database.path.parent.glob("*.before-restore-*.backup"))
    assert client.post(confirm).status_code == 422  # pressed again


@pytest.mark.parametrize("data", [b"", b"words", b"SQLite format 3\x00" + b"x" * 4000])
def test_what_is_no_backup_is_refused(client, app, data):
    before = names(app)
    answer = offer(client, data, "holiday.jpg")
    assert answer.status_code == 422
    assert "holiday.jpg" in answer.text
    assert "Nothing was changed" in answer.text
    assert names(app) == before


def test_a_second_offer_takes_the_place_of_the_first(client):
    data = client.get("/backup/file").content
    first, second = (re.search(rf'action="({RESTORE}/\w+)"', offer(client, data).text)[1] for _ in range(2))
    assert "not held any more" in client.post(first).text
    assert client.post(second).status_code == 303
