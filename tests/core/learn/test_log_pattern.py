"""A pattern out of a log: the activities are those that were flown, and flying it takes what the log took."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.core.learn.test_log_fit import flown
from tests.sheets import heron, satsuma, sheet
from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.learn.log_pattern import pattern_from_log
from zesty_cell.standins.craft import SimulatedCraft

SHEET = sheet()


def pattern(log, of=SHEET):
    return pattern_from_log(log, name="as flown", series=of.pack.series, setup=set_up(of))


@pytest.mark.parametrize("key", ["cruise", "freestyle", "race", "gentle_hover", "aerobatics"])
def test_flying_the_pattern_takes_what_the_log_took(key):
    of = sheet(craft=heron(), pack=satsuma(), pattern=key)
    log, flight = flown(of=of, seconds=140.0)
    found = pattern(log, of)
    again = fly(set_up(of.model_copy(update={"flying": found.pattern})))
    # A log ends amid a round, a pattern begins with one: that alone is a few hundredths.
    assert again.used_ah[again.index_at(140.0)] == pytest.approx(flight.used_ah, rel=0.07)


def test_the_activities_are_those_that_were_flown():
    log, _ = flown()
    found = {a.name: a for a in pattern(log).activities}
    assert set(found) == {"glide", "cruise", "turns", "full throttle"}
    # The climbs take longer than their two seconds on this soft pack, and are two seconds of work again.
    assert 2 / 60 < found["full throttle"].of_flight < 4 / 60
    assert 2.0 < found["full throttle"].spell_s < 4.0
    [climb] = [a for a in pattern(log).pattern.activities if a.of == "full throttle"]
    assert climb.duration_s == pytest.approx(2.0, abs=0.4)
    assert found["glide"].of_flight == pytest.approx(6 / 60, abs=0.02)
    assert sum(a.of_flight for a in found.values()) == pytest.approx(1.0)
    round_s = pattern(log).pattern.period_s
    assert round_s == pytest.approx(60.0, abs=8.0)


def test_the_ground_before_and_after_is_no_flight():
    log, flight = flown(seconds=300.0)
    found = pattern(log)
    assert found.from_s == pytest.approx(8.0, abs=0.6)
    assert found.to_s == pytest.approx(8.0 + flight.duration_s, abs=0.6)
    assert found.which.size == found.time_s.size


def test_without_a_throttle_full_throttle_is_told_by_the_current():
    log, _ = flown()
    found = {a.name: a for a in pattern(replace(log, throttle=None)).activities}
    assert 2 / 60 < found["full throttle"].of_flight < 4 / 60


def test_a_calm_hover_has_no_bursts():
    of = sheet(pattern="gentle_hover")
    log, _ = flown(of=of, seconds=400.0)
    found = pattern(replace(log, throttle=None), of)
    assert all(a.of == "steady" for a in found.activities)


TIME = np.arange(0.0, 100.0, 0.2)


@pytest.mark.parametrize(
    ("log", "words"),
    [
        (Telemetry(time_s=TIME, pack_v=24 + 0 * TIME), "lacks the current or the voltage"),
        (Telemetry(time_s=TIME, current_a=8 + 0 * TIME), "lacks the current or the voltage"),
        (Telemetry(time_s=TIME, current_a=0.2 + 0 * TIME, pack_v=24 + 0 * TIME), "hardly any flight"),
    ],
)
def test_what_is_no_flight_has_no_pattern(log, words):
    with pytest.raises(OutOfRangeError, match=words):
        pattern(log)


def test_a_simulated_craft_relaxes_after_landing():
    craft = SimulatedCraft(SHEET, seed=1, varies=0.0)
    flight = craft.fly(600.0)
    rows = craft.log_csv(flight).decode().splitlines()
    volts = [float(row.split(",")[1]) for row in rows[1:]]
    after = np.array(volts[-38:])
    assert after[-5:].mean() > after[:5].mean() + 0.01
    assert after[-1] < flight.rest_v * 6
