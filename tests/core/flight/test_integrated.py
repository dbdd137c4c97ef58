"""Whole sheets against a tight integration of the same equations, bursts of work and every landing rule."""

from __future__ import annotations

import pytest

from tests.oracles import thevenin
from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.flight.parameters import kernel_parameters
from zesty_cell.core.flight.setup import Factors, program_of, set_up
from zesty_cell.core.flight.summary import fly_to_landing


@pytest.mark.parametrize(
    "one",
    [
        sheet(craft=heron(limits={})),
        sheet(craft=heron(limits={}), pack=satsuma(), pattern="freestyle", conditions=Conditions(air_c=-4.0)),
        sheet(craft=heron(limits={}), landing=LandingRule(charge_kept=None, loaded_v=3.25, loaded_hold_s=2.0)),
        sheet(
            craft=heron(limits={}), pack=pomelo(chemistry="lifepo4"),
            landing=LandingRule(charge_kept=None, rest_v=3.24),
        ),
        sheet(craft=heron(limits={}), pack=satsuma(), pattern="race", landing=LandingRule(timer_s=95.5)),
    ],
    ids=["charge used", "cold", "loaded voltage", "rest voltage", "timer"],
)  # fmt: skip
def test_a_sheet_lands_where_the_tight_integration_does(one):
    setup = set_up(one)
    params = kernel_parameters(setup=setup, factors=Factors.expected(), beyond_landing=0.0)[0]
    program = program_of(setup=setup, factors=Factors.expected())
    truth = thevenin.land(
        params=params, kinds=program.kind.tolist(), values=program.value[0].tolist(),
        seconds=program.seconds[0].tolist(), works_j=program.work_j[0].tolist(), chemistry=setup.chemistry,
    )  # fmt: skip
    at_landing = fly_to_landing(setup)
    assert at_landing.landing_s == pytest.approx(truth.landing_s, rel=2e-4)
    used = (1.0 - truth.charge_left) * setup.figures.capacity_ah
    assert at_landing.used_ah == pytest.approx(used, rel=2e-4)
    assert at_landing.landing_c == pytest.approx(truth.temperature_c, abs=0.02)
