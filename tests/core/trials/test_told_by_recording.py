"""What recordings measure of a test's question."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.discharge.test_discharge import straight
from tests.core.learn.test_climbs import OHM, a_log
from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.discharge.run import discharge_run
from zesty_cell.core.trials.question import Question
from zesty_cell.core.trials.told_by_recording import value_of_log, value_of_run


def asks(measure, at=None) -> Question:
    return Question(a="one", b="other", differs="pack", measure=measure, matters=0.05, at=at)


def test_a_discharge_tells_energy_and_times():
    run = straight()  # 16 to 12 V in 1800 s at 2 A
    assert value_of_run(run, question=asks("energy"), series=4) == pytest.approx(14.0)
    assert value_of_run(run, question=asks("time_to_voltage", 3.25), series=4) == pytest.approx(1350.0)
    assert value_of_run(run, question=asks("time_to_voltage", 2.9), series=4) is None
    assert value_of_run(run, question=asks("time_to_charge", 0.5), series=4) == pytest.approx(900.0)
    assert value_of_run(run, question=asks("time_to_charge", 1.001), series=4) is None
    assert value_of_run(run, question=asks("charge_a_minute"), series=4) is None


def test_a_discharge_tells_its_voltage_at_a_current_and_its_warmth():
    t = np.arange(0.0, 400.0)
    amps = np.where(t % 40 < 10, 20.0, 5.0)
    run = discharge_run(time_s=t, pack_v=16.0 - 0.02 * amps, current_a=amps, temperature_c=20.0 + 0.05 * t)
    assert value_of_run(run, question=asks("loaded_v", 20.0), series=4) == pytest.approx((16 - 0.4) / 4)
    assert value_of_run(run, question=asks("loaded_v", 5.1), series=4) == pytest.approx((16 - 0.1) / 4)
    assert value_of_run(run, question=asks("loaded_v", 10.0), series=4) is None
    assert value_of_run(run, question=asks("temperature"), series=4) == pytest.approx(20 + 0.05 * 399)
    assert value_of_run(straight(), question=asks("temperature"), series=4) is None


def test_telemetry_tells_energy_and_the_voltage_in_climbs():
    log = a_log()
    watts = (24.0 - OHM * log.current_a - 0.002 * (log.time_s - 1000.0)) * log.current_a
    joules = float(np.sum(watts[:-1]) * 0.1)
    assert value_of_log(log, question=asks("energy"), series=6) == pytest.approx(joules / 3600, rel=0.002)
    at_60 = value_of_log(log, question=asks("loaded_v", 60.0), series=6)
    assert at_60 == pytest.approx((24.0 - 60 * OHM - 0.002 * 51) / 6, abs=0.002)
    assert value_of_log(log, question=asks("loaded_v", 55.0), series=6) == at_60
    assert value_of_log(log, question=asks("loaded_v", 40.0), series=6) is None
    assert value_of_log(log, question=asks("temperature"), series=6) is None
    warm = Telemetry(time_s=log.time_s, temperature_c=np.where(log.time_s > 1050, 41.0, np.nan))
    assert value_of_log(warm, question=asks("temperature"), series=6) == 41.0
    assert value_of_log(warm, question=asks("energy"), series=6) is None
    assert value_of_log(log, question=asks("charge_a_minute"), series=6) is None
