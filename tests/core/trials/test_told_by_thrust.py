"""What a thrust stand measures of a test's question."""

from __future__ import annotations

import pytest

from tests.core.trials.test_told_by_recording import asks
from tests.sheets import heron
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.parts.craft import Limits, WingGeometry
from zesty_cell.core.parts.thrust import ThrustStep
from zesty_cell.core.trials.told_by_thrust import value_of_steps

#: Twice the thrust for 2√2 times the power, as an ideal disc has it: 10 W at 100 g, from there P = 10·(T/100)^1.5.
IDEAL = tuple(
    ThrustStep(thrust_kg=t / 1000.0, current_a=(t / 100.0) ** 1.5, voltage_v=10.0) for t in (100, 200, 400)
)

QUAD = heron(limits=Limits(motor_count=4).model_dump())


def value(measure, *, steps=IDEAL, craft=None, all_up_kg=1.0, on_bench=1):
    return value_of_steps(
        steps, question=asks(measure), craft=craft or QUAD, all_up_kg=all_up_kg, on_bench=on_bench
    )


def test_thrust_is_that_of_the_strongest_step_in_whatever_order():
    assert value("thrust") == 0.4
    assert value("thrust", steps=IDEAL[::-1]) == 0.4


def test_thrust_a_watt_is_that_of_the_hover_worked_by_hand():
    # 1 kg on four motors: 250 g each, 10·2.5^1.5 = 39.5 W, 6.325 g/W.
    assert value("grams_a_watt") == pytest.approx(250.0 / (10.0 * 2.5**1.5))
    # Two motors on the stand share their thrust: 500 g of both lies beyond 400 g; at 0.6 kg it is 300 g.
    assert value("grams_a_watt", all_up_kg=0.6, on_bench=2) == pytest.approx(300.0 / (10.0 * 3.0**1.5))


@pytest.mark.parametrize(("all_up_kg", "on_bench"), [(1.0, 2), (0.3, 1)])
def test_a_hover_outside_of_the_steps_is_not_told(all_up_kg, on_bench):
    with pytest.raises(OutOfRangeError) as refused:
        value("grams_a_watt", all_up_kg=all_up_kg, on_bench=on_bench)
    assert refused.value.why.key == "refused.thrust.no_hover"
    assert refused.value.value == pytest.approx(all_up_kg / 4 * on_bench)


def test_a_wing_is_told_by_its_strongest_step():
    wing = heron(
        kind="wing", steady=WingGeometry(wing_area_m2=0.3, lift_coefficient=0.4).model_dump(),
        cruise_speed_m_s=None,
    )  # fmt: skip
    assert value("grams_a_watt", craft=wing) == pytest.approx(400.0 / 80.0)


def test_what_a_stand_does_not_measure_is_refused():
    with pytest.raises(OutOfRangeError) as refused:
        value("energy")
    assert refused.value.why.key == "refused.thrust.not_asked"
