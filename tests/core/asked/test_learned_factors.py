"""A sheet flown with what its log taught: the same physics with other figures, and a range that fits."""

from __future__ import annotations

import numpy as np
import pytest

from tests.sheets import pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import forecast, sampled_factors
from zesty_cell.core.asked.changes import CHANGES, changed
from zesty_cell.core.asked.learned_factors import LearnedFactors, PackKind, covariance_of, spread_of
from zesty_cell.core.asked.sheet import Sheet, corrected
from zesty_cell.core.choose.buys import what_buys_minutes
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import Factors, set_up
from zesty_cell.core.flight.summary import fly_to_landing
from zesty_cell.core.learn.correction import learn
from zesty_cell.core.learn.observation import Observation
from zesty_cell.standins.craft import Hidden, SimulatedCraft, SimulatedFlight

SHEET = sheet()


def learned_factors(pack=SHEET.pack, **factors: float) -> LearnedFactors:
    spread = spread_of(np.diag([0.02, 0.05, 0.02, 0.1]) ** 2)
    return LearnedFactors(flights=5, spread=spread, kind=PackKind.of(pack), pattern=SHEET.flying.name, **factors)


def left_at(flown: SimulatedFlight, time_s: float) -> float:
    return float(flown.flight.charge_left[flown.flight.index_at(time_s)])


def test_a_corrected_sheet_flies_as_the_factors_of_a_sampled_flight_do():
    found = fly(set_up(corrected(SHEET, learned_factors(power=1.08, intensity=1.2, capacity=0.9, resistance=1.3))))
    one = np.ones(1)
    factors = Factors(
        power=1.08 * one, intensity=1.2 * one, capacity=0.9 * one, resistance=1.3 * one, full_throttle=one,
        air_c=0 * one,
    )  # fmt: skip
    same = fly(set_up(SHEET), factors=factors)
    assert found.end_s == pytest.approx(same.end_s, abs=0.11)
    assert found.loaded_v[3000] == pytest.approx(same.loaded_v[3000], abs=1e-6)
    assert found.used_ah[3000] == pytest.approx(same.used_ah[3000], rel=1e-9)


def test_the_charge_kept_is_a_share_of_the_charge_that_there_is():
    small = fly(set_up(corrected(SHEET, learned_factors(capacity=0.8))))
    left = small.charge_left[small.index_at(small.landing_s)]
    assert left == pytest.approx(0.2, abs=0.001)


def test_ones_change_nothing_but_the_range():
    plain, same = forecast(SHEET), forecast(corrected(SHEET, learned_factors()))
    assert same.flight.landing_s == plain.flight.landing_s
    assert same.range.high_s - same.range.low_s < plain.range.high_s - plain.range.low_s


def test_without_a_log_it_is_the_plain_sheet():
    assert corrected(SHEET, None) == SHEET
    assert corrected(corrected(SHEET, learned_factors()), None) == SHEET
    assert type(corrected(corrected(SHEET, learned_factors()), None)) is Sheet


def test_another_kind_of_pack_flies_the_learned_craft_with_its_own_figures():
    lesson = learned_factors(power=1.1, capacity=0.8, resistance=2.0)
    other = SHEET.model_copy(update={"pack": satsuma()})
    setup = set_up(corrected(other, lesson))
    plain = set_up(other)
    assert setup.figures == plain.figures
    assert setup.load.steady_w == pytest.approx(1.1 * plain.load.steady_w)
    factors = sampled_factors(setup)
    assert np.std(np.log(factors.capacity)) == pytest.approx(plain.figures.capacity_sigma, rel=0.02)


def test_the_range_keeps_what_excludes_itself_apart():
    covariance = np.diag([0.05, 0.06, 0.02, 0.1]) ** 2
    covariance[0, 1] = covariance[1, 0] = -0.9 * 0.05 * 0.06
    lesson = learned_factors().model_copy(update={"spread": spread_of(covariance)})
    assert np.allclose(covariance_of(lesson), covariance, atol=1e-9)
    factors = sampled_factors(set_up(corrected(SHEET, lesson)))
    assert np.corrcoef(np.log(factors.power), np.log(factors.intensity))[0, 1] == pytest.approx(-0.9, abs=0.05)


def test_changes_are_tried_on_what_was_learned():
    lesson = learned_factors(power=1.1, capacity=0.8)
    learned = corrected(SHEET, lesson)
    larger = changed(learned, key="more_capacity")
    assert set_up(larger).figures.capacity_ah == pytest.approx(2.0 * set_up(learned).figures.capacity_ah)
    bought = {b.key: b.gained_s for b in what_buys_minutes(learned)}
    base = fly_to_landing(set_up(learned)).landing_s
    for key, gained in bought.items():
        other = changed(learned, key=key)
        assert fly_to_landing(set_up(other)).landing_s - base == pytest.approx(gained, abs=0.11), key
    assert set(bought) == {key for key in CHANGES if changed(SHEET, key=key) is not None}


def test_what_simulated_flights_taught_is_the_forecast_of_the_next():
    hidden = Hidden(power=1.12, capacity=0.95, resistance=1.2)
    craft = SimulatedCraft(SHEET, seed=3, hidden=hidden, varies=0.0)
    seen = [
        Observation(pack="one", duration_s=t, used_ah=f.used_ah, left=left_at(f, t), left_sigma=0.03)
        for t in (500.0, 600.0, 700.0, 800.0, 900.0, 950.0)
        for f in (craft.fly(t),)
    ]
    lesson = learn(SHEET, seen).learned_factors("one")
    truth = fly(set_up(corrected(SHEET, learned_factors(power=1.12, capacity=0.95, resistance=1.2)))).landing_s
    result = forecast(corrected(SHEET, lesson))
    plain = forecast(SHEET)
    assert abs(result.flight.landing_s / truth - 1.0) < 0.02 < abs(plain.flight.landing_s / truth - 1.0)
    assert result.range.low_s < truth < result.range.high_s
    assert lesson.flights == 6
    assert covariance_of(lesson)[0, 0] > 0.03**2


def test_a_pack_that_was_never_flown_starts_from_its_type_less_surely():
    seen = [Observation(pack="one", duration_s=600.0, used_ah=2.0)] * 5
    learned = learn(SHEET, seen)
    known, new = learned.learned_factors("one"), learned.learned_factors("two")
    assert new.power == known.power
    assert covariance_of(new)[2, 2] > covariance_of(known)[2, 2]
    with pytest.raises(ValueError, match="Nothing was learned"):
        learn(SHEET, []).learned_factors("one")


def test_cold_flights_are_learned_from_as_cold_ones():
    """The pack's resistance in the cold is no news: learned in its own air, nothing is left to explain."""
    cold = SHEET.model_copy(update={"conditions": SHEET.conditions.model_copy(update={"air_c": -5.0})})
    flown = SimulatedCraft(cold, seed=1, varies=0.0).fly(800.0)
    left = left_at(flown, 800.0)
    seen = [Observation(pack="one", duration_s=800.0, used_ah=flown.used_ah, left=left, air_c=-5.0)] * 4
    told = learn(SHEET, seen)
    blind = learn(SHEET, [Observation(pack="one", duration_s=800.0, used_ah=flown.used_ah, left=left)] * 4)
    assert abs(told.plain[0]) < 0.2 * abs(blind.plain[0])
    assert SHEET.conditions.air_c > 5.0


def test_pomelo_of_another_size_is_another_kind():
    assert learned_factors().knows(pomelo())
    assert not learned_factors().knows(pomelo(capacity_ah=3.0))
