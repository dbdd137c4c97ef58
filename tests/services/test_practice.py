"""What comes back in practice, and when: by what went wrong and how long ago."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from zesty_cell.core.practice.attempt import Attempt
from zesty_cell.core.practice.drills import DRILLS
from zesty_cell.services.practice import next_of, standings

NOW = datetime(2026, 6, 1, 12, 0, tzinfo=UTC)


def flown(drill, score, days_ago):
    return Attempt(
        drill=drill, seed=1, name="x", at=NOW - timedelta(days=days_ago), score=score, flown_s=100.0, left=0.3
    )


def standing(attempts, drill, *, now=NOW):
    return next(s for s in standings(attempts, now=now) if s.key == drill)


def test_new_drills_come_in_their_order():
    assert next_of(standings([], now=NOW)) == DRILLS[0]
    assert next_of(standings([flown(DRILLS[0], 95, 0)], now=NOW)) == DRILLS[1]


def test_what_went_badly_comes_back_sooner():
    due = [standing([flown("chatter", score, 0)], "chatter").due_at for score in (20, 60, 80, 99)]
    assert due == sorted(due)
    assert due[0] < due[2] < due[3]
    assert (due[3] - NOW).days >= 5
    assert (due[0] - NOW).days <= 1


def test_what_goes_well_again_stays_away_longer():
    once = standing([flown("chatter", 85, 10)], "chatter").due_at - (NOW - timedelta(days=10))
    twice = standing([flown("chatter", 85, 10), flown("chatter", 85, 7)], "chatter").due_at - (
        NOW - timedelta(days=7)
    )
    assert twice > once


@pytest.mark.parametrize(("days_ago", "due"), [(0, False), (3, True)])
def test_a_drill_that_was_lost_is_due_after_a_day(days_ago, due):
    assert standing([flown("tired_pack", 0, days_ago)], "tired_pack").due is due


def test_what_is_due_goes_before_what_is_new_and_the_worst_first():
    attempts = [flown("chatter", 30, 9), flown("tired_pack", 5, 9)]
    assert next_of(standings(attempts, now=NOW)) == "tired_pack"


def test_with_everything_flown_and_nothing_due_the_soonest_comes():
    attempts = [flown(key, 99 if key != "ion_cliff" else 75, 0) for key in DRILLS]
    assert next_of(standings(attempts, now=NOW)) == "ion_cliff"


def test_a_list_that_is_looked_at_twice_is_the_same():
    attempts = [flown("chatter", s, d) for s, d in ((30, 9), (80, 8), (95, 3))]
    assert standings(attempts, now=NOW) == standings(attempts, now=NOW)
    assert standing(attempts, "chatter").scores == (30, 80, 95)
