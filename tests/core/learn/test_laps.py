"""Laps of a log, in a world of its own: courses drawn by hand, GPS that wanders, receivers that lose their fix."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from benchmarks.laps import course, flown_about, gps, raced

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.learn.laps import laps_of


@pytest.mark.parametrize("seed", range(12))
@pytest.mark.parametrize("rate_hz", [2.0, 5.0, 10.0])
def test_every_lap_of_a_race_is_found_by_position(seed, rate_hz):
    log, times, _ = raced(seed, rate_hz=rate_hz)
    found = laps_of(log)
    assert found.by == "position"
    assert (
        8 <= len(found.laps) <= 10
    )  # ten rounds in all; the line may lie where the first or the last is not whole
    # Which line it chose is not told: one round from any line lasts between the two rounds that it overlaps.
    lows, highs = np.minimum(times[:-1], times[1:]), np.maximum(times[:-1], times[1:])
    for lap in found.laps:
        k = int(np.searchsorted(np.cumsum(times), lap.at_s))
        assert lows[min(k, 8)] - 0.5 < lap.seconds < highs[min(k, 8)] + 0.5
    # End to end: nothing is lost between them.
    for one, other in zip(found.laps[:-1], found.laps[1:], strict=True):
        assert one.at_s + one.seconds == pytest.approx(other.at_s)
    length = np.hypot(*np.diff(np.array(course(np.linspace(0, 1, 4000))), axis=1)).sum()
    assert found.middle_m == pytest.approx(length, rel=0.06)


def test_a_lap_at_one_speed_has_its_time_to_a_tenth():
    rng = np.random.default_rng(5)
    time_s = np.arange(0.0, 180.0, 0.2)
    lat, lon = gps(*course((time_s / 18.0) % 1.0), rng)
    found = laps_of(Telemetry(time_s=time_s, latitude_deg=lat, longitude_deg=lon))
    times = [lap.seconds for lap in found.laps]
    assert len(times) == 9
    assert np.median(times) == pytest.approx(18.0, abs=0.1)
    assert max(abs(t - 18.0) for t in times) < 0.4  # GPS wanders by metres, at 30 m/s


@pytest.mark.parametrize(
    "at", [(-33.9, 151.2), (64.1, -21.9), (0.001, 179.9), (47.0, -0.00001), (10.0, 180.0), (10.0, -180.0)]
)
def test_it_is_the_same_anywhere_on_earth(at):
    log, times, _ = raced(3, at=at)
    found = laps_of(log)
    assert len(found.laps) >= 8
    assert found.middle_s == pytest.approx(float(np.median(times)), rel=0.04)


def test_what_a_lap_took_is_of_its_own_stretch():
    log, _, _ = raced(1)
    found = laps_of(log)
    for lap in found.laps:
        inside = (log.time_s >= lap.at_s) & (log.time_s <= lap.at_s + lap.seconds)
        assert lap.mean_a == pytest.approx(float(log.current_a[inside].mean()), rel=0.03)
        assert lap.used_ah == pytest.approx(lap.mean_a * lap.seconds / 3600.0)
        assert lap.lowest_v == pytest.approx(float(log.pack_v[inside].min()))
    assert found.best.seconds == min(lap.seconds for lap in found.laps)
    assert found.middle_ah == pytest.approx(float(np.median([lap.used_ah for lap in found.laps])))
    # By the charge counted where no current is logged; not at all where neither is.
    counted = replace(log, current_a=None, used_ah=np.cumsum(log.current_a) * 0.2 / 3600.0)
    assert laps_of(counted).laps[2].used_ah == pytest.approx(found.laps[2].used_ah, rel=0.03)
    alone = laps_of(replace(log, current_a=None, pack_v=None))
    assert (alone.laps[2].used_ah, alone.laps[2].mean_a, alone.laps[2].lowest_v) == (None, None, None)
    assert alone.middle_ah is None


@pytest.mark.parametrize("seed", range(15))
def test_flying_about_is_no_course(seed):
    """Freestyle: from place to place around the pilot, over the same gap again and again, without an order."""
    assert laps_of(flown_about(100 + seed)) is None


@pytest.mark.parametrize("kind", ["hover", "circles", "there and back", "away", "two rounds"])
def test_what_is_no_lap_is_none(kind):
    rng = np.random.default_rng(7)
    time_s = np.arange(0.0, 240.0, 0.2)
    ways = {
        "circles": (8.0 * np.sin(time_s), 8.0 * np.cos(time_s)),
        "hover": (2.0 * np.sin(time_s / 5.0), 2.0 * np.cos(time_s / 5.0)),
        "there and back": (800.0 - np.abs(800.0 - 1600.0 * time_s / 240.0), 0.0 * time_s),
        "away": (12.0 * time_s, 3.0 * time_s),
        "two rounds": course(np.minimum(time_s / 100.0, 2.4) % 1.0),
    }
    lat, lon = gps(*ways[kind], rng)
    assert laps_of(Telemetry(time_s=time_s, latitude_deg=lat, longitude_deg=lon)) is None


def test_a_lap_without_a_fix_is_not_one():
    log, _, _ = raced(2)
    whole = laps_of(log).laps
    lost = (log.time_s > whole[3].at_s + 3.0) & (log.time_s < whole[3].at_s + 9.0)
    for missing in (np.nan, 0.0):  # some write nothing, some the middle of the Gulf of Guinea
        lat, lon = np.where(lost, missing, log.latitude_deg), np.where(lost, missing, log.longitude_deg)
        found = laps_of(replace(log, latitude_deg=lat, longitude_deg=lon))
        assert len(whole) - 2 <= len(found.laps) <= len(whole) - 1
        # The longest step of the way is never inside a lap.
        for lap in found.laps:
            assert not (lap.at_s < whole[3].at_s + 3.0 and lap.at_s + lap.seconds > whole[3].at_s + 9.0)


def test_a_slow_receiver_in_a_quick_log_writes_its_last_position_many_times():
    log, times, _ = raced(4, rate_hz=2.0)
    often = np.arange(log.time_s[0], log.time_s[-1], 0.05)
    last = np.searchsorted(log.time_s, often, side="right") - 1
    quick = Telemetry(time_s=often, latitude_deg=log.latitude_deg[last], longitude_deg=log.longitude_deg[last])
    assert laps_of(quick).middle_s == pytest.approx(float(np.median(times)), rel=0.04)


@pytest.mark.parametrize("kind", ["counter", "switch", "counter from 1"])
def test_marks_are_a_pilots_own_word(kind):
    log, times, edges = raced(6)
    count = np.searchsorted(edges, log.time_s, side="right") - 1.0
    since = log.time_s - edges[count.astype(int)]
    mark = {"counter": count, "counter from 1": count + 1.0, "switch": (since < 0.7).astype(float)}[kind]
    found = laps_of(replace(log, lap_mark=mark))
    assert found.by == "mark"
    assert len(found.laps) == 8  # the first of ten begins before anything was marked, and the last does not end
    for lap, true_s in zip(found.laps, times[1:], strict=False):
        assert lap.seconds == pytest.approx(true_s, abs=0.21)
    # A switch that bounces marks once.
    if kind == "switch":
        bouncing = np.where((count > 0.0) & (since > 0.7) & (since < 1.4), log.time_s * 5 % 2 // 1, mark)
        assert len(laps_of(replace(log, lap_mark=bouncing)).laps) == 8
    # One mark is the beginning of nothing.
    assert laps_of(Telemetry(time_s=log.time_s, lap_mark=(log.time_s > 50.0).astype(float))) is None


def test_without_position_and_marks_there_is_none():
    log, _, _ = raced(0)
    assert laps_of(replace(log, latitude_deg=None)) is None
    assert laps_of(replace(log, latitude_deg=np.full(len(log), np.nan))) is None
    assert laps_of(replace(log, lap_mark=np.full(len(log), np.nan), latitude_deg=None)) is None


def steady(seconds, *, lap_s, rate_hz, seed=5, way=course):
    rng = np.random.default_rng(seed)
    time_s = np.arange(0.0, seconds, 1.0 / rate_hz)
    lat, lon = gps(*way((time_s / lap_s) % 1.0), rng)
    return Telemetry(time_s=time_s, latitude_deg=lat, longitude_deg=lon)


def test_a_passage_is_read_between_two_positions():
    """At one position a second, laps of 18.37 s are not of whole seconds."""
    times = [lap.seconds for lap in laps_of(steady(400.0, lap_s=18.37, rate_hz=1.0)).laps]
    assert np.mean(times) == pytest.approx(18.37, abs=0.05)
    assert np.std(times) < 0.15
    # Nor does it depend on how often a slow receiver's last position is written.
    slow = steady(400.0, lap_s=18.37, rate_hz=2.0)
    often = np.arange(0.0, slow.time_s[-1], 0.05)
    last = np.searchsorted(slow.time_s, often, side="right") - 1
    quick = Telemetry(time_s=often, latitude_deg=slow.latitude_deg[last], longitude_deg=slow.longitude_deg[last])
    assert np.std([lap.seconds for lap in laps_of(quick).laps]) < 0.15


def test_three_laps_are_a_course_and_two_are_none():
    assert len(laps_of(steady(76.0, lap_s=18.0, rate_hz=5.0)).laps) in (3, 4)
    assert laps_of(steady(50.0, lap_s=18.0, rate_hz=5.0)) is None


def joined(*logs):
    """Flights one after the other in one log."""
    at, parts = 0.0, []
    for log in logs:
        parts.append((log.time_s + at, log.latitude_deg, log.longitude_deg))
        at = float(parts[-1][0][-1]) + 0.2
    time_s, lat, lon = (np.concatenate(column) for column in zip(*parts, strict=True))
    return Telemetry(time_s=time_s, latitude_deg=lat, longitude_deg=lon)


@pytest.mark.parametrize("seed", range(4))
def test_a_race_between_two_rounds_of_flying_about_is_found(seed):
    def about(k):
        log = flown_about(k)
        return log.at(np.arange(300))

    race = steady(170.0, lap_s=17.0, rate_hz=5.0, seed=seed)
    found = laps_of(joined(about(seed), race, about(seed + 50)))
    assert 8 <= len(found.laps) <= 10
    assert found.middle_s == pytest.approx(17.0, abs=0.1)
    assert all(58.0 < lap.at_s < 60.0 + 170.0 for lap in found.laps)


def test_a_loop_over_the_line_is_no_lap():
    """A power loop of ten metres in each round, where some of the lines lie: rounds are counted, not loops."""

    def with_loop(turn):
        x, y = course(np.where(turn < 0.3, turn / 0.3 * 0.5, np.where(turn < 0.6, 0.5, 0.5 + (turn - 0.6) / 0.8)))
        loop = np.where((turn >= 0.3) & (turn < 0.6), (turn - 0.3) / 0.3, 0.0) * 4.0 * np.pi
        return x + 10.0 * np.sin(loop), y + 10.0 * (1.0 - np.cos(loop))

    found = laps_of(steady(300.0, lap_s=25.0, rate_hz=5.0, way=with_loop))
    assert 10 <= len(found.laps) <= 12
    assert found.middle_s == pytest.approx(25.0, abs=0.2)


def test_a_lap_on_which_the_position_was_lost_for_four_seconds_is_not_one():
    log = steady(220.0, lap_s=18.0, rate_hz=5.0)
    whole = laps_of(log).laps
    lap = whole[4]
    lost = (log.time_s > lap.at_s + 7.0) & (log.time_s < lap.at_s + 11.0)
    left = laps_of(replace(log, latitude_deg=np.where(lost, np.nan, log.latitude_deg))).laps
    assert not any(one.at_s < lap.at_s + 7.0 and one.at_s + one.seconds > lap.at_s + 11.0 for one in left)
    assert len(left) in (len(whole) - 1, len(whole) - 2)


def test_a_column_that_rises_all_the_time_marks_no_laps():
    time_s = np.arange(0.0, 4.0 * 1100, 1.0)
    rises = np.floor(time_s / 4.0)
    assert laps_of(Telemetry(time_s=time_s, lap_mark=rises)) is None
    assert len(laps_of(Telemetry(time_s=time_s, lap_mark=np.minimum(rises, 900.0))).laps) == 899
