"""What may be typed: the impossible is refused, the improbable asked back, what flies goes through."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.plausibility import (
    cell_volts_doubt,
    craft_doubts,
    landing_doubts,
    landing_volts_doubt,
    pack_doubts,
    pack_volts_doubt,
)
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.plausibility import flight_doubts, scale_doubt, voltage_points_doubts
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.craft import Limits, MeasuredCharge, MeasuredFullThrottle, MeasuredPoint, RotorGeometry
from zesty_cell.demo import club
from zesty_cell.words.say import say

NOON = datetime(2026, 6, 1, 12, 0, tzinfo=UTC)


def point(amps=8.9, volts=21.3, kg=1.063):
    return MeasuredPoint(current_a=amps, voltage_v=volts, all_up_mass_kg=kg).model_dump()


def charge(ah):
    return MeasuredCharge(charge_ah=ah, duration_s=600, voltage_v=21, all_up_mass_kg=1.06).model_dump()


def full(amps=72.0, volts=21.0):
    return MeasuredFullThrottle(current_a=amps, voltage_v=volts).model_dump()


def rotor(count, metres):
    return RotorGeometry(rotor_count=count, rotor_diameter_m=metres).model_dump()


@pytest.mark.parametrize(
    ("changes", "key", "impossible", "field"),
    [
        ({"steady": point(kg=0.6)}, "weight_under_dry", True, "steady.measured.all_up_mass_kg"),
        ({"full_throttle": full(amps=72, volts=14.2)}, "other_cells", False, "full_throttle.measured.voltage_v"),
        ({"steady": rotor(4, 1.78)}, "rotor_size", False, "steady.rotor.rotor_diameter_m"),
        ({"steady": rotor(4, 0.05)}, "rotor_size", False, "steady.rotor.rotor_diameter_m"),
        ({"full_throttle": full(amps=8.0)}, "full_under_steady", True, "full_throttle.measured.current_a"),
        (
            {"full_throttle": full(amps=15.0), "limits": Limits(motor_count=4).model_dump()},
            "full_too_low", False, "full_throttle.measured.current_a",
        ),
        ({"steady": point(amps=890.0)}, "steady_power", False, "steady.measured.current_a"),
        ({"steady": point(amps=0.0089 * 10)}, "steady_power", False, "steady.measured.current_a"),
        (
            {"steady": charge(150.0)},
            "steady_power", False, "steady.charge.charge_ah",
        ),
        ({"limits": Limits(maximum_v=17.0).model_dump()}, "over_maximum", True, "limits.maximum_v"),
        ({"full_throttle": full(amps=720.0)}, "full_too_high", False, "full_throttle.measured.current_a"),
    ],
)  # fmt: skip
def test_a_crafts_figures_are_judged_by_each_other(changes, key, impossible, field):
    found = {d.key: d for d in craft_doubts(heron(**changes))}
    assert key in found
    assert (found[key].impossible, found[key].field) == (impossible, field)
    assert say(found[key].why).rstrip().endswith((".", "?"))


def test_five_centimetres_are_asked_back_as_inches_and_one_motors_amps_as_all():
    [inches] = craft_doubts(heron(steady=rotor(4, 0.05)))
    assert "5 inches, 13 cm?" in say(inches.why)
    four = heron(full_throttle=full(amps=15.0), limits=Limits(motor_count=4).model_dump())
    assert "all 4 take 60 A" in say(craft_doubts(four)[0].why)


def test_a_doubt_says_its_figures():
    """Hand-worked: 15 A at 21 V are 1.66 times 8.9 A at 21.3 V, which pull 1.66^(2/3) = 1.40 times the weight."""
    for count in (1, 4):
        one = heron(full_throttle=full(amps=15.0), limits=Limits(motor_count=count).model_dump())
        [doubt] = [d for d in craft_doubts(one) if d.key == "full_too_low"]
        assert doubt.why.figures["thrust"] == pytest.approx(1.402, abs=1e-3)
    told = cell_volts_doubt(0.6, pack=satsuma(), field="pack_v")
    assert told.why.figures["volts"] == pytest.approx(3.6)


def test_a_label_near_what_was_measured_raises_no_doubt():
    for share in (0.85, 1.0, 1.1):
        near = satsuma(tests={"capacity": {"charge_ah": 1.3 * share}})
        assert "label_over_measured" not in {d.key for d in pack_doubts(near)}


@pytest.mark.parametrize(
    ("changes", "key", "impossible"),
    [
        ({"cell_resistance_ohm": 0.00001}, "resistance", True),
        ({"cell_resistance_ohm": 0.9}, "resistance", True),
        ({"cell_resistance_ohm": 0.0008}, "resistance", False),
        ({"mass_kg": 0.085}, "energy_density", False),
        ({"mass_kg": 4.2}, "energy_density", True),
        ({"label_c": 280.0}, "label_c", False),
        ({"ratings": {"continuous_a": 400, "one_minute_a": 500, "ten_second_a": 600}}, "rating", False),
        ({"tests": {"capacity": {"charge_ah": 0.6}}}, "label_over_measured", False),
    ],
)
def test_a_packs_figures_are_judged_by_each_other(changes, key, impossible):
    found = {d.key: d for d in pack_doubts(satsuma(**changes))}
    assert found[key].impossible is impossible


def test_the_club_raises_no_doubt():
    for craft in club.CRAFT_LIST:
        assert craft_doubts(craft) == (), craft.name
    for pack in club.PACK_LIST:
        assert pack_doubts(pack) == (), pack.name
    assert craft_doubts(heron()) == pack_doubts(pomelo()) == pack_doubts(satsuma()) == ()


def flown(**changes):
    given = {"landed_at": NOON, "duration_s": 900.0, "pattern": "cruise", "put_back_ah": 2.5}
    return LoggedFlight.model_validate(given | changes)


@pytest.mark.parametrize(
    ("changes", "key"),
    [
        ({"duration_s": 9.0, "put_back_ah": None}, "short"),
        ({"duration_s": 3600.0}, "long"),
        ({"duration_s": 16.0, "put_back_ah": 2.5}, "amps_put_back_ah"),
        ({"put_back_ah": 0.25}, "amps_put_back_ah"),
        ({"shown_ah": 25.0}, "amps_shown_ah"),
        ({"rest_v_per_cell": 2.6, "put_back_ah": None}, "almost_empty"),
        ({"rest_v_per_cell": 4.1}, "apart"),
        ({"landed_at": datetime(2011, 12, 31, 23, 59, 59, tzinfo=UTC)}, "clock"),
    ],
)
def test_a_flight_is_asked_back(changes, key):
    found = flight_doubts(flown(**changes), pack=pomelo(), forecast_s=1400.0, forecast_a=10.0)
    assert key in [d.key for d in found]
    assert not any(d.impossible for d in found)


def test_nine_seconds_are_asked_back_as_minutes():
    [doubt] = flight_doubts(flown(duration_s=9.0, put_back_ah=None), pack=pomelo())
    assert say(doubt.why) == "9 seconds? 9 minutes is 9:00."


def test_a_clock_that_was_never_set_is_asked_about():
    [doubt] = flight_doubts(flown(landed_at=datetime(1970, 1, 1, 0, 12, tzinfo=UTC)), pack=pomelo())
    assert say(doubt.why) == "In 1970? The clock was not set then: say when it landed."
    assert flight_doubts(flown(landed_at=datetime(2012, 1, 1, tzinfo=UTC)), pack=pomelo()) == ()


def test_a_usual_flight_raises_no_doubt():
    assert flight_doubts(flown(rest_v_per_cell=3.6), pack=pomelo(), forecast_s=1400.0, forecast_a=10.0) == ()


@pytest.mark.parametrize(
    ("volts", "words"),
    [(21.6, "3.60 V a cell is asked for"), (4.3, "over a full cell"), (1.0, "can have and live"), (3.7, None)],
)
def test_a_cells_voltage_is_told_from_the_packs(volts, words):
    doubt = cell_volts_doubt(volts, pack=satsuma(), field="rest_v_per_cell")
    assert (doubt is None) if words is None else (words in say(doubt.why) and doubt.impossible)


def test_readings_beside_a_meter():
    assert voltage_points_doubts([(24.0, 24.6)], pack=satsuma(), takes_offset=False) == ()
    [other] = voltage_points_doubts([(16.4, 16.8)], pack=satsuma(), takes_offset=False)
    assert (other.key, other.impossible) == ("not_this_pack", False)
    points = [(24.0, 24.6), (21.0, 23.9)]
    assert [d.key for d in voltage_points_doubts(points, pack=satsuma(), takes_offset=False)] == ["points_apart"]
    assert voltage_points_doubts(points, pack=satsuma(), takes_offset=True) == ()


def test_a_scale_that_is_not_the_one_advised():
    assert scale_doubt(entered=110.0, advised=110.4, step=1.0) is None
    assert "120 was entered, and 110 follows" in say(scale_doubt(entered=120.0, advised=110.0, step=1.0).why)


@pytest.mark.parametrize(
    ("volts", "key"),
    [
        # A 6S pack of lithium-ion: a cell is at 0.8 × its floor of 2.5 V to 4.2 V and 0.03 more.
        (1.99, "no_such_cell"), (2.01, None), (4.22, None), (4.24, "no_such_cell"),
        (11.9, "no_such_cell"), (12.1, "pack_volts"), (25.3, "pack_volts"), (25.4, "no_such_cell"),
        (0.34, "cell_volts"), (0.70, "cell_volts"), (0.72, "no_such_cell"), (0.33, "no_such_cell"),
    ],
)  # fmt: skip
def test_a_cells_volts_are_no_packs_and_no_sixth_of_one(volts, key):
    found = cell_volts_doubt(volts, pack=pomelo(), field="rest_v")
    assert (None if found is None else found.key) == key
    assert found is None or (found.impossible and found.field == "rest_v")


@pytest.mark.parametrize(
    ("volts", "says"),
    [
        (11.9, "can have and live"), (12.1, None), (25.3, None), (25.4, "is over the 25.2 V"),
        (3.8, "3.8 V is one cell: the pack's 22.8 V"), (1.9, "can have and live"),
    ],
)  # fmt: skip
def test_a_packs_volts_are_no_cells(volts, says):
    found = pack_volts_doubt(volts, pack=pomelo(), field="pack_v")
    assert found is None if says is None else says in say(found.why)


def test_a_landing_is_between_floor_and_full():
    chemistry = chemistry_for("liion_power")
    assert landing_volts_doubt(2.5, chemistry=chemistry, field="x") is None
    assert landing_volts_doubt(4.2, chemistry=chemistry, field="x") is None
    assert landing_volts_doubt(2.49, chemistry=chemistry, field="x").impossible
    assert landing_volts_doubt(4.21, chemistry=chemistry, field="x").impossible
    low = sheet(landing=LandingRule(charge_kept=None, rest_v=3.4, loaded_v=2.3))
    assert [d.field for d in landing_doubts(low)] == ["landing.loaded_v"]
    assert landing_doubts(sheet()) == ()


def test_two_in_a_harness_are_two_side_by_side():
    [found] = [d for d in pack_doubts(pomelo(parallel_harness=True)) if d.key == "harness"]
    assert found.impossible
    label = pomelo(tests={"capacity": {"charge_ah": 1.45, "rest_v_per_cell": 3.5}})
    assert "label_over_measured" in {d.key for d in pack_doubts(label)}
