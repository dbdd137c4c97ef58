"""Climbs of a log and where logs begin, on logs whose resistance is known."""

from __future__ import annotations

import numpy as np
import pytest

from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.learn.climbs import begins_s, climbs_of

OHM = 0.025


def a_log(*, rate_hz=10.0, throttle=True, current=True, noise_v=0.0, **other) -> Telemetry:
    """Stands for 5 s, armed from 3; cruises at 10 A, climbs for 4 s at 60 A at 30 and 70 s; 24 V and 25 mΩ."""
    t = np.arange(0.0, 120.0, 1.0 / rate_hz) + 1000.0
    s = t - 1000.0
    climbing = ((s >= 30) & (s < 34)) | ((s >= 70) & (s < 74))
    amps = np.where(s < 5, 0.0, np.where(climbing, 60.0, 10.0))
    rng = np.random.default_rng(3)
    values = {
        "pack_v": 24.0 - OHM * amps - 0.002 * s + noise_v * rng.normal(size=t.size),
        "current_a": amps if current else None,
        "throttle": np.where(s < 5, 0.0, np.where(climbing, 1.0, 0.4)) if throttle else None,
        "armed": (s >= 3).astype(float),
    }
    return Telemetry(time_s=t, **(values | other))


@pytest.mark.parametrize("rate_hz", [2.0, 10.0, 50.0])
def test_a_climb_has_its_fall_and_the_resistance_in_it(rate_hz):
    climbs = climbs_of(a_log(rate_hz=rate_hz), series=6)
    assert [c.at_s - 1000.0 for c in climbs] == pytest.approx([30.0, 70.0], abs=1 / rate_hz)
    for c in climbs:
        assert c.seconds == pytest.approx(4.0, abs=1.1 / rate_hz)
        assert (c.before_a, c.in_a) == (10.0, 60.0)
        assert c.fall_v == pytest.approx(50 * OHM + 0.002 * 2.5, abs=0.003)
        assert c.ohm == pytest.approx(OHM, rel=0.01)
        assert c.lowest_v <= c.in_v


def test_without_a_throttle_the_current_tells_and_without_a_current_no_resistance():
    by_current = climbs_of(a_log(throttle=False), series=6)
    assert len(by_current) == 2
    assert by_current[0].ohm == pytest.approx(OHM, rel=0.01)
    by_throttle = climbs_of(a_log(current=False), series=6)
    assert len(by_throttle) == 2
    assert (by_throttle[0].ohm, by_throttle[0].in_a) == (None, None)
    assert climbs_of(a_log(throttle=False, current=False), series=6) == ()


def test_a_steady_flight_has_no_climbs_and_a_short_push_is_none():
    t = np.arange(0.0, 100.0, 0.1)
    steady = Telemetry(time_s=t, pack_v=24 - 0.01 * t, current_a=np.full(t.size, 12.0))
    assert climbs_of(steady, series=6) == ()
    push = np.where((t > 40) & (t < 40.5), 1.0, 0.4)
    assert climbs_of(Telemetry(time_s=t, pack_v=24 - 0.01 * t, throttle=push), series=6) == ()
    # Two pushes with a breath between them are one climb.
    breath = np.where(((t >= 40) & (t < 41)) | ((t >= 41.3) & (t < 42.5)), 1.0, 0.4)
    [one] = climbs_of(Telemetry(time_s=t, pack_v=24 - 0.01 * t, throttle=breath), series=6)
    assert one.seconds == pytest.approx(2.4, abs=0.11)


def test_a_current_that_hardly_rises_tells_no_resistance():
    log = a_log()
    level = Telemetry(
        time_s=log.time_s, pack_v=log.pack_v, throttle=log.throttle, current_a=np.full(len(log), 50.0)
    )
    assert [c.ohm for c in climbs_of(level, series=6)] == [None, None]


def test_noise_and_missing_lines_do_not_carry_it_away():
    log = a_log(noise_v=0.05, rate_hz=20.0)
    volts = log.pack_v.copy()
    volts[::7] = np.nan
    ohms = [c.ohm for c in climbs_of(Telemetry(log.time_s, pack_v=volts, current_a=log.current_a), series=6)]
    assert ohms == pytest.approx([OHM, OHM], rel=0.06)
    cells = Telemetry(log.time_s, cell_v=log.pack_v / 6, current_a=log.current_a)
    assert climbs_of(cells, series=6)[0].before_v == pytest.approx(climbs_of(log, series=6)[0].before_v)


def test_where_a_log_begins():
    log = a_log()
    assert begins_s(log, "arming", series=6) == pytest.approx(1003.0)
    assert begins_s(log, "take-off", series=6) == pytest.approx(1005.0, abs=0.11)
    assert begins_s(log, "climb", series=6) == pytest.approx(1030.0, abs=0.11)
    bare = Telemetry(time_s=log.time_s, pack_v=log.pack_v)
    assert [begins_s(bare, b, series=6) for b in ("arming", "take-off", "climb")] == [None, None, None]
    never = Telemetry(time_s=log.time_s, pack_v=log.pack_v, armed=np.zeros(len(log)))
    assert begins_s(never, "arming", series=6) is None
