"""The forecast: range, callouts, checks; each check by a sheet that triggers it."""

from __future__ import annotations

import math
from types import SimpleNamespace

import numpy as np
import pytest

from tests.sheets import checked, heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.calls import Trial
from zesty_cell.core.answer.checks import COLD_PACK_C
from zesty_cell.core.answer.current_checks import _worst_tier, rolling_rms
from zesty_cell.core.answer.forecast import (
    GUARD_SHARE,
    SAMPLES,
    UNTOLD_GUARD_SHARE,
    _gusts,
    forecast,
    resistance_by_cold_sigma,
    sampled_factors,
)
from zesty_cell.core.answer.lead import _best_hold
from zesty_cell.core.answer.thresholds import HOLDS_S, longest_burst_s, thresholds, voltage_step_v
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, CurrentSensor, corrected
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight import kernel
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.learn.correction import learn
from zesty_cell.core.learn.observation import PackTold
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.craft import RotorGeometry
from zesty_cell.words.say import say


@pytest.fixture(scope="module")
def lighthouse():
    return forecast(sheet())


def _check(result, key):
    return next((c for c in result.checks if c.key == key), None)


def test_the_same_sheet_gives_the_same_forecast(lighthouse):
    again = forecast(sheet())
    assert np.array_equal(again.range.landing_s, lighthouse.range.landing_s)
    assert again.callouts == lighthouse.callouts
    assert again.checks == lighthouse.checks


@pytest.mark.parametrize("pattern", PATTERNS)
def test_no_pattern_divides_by_zero_or_overflows(pattern):
    with np.errstate(all="raise"):
        result = forecast(sheet(pattern=pattern, conditions=Conditions(air_c=-30.0)))
    assert np.all(np.isfinite(result.flight.loaded_v))
    assert np.all(np.isfinite(result.range.landing_s))


@pytest.mark.parametrize("chemistry", CHEMISTRIES)
def test_every_chemistry_flies_every_kind_of_plan(chemistry):
    pack = pomelo(chemistry=chemistry, cell_resistance_ohm=None, series=12 if chemistry == "nimh" else 6)
    result = forecast(sheet(pack=pack, pattern="gentle_hover"))
    assert result.at_landing.flies
    assert result.range.low_s <= result.flight.landing_s <= result.range.high_s
    floor = result.setup.chemistry.loaded_floor_v
    assert result.callouts.pack_low.threshold.cell_v > result.callouts.land_now.threshold.cell_v >= floor - 1e-9


def test_the_range_surrounds_the_answer_and_covers_nine_in_ten(lighthouse):
    spread = lighthouse.range
    assert spread.low_s < lighthouse.flight.landing_s < spread.high_s
    inside = np.count_nonzero((spread.landing_s >= spread.low_s) & (spread.landing_s <= spread.high_s))
    assert inside == pytest.approx(0.9 * SAMPLES, abs=2)


def test_measuring_narrows_the_range_and_estimating_widens_it(lighthouse):
    guess = heron(steady=RotorGeometry(rotor_count=4, rotor_diameter_m=0.178).model_dump())
    guessed = forecast(sheet(craft=guess, pack=pomelo(cell_resistance_ohm=None)))

    def width(result):
        return (result.range.high_s - result.range.low_s) / result.flight.landing_s

    assert width(guessed) > 2.0 * width(lighthouse)


def test_the_samples_have_the_widths_stated():
    factors = sampled_factors(set_up(sheet()))
    assert np.log(factors.power).std() == pytest.approx(0.08, rel=0.02)
    # 8 % as measured, and 600 K of the Arrhenius constant: at 12 °C 600·(1/285.15 − 1/298.15) are 9.2 %.
    assert np.log(factors.resistance).std() == pytest.approx(math.hypot(0.08, 0.0917), rel=0.02)
    warm = sampled_factors(set_up(sheet(conditions=Conditions(air_c=25.0))))
    assert np.log(warm.resistance).std() == pytest.approx(0.08, rel=0.02)
    # A resistance that logs told at 2 °C is known better there than at 25 °C.
    told = learn(
        sheet(), [], told=[PackTold("own", resistance=0.3, resistance_sigma=0.05, at_c=2.0)]
    ).learned_factors("own")
    here = set_up(corrected(sheet(conditions=Conditions(air_c=2.0)), told))
    assert resistance_by_cold_sigma(here) == pytest.approx(0.0, abs=1e-9)
    assert resistance_by_cold_sigma(set_up(corrected(sheet(), told))) == pytest.approx(
        600.0 * (1 / 275.15 - 1 / 285.15), rel=1e-6
    )
    hot = set_up(corrected(sheet(conditions=Conditions(air_c=40.0)), told))
    assert resistance_by_cold_sigma(hot) == pytest.approx(600.0 * (1 / 275.15 - 1 / 298.15), rel=1e-6)
    assert np.log(factors.capacity).mean() == pytest.approx(0.0, abs=1e-3)


def test_figures_agree_with_each_other(lighthouse):
    f = lighthouse
    assert f.mean_a == pytest.approx(f.at_landing.used_ah * 3600 / f.flight.landing_s)
    assert f.mah_per_minute == pytest.approx(f.at_landing.used_ah * 1000 / (f.flight.landing_s / 60))
    # 14 m/s is 0.84 km a minute.
    assert f.mah_per_km == pytest.approx(f.mah_per_minute / 0.84)
    assert f.at_landing.used_ah + f.reserve_ah == pytest.approx(f.setup.figures.capacity_ah, rel=1e-9)
    assert f.reserve_ah == pytest.approx(0.2 * f.setup.figures.capacity_ah, rel=1e-6)
    lowest_v = f.flight.loaded_v[: f.flight.index_at(f.flight.landing_s) + 1].min()
    assert f.at_landing.worst_v == pytest.approx(
        lowest_v, abs=2e-3
    )  # the trace has a sample each tenth of a second
    assert f.at_landing.worst_v <= lowest_v
    # Steady power at the mean cruise voltage: 0.95 · (8.9 A · 21.3 V − 7 W) + 7 W, in the air it was measured in.
    watts = 0.95 * (8.9 * 21.3 - 7.0) + 7.0
    assert f.cruise_a == pytest.approx(watts / (6 * 3.6), rel=0.06)


def test_the_timer_keeps_to_the_early_end_of_the_range(lighthouse):
    timers = lighthouse.callouts.timers
    early_s = lighthouse.range.early_s(GUARD_SHARE)
    assert early_s <= lighthouse.range.low_s
    assert early_s - 10.0 < timers.down_s <= early_s
    assert timers.timer_s == timers.down_s - 90.0
    assert timers.timer_s % 10 == 0
    assert timers.start_home_s == pytest.approx(lighthouse.flight.landing_s - 90.0)


def test_a_loaded_landing_keeps_further_away_until_a_log_has_told_the_resistance():
    by_volts = sheet(landing=LandingRule(charge_kept=None, loaded_v=2.9, loaded_hold_s=5.0))
    told = learn(by_volts, [], told=[PackTold("own", resistance=0.0, resistance_sigma=0.2)]).learned_factors("own")
    by_charger = learn(by_volts, [], told=[]).learned_factors  # nothing was learned
    with pytest.raises(ValueError, match="without flights"):
        by_charger("own")
    untold, told = forecast(by_volts), forecast(corrected(by_volts, told))
    assert untold.flight.landing_reason == told.flight.landing_reason == "loaded voltage"
    for result, share in ((untold, UNTOLD_GUARD_SHARE), (told, GUARD_SHARE)):
        early_s = result.range.early_s(share)
        assert early_s - 10.0 < result.callouts.timers.down_s <= early_s
    assert untold.range.early_s(UNTOLD_GUARD_SHARE) < untold.range.early_s(GUARD_SHARE) - 10.0


def test_thresholds_are_the_cruise_voltage_of_their_moment_on_the_transmitters_step(lighthouse):
    flight = lighthouse.flight
    for callout in (lighthouse.callouts.pack_low, lighthouse.callouts.land_now):
        threshold = callout.threshold
        at = flight.cruise_v[flight.index_at(threshold.wanted_s)] * 6
        own = callout.means == "hold"  # else it may lie up to 0.09 V a cell beside it
        assert abs(threshold.pack_v - at) <= (0.1 if own else 0.1 + 6 * 0.09)
        assert threshold.pack_v * 10 == pytest.approx(round(threshold.pack_v * 10))
        assert threshold.cell_v == pytest.approx(threshold.pack_v / 6)
    assert lighthouse.callouts.pack_low.threshold.pack_v > lighthouse.callouts.land_now.threshold.pack_v


def test_the_hold_outlasts_every_climb_and_no_flight_hears_a_false_call(lighthouse):
    call, cell_v = lighthouse.callouts.land_now, lighthouse.callouts.land_now.threshold.cell_v
    # Climbs are flown longer than any hold lasts: those with the throttle open do not count.
    assert not call.plain.passes
    assert (call.stands, call.means) == ("calls", "throttle")
    assert call.hold_s in HOLDS_S
    flight, under = lighthouse.flight, call.throttle_under
    assert call.hold_s >= longest_burst_s(flight=flight, cell_v=cell_v, throttle_under=under) + 0.4
    assert longest_burst_s(flight=flight, cell_v=cell_v) > 3.0
    assert call.trial.passes
    assert (call.trial.late_flights, call.trial.flights) == (0, SAMPLES)
    low, middle, high = call.trial.spoken_s
    assert low < middle < high
    assert middle == pytest.approx(call.threshold.wanted_s, rel=0.06)


def test_a_pack_that_was_not_weighed_widens_the_range():
    weighed, guessed = (forecast(sheet(pack=pomelo(mass_known=k))) for k in ("measured", "estimated"))
    spread = [f.range.high_s - f.range.low_s for f in (weighed, guessed)]
    assert spread[1] > 1.05 * spread[0]
    assert guessed.flight.landing_s == weighed.flight.landing_s


@pytest.mark.parametrize(
    ("false_flights", "hold"),
    [
        ((9, 9, 3, 1, 1, 1), 4),  # the best that has room, and half a second more, as good
        ((9, 9, 3, 1, 0, 2), 4),
        ((9, 9, 9, 9, 9, 1), None),  # passes alone, at the longest
        ((9, 9, 9, 2, 9, 9), None),
        ((1, 9, 9, 9, 9, 9), 0),  # nothing shorter than the shortest
        ((9, 4, 4, 4, 9, 9), 3),
        ((9, 5, 5, 5, 9, 9), None),
    ],
)
def test_a_hold_is_taken_that_has_room_before_it(false_flights, hold):
    trials = [Trial(false, 0, 200, ()) for false in false_flights]
    assert _best_hold(trials) == hold


def test_a_one_cell_threshold_is_set_in_hundredths():
    assert voltage_step_v(series=1) == 0.01
    assert voltage_step_v(series=2) == 0.1


def test_thresholds_never_go_below_the_chemistrys_loaded_floor():
    cold = forecast(sheet(pack=satsuma(cell_resistance_ohm=0.035), conditions=Conditions(air_c=-15.0)))
    assert cold.callouts.land_now.threshold.pack_v >= 6 * 3.3 - 1e-9
    assert cold.callouts.land_now.threshold.floored


def test_where_nothing_helps_the_voltage_is_the_quiet_last_guard():
    result = forecast(sheet(pack=satsuma(), pattern="jet"))
    callouts = result.callouts
    assert callouts.land_now.plain.false_flights > 0.6 * SAMPLES
    assert (callouts.land_now.stands, callouts.pack_low.stands, callouts.leads) == ("guard", "off", "timer")
    assert callouts.land_now.trial.false_flights <= 0.02 * SAMPLES
    check = _check(result, "voltage_callouts")
    assert check.status == "look"
    assert "would call falsely" in say(check.title)
    assert "The timer leads here" in say(check.mend)
    assert "last guard" in say(check.mend)


def test_charge_used_helps_or_leads_where_its_sensor_was_checked():
    pack = satsuma(capacity_known="measured")  # a charge calls no better than the capacity is known
    unknown, known = (forecast(s) for s in (sheet(pack=pack, pattern="jet"),
                                            checked(sheet(pack=pack, pattern="jet"))))  # fmt: skip
    assert not unknown.callouts.charge_counts
    assert known.callouts.charge_counts
    # With volts and charge together even a jet's voltage may call; alone, the charge leads.
    call = known.callouts.land_now
    assert (known.callouts.leads, call.means, call.stands) == ("voltage", "charge too", "calls")
    assert 0.8 * known.flight.used_ah[known.flight.index_at(known.flight.landing_s)] < call.used_over_ah
    alone = forecast(checked(sheet(craft=heron(shows=("charge",)), pack=pack, pattern="jet")))
    assert alone.callouts.leads == "charge used"
    assert "Charge used leads here" in say(_check(alone, "voltage_callouts").mend)


def test_charge_is_what_the_sensor_will_show():
    true = forecast(checked(sheet())).callouts.charge
    low = forecast(corrected(sheet(), None, sensor=CurrentSensor(out=-0.1, error=0.03))).callouts.charge
    assert low.land_ah == pytest.approx(0.9 * true.land_ah, abs=0.051)
    assert low.true_ah == pytest.approx(true.land_ah, rel=0.03)


def test_an_unknown_sensor_does_not_lead():
    charge = forecast(sheet()).callouts.charge
    assert charge.trial.false_flights > 0.02 * SAMPLES
    assert not charge.trial.passes


@pytest.mark.parametrize(
    ("shows", "leads", "sensors"),
    [
        (None, "voltage", {"pack_v", "used_ah"}),
        (("volts", "charge"), "voltage", {"pack_v", "used_ah"}),
        (("cells",), "voltage", {"cell_v"}),
        (("charge",), "charge used", {"used_ah"}),
        ((), "timer", set()),
    ],
)
def test_what_the_transmitter_shows_decides_what_leads(shows, leads, sensors):
    result = forecast(checked(sheet(craft=heron(shows=shows))))
    assert result.callouts.leads == leads
    plan = write_plan(result, school="loaded voltage").plan
    assert {c.sensor for r in plan.rules for c in r.conditions if c.sensor != "telemetry"} == sensors
    assert bool(plan.rule("silence")) == (shows != ())


def test_counting_only_under_a_share_of_throttle_mends_what_a_hold_does_not():
    result = forecast(sheet())
    call = result.callouts.land_now
    assert not call.plain.passes
    assert call.stands == "calls"
    assert call.throttle_under == 0.55
    rule = write_plan(result, school="loaded voltage").plan.rule("land_now")
    assert rule.guards.throttle_under == call.throttle_under


@pytest.mark.parametrize(
    ("key", "status", "parts"),
    [
        ("charge_left", "stop", {"landing": LandingRule(charge_kept=None, timer_s=9000)}),
        ("charge_left", "look", {"landing": LandingRule(charge_kept=0.12)}),
        ("power", "stop", {"craft": heron(dry_mass_kg=6.0)}),
        ("hard_floor", "stop", {"conditions": Conditions(air_c=-15.0), "pattern": "race"}),
        (
            "pack_rating",
            "look",
            {
                "pattern": "race",
                "pack": pomelo(ratings={"continuous_a": 30.0, "one_minute_a": 45.0, "ten_second_a": 60.0}),
            },
        ),
        (
            "pack_rating",
            "stop",
            {"pack": pomelo(ratings={"continuous_a": 8.0, "one_minute_a": 9.0, "ten_second_a": 20.0})},
        ),
        ("honest_current", "stop", {"pattern": "race"}),
        ("motor_limit", "look", {"craft": heron(limits={"motor_a": 55.0})}),
        ("esc_limit", "stop", {"craft": heron(limits={"esc_a": 40.0})}),
        ("esc_cutoff", "stop", {"craft": heron(limits={"esc_cutoff_v_per_cell": 3.5})}),
        ("esc_cutoff", "ok", {"craft": heron(limits={"esc_cutoff_v_per_cell": 2.5})}),
        ("maximum_voltage", "stop", {"craft": heron(limits={"maximum_v": 17.0})}),
        ("connector", "look", {"pack": pomelo(connector="micro_1s_low")}),
        ("heat", "stop", {"pattern": "race", "conditions": Conditions(air_c=40.0)}),
        ("cold", "look", {"conditions": Conditions(air_c=2.0)}),
        ("thrust_fade", "look", {}),
        ("bursts", "look", {}),
        (
            "weight_class",
            "look",
            {"craft": heron(limits={"weight_class_name": "under 1 kg", "weight_class_kg": 1.0})},
        ),
        (
            "weight_class",
            "ok",
            {"craft": heron(limits={"weight_class_name": "under 2 kg", "weight_class_kg": 2.0})},
        ),
    ],
)
def test_each_check_is_triggered_by_its_own_sheet(key, status, parts):
    check = _check(forecast(sheet(**parts)), key)
    assert check is not None
    assert check.status == status
    assert check.value is not None
    assert check.limit is not None
    if status != "ok":
        assert check.mend


def test_only_what_hangs_from_its_rotors_and_cannot_begin_is_said_not_to_be_lifted():
    wing = {"source": "measured", "current_a": 8.9, "voltage_v": 21.3, "all_up_mass_kg": 1.063}
    weak = {"source": "measured", "current_a": 9.0, "voltage_v": 21.0, "where": "flight"}
    on_wings = forecast(sheet(craft=heron(kind="wing", steady=wing, full_throttle=weak)))
    check = _check(on_wings, "power")
    assert check.status == "stop"
    assert check.title.key == "check.power.not_enough"
    for dry_mass_kg, flies, title in ((2.7, True, "not_enough"), (4.0, False, "no_lift")):
        result = forecast(sheet(craft=heron(dry_mass_kg=dry_mass_kg)))
        assert result.at_landing.flies is flies
        assert _check(result, "power").title.key == f"check.power.{title}"


def test_a_pack_just_as_warm_as_is_asked_is_not_cold():
    assert _check(forecast(sheet(conditions=Conditions(air_c=COLD_PACK_C))), "cold") is None
    assert _check(forecast(sheet(conditions=Conditions(air_c=COLD_PACK_C - 0.1))), "cold") is not None


@pytest.mark.parametrize(
    "parts", [{"craft": heron(dry_mass_kg=12.0)}, {"pack": pomelo(mass_kg=14.0)}], ids=["craft", "pack"]
)
def test_what_is_too_heavy_to_fly_is_said_not_to_fly(parts):
    result = forecast(sheet(**parts))
    assert not result.at_landing.flies
    assert say(_check(result, "power").title) == "The pack cannot lift this craft"


def test_a_cutoff_in_steady_flight_ends_the_flight_and_number_moment_and_verdict_are_of_it():
    result = forecast(sheet(craft=heron(limits={"esc_cutoff_v_per_cell": 3.5})))
    check = _check(result, "esc_cutoff")
    assert result.flight.landing_reason == "ESC cutoff"
    assert check.status == "stop"
    assert check.at_s == result.flight.landing_s == result.flight.cutoff_s
    assert check.value == pytest.approx(float(result.flight.loaded_v[result.flight.index_at(check.at_s)]))
    assert check.value <= 3.5
    assert check.land_at_v == 3.6
    assert result.range.high_s < 0.85 * forecast(sheet()).range.high_s
    assert result.callouts.timers.down_s < result.flight.landing_s
    assert result.callouts.land_now.threshold.cell_v >= 3.6 - 1e-9
    mended = forecast(sheet(craft=heron(limits={"esc_cutoff_v_per_cell": 3.5}),
                            landing=LandingRule(home_s=90.0, loaded_v=3.6)))  # fmt: skip
    assert mended.flight.landing_reason == "loaded voltage"
    assert mended.flight.landing_s < result.flight.landing_s


def test_a_cutoff_in_bursts_is_a_stop_with_its_moment():
    result = forecast(sheet(craft=heron(limits={"esc_cutoff_v_per_cell": 3.0})))
    check = _check(result, "esc_cutoff")
    assert (check.status, result.flight.landing_reason) == ("stop", "charge used")
    first_s = 0.1 * int(np.argmax(result.flight.loaded_v < 3.0))
    assert f"From {int(first_s // 60)}:{round(first_s % 60):02d} on." in say(check.mend)
    assert (
        check.value
        == result.flight.loaded_v[result.flight.index_at(check.at_s)]
        == pytest.approx(result.at_landing.worst_v, abs=2e-3)
    )


@pytest.mark.parametrize(
    ("rule", "field"),
    [
        (LandingRule(charge_kept=None, loaded_v=4.3), "landing.loaded_v"),
        (LandingRule(charge_kept=None, rest_v=4.3), "landing.rest_v"),
    ],
)
def test_a_rule_that_lands_at_once_is_refused_at_its_field(rule, field):
    with pytest.raises(OutOfRangeError) as caught:
        forecast(sheet(landing=rule))
    assert caught.value.field == field
    assert caught.value.value == 4.3


def test_what_flies_is_said_to_fly(lighthouse):
    assert lighthouse.at_landing.flies


def test_a_kept_warm_pack_is_not_cold():
    assert _check(forecast(sheet(conditions=Conditions(air_c=2.0, pack_c=25.0))), "cold") is None


def test_the_lighthouse_run_is_believable(lighthouse):
    """Worked by hand: 80 % of 4.2 Ah · 0.96 (label) are 3.23 Ah; a minute takes about 42 s of 8.4 A, 12 s of
    10.8 A, 6 s of 2.6 A and 3.5 s of 52 A in the climb, together 0.184 Ah: 17 and a half minutes.
    """
    assert 17 * 60 < lighthouse.flight.landing_s < 18.5 * 60
    assert 30 < lighthouse.at_landing.landing_c < 45
    assert _check(lighthouse, "power").status == "ok"


def test_altitude_and_heat_shorten_a_hover():
    low = forecast(sheet(pattern="gentle_hover"))
    high = forecast(sheet(pattern="gentle_hover", conditions=Conditions(air_c=12.0, altitude_m=2500.0)))
    assert high.flight.landing_s < 0.95 * low.flight.landing_s


def test_the_longest_burst_under_a_threshold_by_hand():
    """Two seconds at 60 A and one at 10 A under 3.4 V; full throttle is 100 A, half a throttle a quarter of it."""
    loaded_v, current_a = np.full(600, 3.8), np.full(600, 10.0)
    loaded_v[100:120], current_a[100:120] = 3.3, 60.0
    loaded_v[200:210] = 3.35
    flight = SimpleNamespace(
        loaded_v=loaded_v, current_a=current_a, full_throttle_a=np.full(600, 100.0),
        used_ah=np.linspace(0.0, 3.0, 600), low_from=lambda cell_v: 600,
    )  # fmt: skip
    assert longest_burst_s(flight=flight, cell_v=3.4) == pytest.approx(2.0)
    assert longest_burst_s(flight=flight, cell_v=3.4, throttle_under=0.5) == pytest.approx(1.0)
    assert longest_burst_s(flight=flight, cell_v=3.4, throttle_under=0.8) == pytest.approx(2.0)
    assert longest_burst_s(flight=flight, cell_v=3.4, used_over_ah=0.7) == pytest.approx(1.0)
    assert longest_burst_s(flight=flight, cell_v=3.2) == 0.0


def test_a_way_home_longer_than_the_flight_starts_half_way():
    far = forecast(sheet(landing=LandingRule(charge_kept=0.2, home_s=600.0), pattern="freestyle", pack=satsuma()))
    assert far.flight.landing_s < 1200.0
    assert far.callouts.timers.start_home_s == pytest.approx(0.5 * far.flight.landing_s)


def test_pack_low_lies_a_step_over_land_now_where_the_voltage_is_flat():
    """One cell is set in hundredths, six in tenths."""
    for series, land_v, low_v in ((1, 3.41, 3.42), (6, 20.5, 20.6)):
        flat = SimpleNamespace(cruise_v=np.full(600, 3.41), landing_s=60.0, index_at=lambda _: 0)
        found = thresholds(setup=set_up(sheet(pack=pomelo(series=series, mass_kg=0.5))), flight=flat)
        assert found["land_now"].pack_v == pytest.approx(land_v)
        assert found["pack_low"].pack_v == pytest.approx(low_v)


def test_a_rating_is_held_against_the_hardest_window_of_its_length():
    amps = np.full(3000, 10.0)  # five minutes
    amps[600:700] = 40.0  # ten seconds from the first minute on
    assert rolling_rms(amps, 10.0).size == 3000 - 100 + 1
    assert rolling_rms(amps, 10.0)[600] == pytest.approx(40.0)
    assert int(np.argmax(rolling_rms(amps, 10.0))) == 600
    # A minute with ten such seconds: √((10·40² + 50·10²)/60).
    assert rolling_rms(amps, 60.0).max() == pytest.approx(math.sqrt((10 * 1600 + 50 * 100) / 60))
    assert rolling_rms(amps, 0.0) == pytest.approx(amps)
    assert rolling_rms(amps[:50], 60.0) == pytest.approx([10.0])
    assert _worst_tier(amps, (30.0, 35.0, 60.0)) == (1, pytest.approx(40.0), pytest.approx(60.0))
    assert _worst_tier(np.full(3000, 10.0), (10.0, 10.0, 10.0))[0] == 0  # of equals the one that lasts
    # Half a minute at 40 A of each minute: √(½·40² + ½·10²), by a window of just a minute.
    turns = np.tile(np.repeat([40.0, 10.0], 300), 5)
    tier, worst_a, _ = _worst_tier(turns, (29.0, 60.0, 80.0))
    assert (tier, worst_a) == (0, pytest.approx(math.sqrt(850.0), rel=1e-6))


@pytest.mark.parametrize(("series", "most_v"), [(3, 12.6), (6, 25.2), (12, 50.4)])
def test_a_full_pack_of_just_the_highest_voltage_suits(series, most_v):
    """Six times 4.2 is not 25.2 in binary fractions; parts for 25.2 V take six cells all the same."""
    pack = satsuma(series=series, mass_kg=None)
    for volts, status in ((most_v, "ok"), (most_v - 0.01, "stop")):
        one = sheet(craft=heron(limits={"maximum_v": volts}), pack=pack)
        [check] = [c for c in forecast(one).checks if c.key == "maximum_voltage"]
        assert check.status == status


@pytest.mark.parametrize(
    ("room", "status"),
    [
        # A pack of 70 × 38 × 34 mm, in a bay however it is turned.
        ({"bay_length_m": 0.034, "bay_width_m": 0.070, "bay_height_m": 0.038}, "ok"),
        ({"bay_length_m": 0.070, "bay_width_m": 0.038, "bay_height_m": 0.0339}, "look"),
        ({"bay_length_m": 0.0699, "bay_width_m": 0.06, "bay_height_m": 0.06}, "look"),
        ({"bay_height_m": 0.034}, "ok"),
        ({"bay_height_m": 0.033}, "look"),
        ({}, None),
    ],
)
def test_a_pack_is_held_against_the_room_for_it(room, status):
    flat = {"form": "pouch", "length_m": 0.070, "width_m": 0.034, "thickness_m": 0.038 / 6}
    pack = satsuma(cell_size=flat, lead_length_m=0.0)
    result = forecast(sheet(craft=heron(limits=room), pack=pack))
    size = result.setup.figures.size
    assert sorted((size.length_m, size.width_m, size.height_m)) == pytest.approx([0.034, 0.038, 0.070], abs=2e-4)
    found = [c.status for c in result.checks if c.key == "room"]
    assert found == ([] if status is None else [status])


def test_gusts_hang_together_over_half_a_minute_at_each_distance():
    """A first-order process: e^(−Δ/30 s) between values 2.5, 5 and 10 s apart, as wide everywhere, its mean 1."""
    gusts = _gusts()
    assert gusts.shape == (SAMPLES, 512 * kernel.GUST_PARTS)
    assert float(gusts.mean()) == pytest.approx(1.0, abs=0.002)
    normal = (np.log(gusts) + 0.5 * 0.10**2) / 0.10
    for part in range(kernel.GUST_PARTS):
        assert float(normal[:, part :: kernel.GUST_PARTS].std()) == pytest.approx(1.0, abs=0.01)
        for apart in (1, 2, 4):
            first, later = normal[:, part : -8 : kernel.GUST_PARTS], normal[:, part + apart :: kernel.GUST_PARTS]
            both = np.corrcoef(first.ravel(), later[:, : first.shape[1]].ravel())[0, 1]
            assert both == pytest.approx(math.exp(-apart * 2.5 / 30.0), abs=0.01)
