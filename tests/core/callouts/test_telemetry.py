"""A logged flight seen by the transmitter: what is missing is derived as a transmitter or pilot would."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.sheets import sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.dry_run import on_forecast, on_sampled_flight
from zesty_cell.core.callouts.engine import Frames
from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.callouts.telemetry import Telemetry, filled, on_telemetry, see_log, steady_pack_v, thinned
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight.summary import full_throttle_at_landing_a
from zesty_cell.words.say import say


@pytest.fixture(scope="module")
def lighthouse():
    return forecast(sheet())


@pytest.fixture(scope="module")
def plan(lighthouse):
    return write_plan(lighthouse, school="loaded voltage").plan


@pytest.fixture(scope="module")
def pack(lighthouse):
    return lighthouse.setup.sheet.pack


def logged(frames: Frames, *, start_s: float = 0.0, **changed) -> Telemetry:
    """The frames of a run as a log that has everything."""
    whole = Telemetry(
        time_s=frames.time_s + start_s,
        pack_v=frames.pack_v,
        cell_v=frames.cell_v,
        used_ah=frames.used_ah,
        current_a=frames.current_a,
        throttle=frames.throttle,
        armed=frames.armed.astype(float),
    )
    return replace(whole, **changed)


def said(run) -> list[tuple[float, str, str]]:
    return [(round(e.time_s, 2), e.key, e.say) for e in run.ran.events]


def test_a_log_of_the_forecast_is_heard_as_the_forecast(plan, lighthouse, pack):
    expected = on_forecast(plan=plan, result=lighthouse)
    run, notes = on_telemetry(logged(expected.frames, start_s=5000.0), plan=plan, pack=pack)
    assert said(run) == said(expected)
    assert notes == ()
    assert run.false_calls == expected.false_calls == 0
    assert 0.15 < run.left_at_land_now < 0.25


def test_charge_used_is_summed_from_the_current(plan, lighthouse, pack):
    frames = on_forecast(plan=plan, result=lighthouse).frames
    seen = see_log(logged(frames, used_ah=None), plan=plan, pack=pack)
    np.testing.assert_allclose(seen.frames.used_ah[-1], frames.used_ah[-1], rtol=0.01)
    assert "Charge used is summed from the current." in map(say, seen.notes)


def test_without_throttle_or_arming_the_current_tells_when_it_flew(plan, lighthouse, pack):
    flown = on_forecast(plan=plan, result=lighthouse).frames
    still = np.full(200, 0.2)
    current = np.concatenate((still, flown.current_a, still))
    time_s = 0.1 * np.arange(current.size)
    seen = see_log(Telemetry(time_s=time_s, current_a=current), plan=plan, pack=pack)
    armed = np.flatnonzero(seen.frames.armed)
    assert time_s[armed[0]] == pytest.approx(20.0, abs=1.0)
    assert seen.landed_s == pytest.approx(20.0 + flown.time_s[-1], abs=1.0)
    assert any("it is taken from the current" in n for n in map(say, seen.notes))
    assert any("Nothing says when it was armed" in n for n in map(say, seen.notes))


def test_a_calm_flight_without_throttle_is_not_full_throttle(plan, lighthouse, pack):
    """Without a burst the highest current of a log is a turn's: the craft's full throttle tells the share."""
    under = plan.rule("land_now").guards.throttle_under
    assert under is not None
    flown = on_forecast(plan=plan, result=lighthouse).frames
    calm = (flown.current_a > 8.0) & (flown.current_a < 10.5)  # neither bursts nor turns nor glides
    log = Telemetry(
        time_s=0.1 * np.arange(np.count_nonzero(calm)),
        pack_v=flown.pack_v[calm],
        used_ah=flown.used_ah[calm],
        current_a=flown.current_a[calm],
    )
    assert "land_now" not in {e.key for e in on_telemetry(log, plan=plan, pack=pack)[0].ran.events}
    full_a = full_throttle_at_landing_a(lighthouse.setup.sheet)
    assert full_a == pytest.approx(lighthouse.at_landing.full_landing_a)
    run, _ = on_telemetry(log, plan=plan, pack=pack, full_throttle_a=full_a)
    assert "land_now" in {e.key for e in run.ran.events}
    assert run.frames.throttle.max() == pytest.approx((flown.current_a[calm].max() / full_a) ** 0.5)
    # With neither throttle nor current it counts as steady flight: the voltage is heard.
    bare = replace(log, current_a=None)
    run, notes = on_telemetry(bare, plan=plan, pack=pack)
    assert "land_now" in {e.key for e in run.ran.events}
    assert any("steady flight throughout" in n for n in map(say, notes))


def test_a_sheet_that_contradicts_itself_has_no_full_throttle():
    lands_at_once = sheet(landing=LandingRule(charge_kept=0.8), conditions=Conditions(start_charge=0.7))
    assert full_throttle_at_landing_a(lands_at_once) is None


def test_what_a_log_lacks_leaves_its_rules_silent(plan, lighthouse, pack):
    frames = on_forecast(plan=plan, result=lighthouse).frames
    bare = Telemetry(time_s=frames.time_s, throttle=frames.throttle)
    run, notes = on_telemetry(bare, plan=plan, pack=pack)
    assert {e.key for e in run.ran.events} <= {"timer", "silence", "s6"}
    assert any("stay silent" in n for n in map(say, notes))
    assert run.left_at_land_now is None


def test_in_a_gap_the_transmitter_goes_on_and_says_that_nothing_comes(plan, lighthouse, pack):
    expected = on_forecast(plan=plan, result=lighthouse)
    gone = (expected.frames.time_s > 90.05) & (expected.frames.time_s < 101.95)
    run, notes = on_telemetry(logged(expected.frames).at(np.flatnonzero(~gone)), plan=plan, pack=pack)
    assert tuple(map(say, notes)) == ("A gap of 12.0 s at 1:30: nothing was received there.",)
    assert run.false_calls == 0
    lost = [e.time_s for e in run.ran.events if e.key == "silence"]
    # The first frame without anything comes half a second into the gap; the rule holds for 3 s.
    assert lost == [pytest.approx(93.5, abs=0.01)]
    timer = [(e.time_s, e.say) for e in run.ran.events if e.key == "timer"]
    assert timer == [(e.time_s, e.say) for e in expected.ran.events if e.key == "timer"]


def test_the_values_of_a_slow_log_stand_until_its_next_line(plan, lighthouse, pack):
    expected = on_forecast(plan=plan, result=lighthouse)
    slow = logged(expected.frames).at(np.arange(0, len(expected.frames), 20))
    run, notes = on_telemetry(slow, plan=plan, pack=pack)
    assert notes == ()
    assert not [e for e in run.ran.events if e.key == "silence"]
    land = [next(e.time_s for e in r.ran.events if e.key == "land_now") for r in (run, expected)]
    assert land[0] == pytest.approx(land[1], abs=45.0)


def test_a_logger_that_paused_for_an_hour_is_filled_for_two_minutes():
    log = filled(Telemetry(time_s=np.array([0.0, 0.1, 0.2, 3600.0]), pack_v=np.array([24.0, 24.0, 24.0, 20.0])))
    assert len(log) == 4 + 239
    assert (np.diff(log.time_s) > 0).all()
    assert np.isnan(log.pack_v[3:-1]).all()


def test_a_fast_log_is_thinned_to_what_a_transmitter_hears():
    log = Telemetry(time_s=100.0 + np.arange(10_000) / 1000.0, pack_v=np.arange(10_000.0))
    few = thinned(log)
    assert len(few) == 500
    assert np.diff(few.time_s) == pytest.approx(0.02, abs=1e-6)
    assert few.pack_v[0] == 0.0


@pytest.mark.parametrize(
    ("factor", "words"), [(8 / 6, "more than 6 full cells"), (4 / 6, "too little for 6 cells")]
)
def test_the_voltage_of_another_pack_is_doubted(plan, lighthouse, pack, factor, words):
    frames = on_forecast(plan=plan, result=lighthouse).frames
    seen = see_log(logged(frames, pack_v=frames.pack_v * factor), plan=plan, pack=pack)
    assert any(words in n for n in map(say, seen.notes))


def test_a_dip_that_recovers_is_a_false_call_and_the_end_is_not(pack):
    # 23 V falling to 19 V in 600 s, with two seconds of 18.5 V in the second minute.
    time_s = 0.1 * np.arange(6000)
    volts = 23.0 - 4.0 * time_s / 600.0
    volts[1000:1020] = 18.5
    rule = Rule(
        key="land_now", name="Land", role="land_now", conditions=(Condition(value=19.5),), hold_s=1.0, say="land"
    )
    plan = CalloutPlan(name="One rule", series=pack.series, rules=(rule,))
    run, _ = on_telemetry(Telemetry(time_s=time_s, pack_v=volts), plan=plan, pack=pack)
    first, second = (e.time_s for e in run.ran.events)
    assert first == pytest.approx(101.0, abs=0.11)
    assert second == pytest.approx(600.0 * 3.5 / 4.0 + 1.0, abs=0.3)
    assert run.false_calls == 1
    assert run.warning_s == pytest.approx(599.9 - second, abs=0.01)


def test_the_steady_voltage_has_no_bursts(pack):
    time_s = 0.1 * np.arange(3000)
    volts = np.where(time_s % 20.0 < 5.0, 20.0, 22.0)
    plan = CalloutPlan(name="None", series=pack.series)
    steady = steady_pack_v(see_log(Telemetry(time_s=time_s, pack_v=volts), plan=plan, pack=pack))
    np.testing.assert_allclose(steady, 22.0)


def test_a_sampled_flight_lands_where_the_range_says(plan, lighthouse):
    ordered = np.sort(lighthouse.range.landing_s)
    for place in (0, 99, 199):
        run = on_sampled_flight(plan=plan, result=lighthouse, place=place)
        assert run.landing_s == pytest.approx(ordered[place], abs=0.5)
    with pytest.raises(OutOfRangeError, match="200 sampled flights"):
        on_sampled_flight(plan=plan, result=lighthouse, place=200)
