"""What becomes of each line of a file of flights, held against hangar and log."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from zesty_cell.formats.csv_table import read_named_rows
from zesty_cell.formats.flights_csv import read_flights
from zesty_cell.services.judged_lines import LinesJudge
from zesty_cell.store.database import Database
from zesty_cell.store.hangar import PACKS
from zesty_cell.words.say import say

HEAD = "landed at (UTC),craft,pack,flew (m:ss),put back (mAh),air (°C)\n"
SOON = datetime.now(UTC) + timedelta(days=2)


@pytest.fixture
def judge(club_file, tmp_path):
    """The club's hangar and log, one pack twice under a name."""
    copy = tmp_path / "club.sqlite"
    copy.write_bytes(club_file.read_bytes())
    database = Database(copy)
    with database.session() as session:
        lime = next(row for row in PACKS.all(session) if row.name == "Lime 1")
        PACKS.add(session, PACKS.thing(lime))
    judge = LinesJudge(database)
    database.close()
    return judge


def judged(judge, *lines):
    return [judge.judge(line) for line in read_flights(read_named_rows((HEAD + "\n".join(lines)).encode())).lines]


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("2025-05-03 12:00,Herom,Pomelo 1,10:00,2000,", "There is no craft “Herom” in the hangar."),
        ("2025-05-03 12:00,Heron,Pomelo 9,10:00,2000,", "There is no pack “Pomelo 9” in the hangar."),
        ("2025-05-03 12:00,Heron,lime 1,10:00,600,", "Two in the hangar are called “lime 1”: rename one first."),
        ("2025-05-03 12:00,Heron,Pomelo 1,ten,2000,", "“flew (m:ss)”: “ten” is not a number."),
        ("2025-05-03 12:00,Heron,Pomelo 1,10:00,-2,", "“put back (mAh)”: at least 1 mAh"),
        ("2025-05-03 12:00,Heron,Pomelo 1,10:00,99000,", "99000 mAh is more than Pomelo 1 holds"),
        (f"{SOON:%Y-%m-%d %H:%M},Heron,Pomelo 1,10:00,2000,", "It lies in the future."),
    ],
)
def test_a_line_that_cannot_be_logged_says_why(judge, line, said):
    [found] = judged(judge, line)
    assert found.verdict == "wrong"
    assert found.flight is None
    assert said in say(found.said[0])


def test_a_new_flight_counts_for_those_after_it(judge):
    first, again, over, apart = judged(
        judge,
        "2025-05-03 12:00,heron,pomelo 1,10:00,2000,",
        "2025-05-03 12:00:01,Heron,Pomelo 1,10:01,2000,",
        "2025-05-03 12:05,Heron,Pomelo 1,10:00,2000,",
        "2025-05-03 12:05,Heron,Pomelo 2,10:00,2000,",
    )
    assert [one.verdict for one in (first, again, over, apart)] == ["new", "known", "wrong", "new"]
    assert say(over.said[0]) == "Pomelo 1 was in the air already then: two flights overlap."
    assert again.said == ()
    assert len({first.entry, apart.entry}) == 2
    assert first.entry.startswith("csv-")


def test_what_is_unlikely_in_a_new_flight_is_said(judge):
    [found] = judged(judge, "1999-05-03 12:00,Heron,Pomelo 1,0:05,,")
    assert found.verdict == "new"
    assert len(found.said) == 2
    assert "1999" in say(found.said[0])
    assert found.flight is not None
