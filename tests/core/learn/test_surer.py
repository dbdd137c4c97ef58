"""What makes a forecast unsure, and what a measurement would leave of it."""

from __future__ import annotations

import math

import numpy as np
import pytest
from benchmarks.narrowing import narrowings

from tests.sheets import heron, pomelo, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import CurrentSensor, Sheet, corrected
from zesty_cell.core.learn.correction import learn
from zesty_cell.core.learn.observation import Observation
from zesty_cell.core.learn.surer import MINUTES, best_measure, surer
from zesty_cell.core.learn.taken import TAKEN, take
from zesty_cell.core.parts.craft import Assumed, RotorGeometry
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.parts.readings import still_assumed
from zesty_cell.core.parts.starting import KINDS, starting_craft, usual_pack


def first(key="freestyle", **said):
    kind = KINDS[key]
    pack = usual_pack(kind)
    craft = starting_craft(kind, name="first", pack_kg=pack_figures(pack).mass_kg, pack=pack, **said)
    return Sheet(name="first", craft=craft, pack=pack, flying=PATTERNS[kind.patterns["mixed"]])


@pytest.fixture(scope="module")
def told():
    return surer(forecast(first()))


def by_key(found):
    return {measure.key: measure for measure in found.measures}


def test_the_causes_add_up_and_the_largest_is_first(told):
    shares = [cause.share for cause in told.causes]
    assert sum(shares) == pytest.approx(1.0, abs=1e-12)
    assert shares == sorted(shares, reverse=True)
    assert all(share >= 0.0 for share in shares)
    assert told.causes[0].key == "efficiency"


def test_a_cause_has_the_share_that_its_width_makes():
    """One cause at a time: with nothing else unsure, t ∝ 1/P of a hover, so the whole variance is power's."""
    one = sheet(
        craft=heron(steady=RotorGeometry(rotor_count=4, rotor_diameter_m=0.178).model_dump()),
        pattern="hover",
        pack=pomelo(capacity_known="measured"),
    )
    causes = {cause.key: cause.share for cause in surer(forecast(one)).causes}
    power, capacity = 0.25**2, 0.02**2
    assert causes["efficiency"] == pytest.approx(power / (power + capacity), abs=0.06)
    assert causes["efficiency"] > 0.85
    assert causes.get("weight", 0.0) < 0.02


def test_powers_share_is_split_by_the_squares_of_its_parts():
    result = forecast(first("plane"))
    causes = {cause.key: cause.share for cause in surer(result).causes}
    parts = result.setup.load.power_parts
    assert causes["size"] / causes["efficiency"] == pytest.approx(parts.size**2 / parts.source**2)
    assert causes["electronics"] / causes["efficiency"] == pytest.approx(parts.electronics**2 / parts.source**2)


def test_a_timer_that_lands_every_flight_leaves_nothing_unsure():
    by_timer = first().model_copy(update={"landing": LandingRule(charge_kept=None, timer_s=60.0)})
    assert surer(forecast(by_timer)) == surer(forecast(by_timer))
    assert surer(forecast(by_timer)).causes == ()
    assert surer(forecast(by_timer)).measures == ()


def test_a_timer_that_lands_all_but_a_few_leaves_nothing_unsure():
    one = first()
    landed = np.sort(forecast(one).range.landing_s)
    early = float(math.floor(landed[landed.size // 40]))  # a fortieth of the flights lands before it
    result = forecast(one.model_copy(update={"landing": LandingRule(timer_s=early)}))
    assert result.range.low_s == result.range.high_s
    assert float(result.range.landing_s.std()) > 0.01
    assert surer(result).measures == ()
    assert best_measure(result) is None


def test_each_measurement_leaves_a_narrower_range_inside_what_it_was(told):
    result = forecast(first())
    assert by_key(told)
    for measure in told.measures:
        assert result.range.low_s < measure.low_s < result.flight.landing_s < measure.high_s < result.range.high_s
        left = math.log(measure.high_s / measure.low_s) / math.log(result.range.high_s / result.range.low_s)
        assert measure.narrower == pytest.approx(1.0 - left)
        assert measure.minutes == MINUTES[measure.key]


def test_the_best_for_its_trouble_is_first(told):
    worth = [measure.narrower / (measure.minutes + 5.0) for measure in told.measures]
    assert worth == sorted(worth, reverse=True)
    assert (
        by_key(told)["hover_charge"].narrower > by_key(told)["hover_amps"].narrower > by_key(told)["weigh"].narrower
    )
    assert by_key(told)["three_flights"].narrower > by_key(told)["flight"].narrower


def test_the_best_alone_is_the_first_of_all(told):
    assert best_measure(forecast(first())) == told.measures[0]
    by_timer = first().model_copy(update={"landing": LandingRule(charge_kept=None, timer_s=60.0)})
    assert best_measure(forecast(by_timer)) is None


def test_what_was_measured_is_not_asked_for_again():
    one = first("plane")
    craft, pack = take("weigh", (1.1,), craft=one.craft, pack=one.pack.model_copy(update={"mass_kg": 0.18}))
    assert "weigh" in by_key(surer(forecast(one)))
    assert "weigh" not in by_key(surer(forecast(one.model_copy(update={"craft": craft, "pack": pack}))))
    craft, _ = take("hover_charge", (0.9, 600.0), craft=one.craft, pack=one.pack)
    keys = by_key(surer(forecast(one.model_copy(update={"craft": craft}))))
    assert not {"hover_charge", "hover_amps", "weigh"} & set(keys)


def test_an_unchecked_sensor_is_told_of_until_it_is_checked():
    one = sheet(craft=heron(steady=heron().steady.model_dump() | {"read_by": "craft's sensor"}))
    measure = by_key(surer(forecast(one)))["sensor"]
    # 8 % and 10 % of the sensor make 12.8 %; a checked one leaves 8.2 %.
    assert 0.15 < measure.narrower < 0.36
    checked = corrected(one, None, sensor=CurrentSensor(error=0.02))
    assert "sensor" not in by_key(surer(forecast(checked)))


def test_flights_that_are_known_already_are_one_cause_and_more_of_them_help_less():
    one = first("long_range")
    seen = [Observation(pack="own", duration_s=400.0, used_ah=1.1 + 0.01 * k, left=0.6) for k in range(4)]
    taught = forecast(corrected(one, learn(one, seen).learned_factors("own")))
    found = surer(taught)
    assert "flights" in {cause.key for cause in found.causes}
    assert not {"weigh", "hover_charge", "hover_amps", "sensor"} & set(by_key(found))
    before = by_key(surer(forecast(one)))["three_flights"].narrower
    assert by_key(found).get("three_flights") is None or by_key(found)["three_flights"].narrower < before


def test_the_range_foretold_is_the_one_that_comes():
    """Pilots who measure, a few of two kinds here; `make bench` has all of them."""
    found = {}
    for key, told_narrower, real in narrowings((KINDS["freestyle"], KINDS["plane"]), pilots=2):
        found.setdefault(key, []).append((told_narrower, real))
    assert set(found) >= {"weigh", "hover_charge", "hover_amps", "flight", "three_flights", "rest_volts"}
    for key, pairs in found.items():
        told_mean, real_mean = np.mean(pairs, axis=0)
        assert told_mean == pytest.approx(real_mean, rel=1 / 3, abs=0.05), key


# What a result changes


def test_a_scale_tells_the_crafts_weight_and_nothing_else():
    one = first()
    craft, pack = take("weigh", (0.700,), craft=one.craft, pack=one.pack)
    assert craft.dry_mass_kg == pytest.approx(0.700 - pack_figures(one.pack).mass_kg, rel=1e-4)
    assert craft.assumed == Assumed.model_validate(one.craft.assumed.model_dump() | {"weight": 0.0})
    assert (pack, craft.steady) == (one.pack, one.craft.steady)


def test_where_the_craft_was_weighed_before_the_scale_tells_the_pack():
    one = first(ready_kg=0.65)
    known = one.craft.model_copy(update={"assumed": Assumed(), "dry_mass_kg": 0.430})
    craft, pack = take("weigh", (0.660,), craft=known, pack=one.pack)
    assert craft == known
    assert (pack.mass_kg, pack.mass_known) == (0.23, "measured")
    with pytest.raises(ValueError, match="no cell holds"):
        take("weigh", (0.431,), craft=known, pack=one.pack)


def test_a_scale_that_shows_less_than_the_pack_leaves_the_craft_a_tenth():
    one = first()
    craft, _ = take("weigh", (0.100,), craft=one.craft, pack=one.pack)
    assert craft.dry_mass_kg == pytest.approx(0.010)


def test_a_recharge_after_a_hover_is_a_measured_point():
    one = first()
    craft, _ = take("hover_charge", (0.9, 300.0), craft=one.craft, pack=one.pack)
    ready_kg = one.craft.dry_mass_kg + pack_figures(one.pack).mass_kg
    assert (craft.steady.source, craft.steady.charge_ah, craft.steady.duration_s) == ("charge", 0.9, 300.0)
    assert craft.steady.voltage_v == pytest.approx(6 * 3.7)
    assert craft.steady.all_up_mass_kg == pytest.approx(ready_kg)


def test_amps_are_read_by_the_crafts_own_sensor():
    one = first()
    craft, _ = take("hover_amps", (8.0,), craft=one.craft, pack=one.pack)
    assert (craft.steady.current_a, craft.steady.read_by) == (8.0, "craft's sensor")
    craft, _ = take("full_amps", (90.0,), craft=one.craft, pack=one.pack)
    assert (craft.full_throttle.current_a, craft.full_throttle.where) == (90.0, "flight")
    assert craft.assumed.full_throttle == 0.0
    assert craft.assumed.weight == one.craft.assumed.weight


def test_a_chargers_reading_is_one_for_all_cells_or_one_each():
    one = first()
    _, pack = take("charger_ohm", (0.006,), craft=one.craft, pack=one.pack)
    assert pack.tests.charger.cells_ohm == (0.006,) * 6
    _, pack = take("charger_ohm", (0.006, 0.007, 0.006, 0.006, 0.006, 0.006), craft=one.craft, pack=one.pack)
    assert pack.tests.charger.cells_ohm[1] == 0.007
    with pytest.raises(ValueError, match="2 cells"):
        take("charger_ohm", (0.006, 0.007), craft=one.craft, pack=one.pack)


def test_flights_change_nothing_by_themselves():
    assert set(TAKEN) == {"weigh", "charger_ohm", "hover_charge", "hover_amps", "full_amps"}
    with pytest.raises(KeyError):
        take("flight", (1.0,), craft=first().craft, pack=first().pack)


def test_what_is_edited_is_known_and_the_rest_stays_assumed():
    craft = first().craft
    assert still_assumed(craft.model_copy(update={"name": "Swift"}), before=craft).assumed == craft.assumed
    # A form shows a weight to a thousandth of a gram: that is the same weight.
    assert still_assumed(craft.model_copy(update={"dry_mass_kg": 0.440_000_01}), before=craft).assumed.weight > 0.0
    edited = still_assumed(craft.model_copy(update={"dry_mass_kg": 0.46, "avionics_w": 5.0}), before=craft)
    assert (edited.assumed.weight, edited.assumed.electronics) == (0.0, 0.0)
    assert edited.assumed.size == craft.assumed.size > 0.0
    steady = craft.steady.model_copy(update={"rotor_diameter_m": 0.12})
    assert still_assumed(craft.model_copy(update={"steady": steady}), before=craft).assumed.size == 0.0
