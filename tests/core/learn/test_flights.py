"""Logged flights: what they tell of the charge, and what cannot be."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, timezone

import pytest
from pydantic import ValidationError

from tests.sheets import pomelo
from zesty_cell.core.learn.flights import LoggedFlight, doubts, used_of
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.chemistry import open_circuit_v
from zesty_cell.words.say import say

NOON = datetime(2026, 5, 3, 12, 0, tzinfo=UTC)
PACK = pomelo()


def flight(**changes) -> LoggedFlight:
    return LoggedFlight.model_validate({"landed_at": NOON, "duration_s": 600.0, "pattern": "cruise"} | changes)


def test_the_best_that_is_known_tells_the_charge():
    rest_v = float(open_circuit_v(chemistry=CHEMISTRIES["liion_power"], charge_left=0.35))
    assert used_of(flight(), pack=PACK) is None
    by_rest = used_of(flight(rest_v_per_cell=rest_v, rest_after_s=86_400), pack=PACK)
    assert by_rest.by == "rest voltage"
    assert by_rest.share == pytest.approx(0.65, abs=0.003)
    shown = used_of(flight(rest_v_per_cell=rest_v, rest_after_s=86_400, shown_ah=2.52), pack=PACK)
    assert (shown.by, shown.share) == ("shown", pytest.approx(0.6))
    back = used_of(flight(rest_v_per_cell=rest_v, rest_after_s=86_400, shown_ah=2.52, put_back_ah=2.73), pack=PACK)
    assert (back.by, back.share) == ("put back", pytest.approx(0.65))
    assert back.error < by_rest.error < shown.error


@pytest.mark.parametrize(
    ("changes", "field", "words"),
    [
        ({"put_back_ah": 4.9}, "put_back_ah", "4900 mAh is more than Pomelo holds (4200 mAh)."),
        ({"shown_ah": 42.0}, "shown_ah", "42000 mAh is more"),
        ({"rest_v_per_cell": 4.3}, "rest_v_per_cell", "4.30 V is over a full cell of 4.20 V."),
        ({"charged_v_per_cell": 4.35}, "charged_v_per_cell", "over a full cell"),
        ({"distance_m": 55_000.0}, "distance_m", "330 km/h over the whole flight"),
        ({"distance_m": 6_000.0, "top_speed_m_s": 9.9}, "top_speed_m_s", "mean speed is 36 km/h already"),
        ({"cells_v": (3.7, 3.7)}, "cells_v", "Readings: 2; cells of Pomelo in series: 6."),
    ],
)
def test_what_cannot_be_is_said_at_its_field(changes, field, words):
    found = doubts(flight(**changes), pack=PACK)
    assert list(found) == [field]
    assert words in say(found[field])


def test_a_distance_gives_speed_and_charge_of_a_kilometre():
    assert doubts(flight(distance_m=6_000.0, top_speed_m_s=10.1), pack=PACK) == {}
    assert doubts(flight(distance_m=53_000.0), pack=PACK) == {}
    assert flight(distance_m=6_000.0).speed_m_s == 10.0
    assert flight(distance_m=6_000.0).ah_per_km(1.5) == pytest.approx(0.25)
    assert flight().ah_per_km(1.5) is None


def test_a_pack_is_not_in_the_air_twice():
    first = flight()
    assert doubts(flight(landed_at=NOON + timedelta(minutes=5)), pack=PACK, others=[first])["landed_at"]
    assert doubts(flight(landed_at=NOON + timedelta(minutes=10)), pack=PACK, others=[first]) == {}
    assert doubts(flight(landed_at=NOON - timedelta(minutes=10)), pack=PACK, others=[first]) == {}


def test_moments_are_kept_in_one_zone():
    berlin = timezone(timedelta(hours=2))
    assert flight(landed_at=datetime(2026, 5, 3, 14, 0, tzinfo=berlin)).landed_at == NOON
    assert flight().took_off_at == NOON - timedelta(minutes=10)
    with pytest.raises(ValidationError, match="with its zone"):
        flight(landed_at="2026-05-03T14:00:00")
