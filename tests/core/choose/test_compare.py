"""The comparison: the sheet's own figures side by side, sentences that follow from them."""

from __future__ import annotations

import pytest

from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.choose.candidates import LandingVolts, landing_on, with_pack
from zesty_cell.core.choose.compare import (
    MOST_COMPARED,
    PURPOSES,
    Contender,
    compare_crafts,
    compare_packs,
    verdict,
)
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.words.face import Reader
from zesty_cell.words.say import say

DOUBLE = pomelo(
    name="Double",
    parallel=2,
    capacity_ah=8.4,
    mass_kg=0.88,
    ratings={"continuous_a": 70, "one_minute_a": 90, "ten_second_a": 120},
)
PACKS = (satsuma(), pomelo(), DOUBLE)


@pytest.fixture(scope="module")
def rows():
    compared, left_out = compare_packs(sheet(), contenders=[Contender(p) for p in PACKS])
    assert left_out == ()
    return compared


def test_each_row_is_the_sheets_own_forecast(rows):
    for row in rows:
        own = forecast(with_pack(sheet(), pack=row.pack))
        assert row.at_landing == own.at_landing
        assert (row.low_s, row.high_s) == (own.range.low_s, own.range.high_s)
        assert row.cruise_a == own.cruise_a
        assert row.mah_per_minute == own.mah_per_minute
        assert row.mah_per_km == own.mah_per_km
        assert row.used_wh == own.used_wh
        assert row.honest == own.honest
        assert set(row.checks) == {c for c in own.checks if c.key != "voltage_callouts"}


def test_half_way_lies_between_fresh_and_landing(rows):
    for row in rows:
        assert row.at_landing.full_landing_a < row.full_half_a < row.at_landing.full_fresh_a
        assert row.honest_share == pytest.approx(row.cruise_a / row.honest.current_a)


def test_the_verdicts_follow_from_the_figures(rows):
    best = {p: verdict(rows, purpose=p) for p in PURPOSES}
    assert best["longest"].best == max(range(3), key=lambda k: rows[k].at_landing.landing_s)
    assert best["strongest at the end"].best == max(range(3), key=lambda k: rows[k].at_landing.to_spare)
    assert best["lightest"].best == min(range(3), key=lambda k: rows[k].at_landing.all_up_mass_kg)
    assert best["coolest"].best == min(range(3), key=lambda k: rows[k].at_landing.landing_c)
    for one in best.values():
        if one.best is not None:
            assert rows[one.best].pack.name in say(one.sentence)


def test_the_longest_says_what_it_costs_against_the_next(rows):
    words = say(verdict(rows, purpose="longest").sentence)
    gain = 100 * (rows[2].at_landing.landing_s / rows[1].at_landing.landing_s - 1)
    assert f"{gain:.0f} % longer than Pomelo for 435 g more" in words


def test_masses_are_written_for_the_reader(rows):
    words = say(verdict(rows, purpose="longest").sentence, Reader(units="imperial"))
    assert "oz" in words
    assert " g" not in words


def test_a_pack_with_a_check_that_stops_is_passed_over():
    craft = heron(limits={"maximum_v": 22.0})
    fours = [satsuma(name=f"4S {ah}", series=4, capacity_ah=ah, mass_kg=0.12 * ah) for ah in (1.3, 2.2)]
    rows, _ = compare_packs(sheet(craft=craft), contenders=[Contender(p) for p in (*fours, pomelo())])
    found = verdict(rows, purpose="longest")
    assert rows[found.best].pack.series == 4
    assert "1 with a check that stops is passed over" in say(found.sentence)
    alone = verdict(rows[2:], purpose="longest")
    assert alone.best is None
    assert "stop" in say(alone.sentence)


def test_the_weight_class_is_asked_for_or_held_against():
    assert "give one in the hangar" in say(
        verdict(
            compare_packs(sheet(), contenders=[Contender(pomelo())])[0], purpose="within the weight class"
        ).sentence
    )
    for limit_kg, best in ((0.9, 0), (1.2, 1), (0.5, None)):
        craft = heron(limits={"weight_class_kg": limit_kg, "weight_class_name": "club class"})
        rows, _ = compare_packs(sheet(craft=craft), contenders=[Contender(p) for p in PACKS])
        found = verdict(rows, purpose="within the weight class")
        assert found.best == best
        assert ("local rules" in say(found.sentence)) == (best is not None)
        assert ("over" in say(found.sentence)) == (best is None)
        if best is not None:
            figures = found.sentence.figures
            assert figures["room_kg"] == pytest.approx(limit_kg - rows[best].at_landing.all_up_mass_kg)
            assert figures["weight_class"] == "club class"
        else:
            lightest = min(r.at_landing.all_up_mass_kg for r in rows)
            assert found.sentence.figures["over_kg"] == pytest.approx(lightest - limit_kg)


def test_a_craft_of_just_the_class_is_within_it(rows):
    mass_kg = rows[1].at_landing.all_up_mass_kg
    craft = heron(limits={"weight_class_kg": mass_kg, "weight_class_name": "just so"})
    just, _ = compare_packs(sheet(craft=craft), contenders=[Contender(PACKS[1])])
    assert just[0].at_landing.all_up_mass_kg == mass_kg
    assert verdict(just, purpose="within the weight class").best == 0


def test_grams_for_each_watt_by_hand(rows):
    load = rows[0].setup.load
    by_hand = 1000.0 * rows[0].at_landing.all_up_mass_kg / (load.steady_w + load.avionics_w)
    assert rows[0].grams_per_watt == pytest.approx(by_hand, rel=1e-12)


def test_each_at_its_own_temperature_or_all_at_the_sheets():
    (warm, cold), _ = compare_packs(
        sheet(), contenders=[Contender(pomelo(), pack_c=30.0), Contender(pomelo(), -5.0)]
    )
    assert warm.at_landing.worst_v > cold.at_landing.worst_v
    assert warm.setup.start_c == 30.0


def test_one_pack_over_several_crafts():
    light = heron(name="Light Heron", dry_mass_kg=0.5)
    rows, _ = compare_crafts(sheet(), sheets=[sheet(), sheet(craft=light)])
    assert [r.setup.sheet.craft.name for r in rows] == ["Heron", "Light Heron"]
    assert rows[1].at_landing.landing_s > rows[0].at_landing.landing_s
    assert {r.pack for r in rows} == {pomelo()}


def test_what_cannot_be_flown_is_left_out_with_its_reason():
    one = sheet(landing=LandingRule(rest_v=4.19))
    rows, left_out = compare_packs(one, contenders=[Contender(pomelo(name="full"))])
    assert rows == ()
    assert "at once" in say(left_out[0].reason)
    assert "look at their marks" in say(verdict(rows, purpose="longest").sentence)


def test_nine_do_not_stand_side_by_side():
    with pytest.raises(OutOfRangeError, match="leave out 1") as caught:
        compare_packs(sheet(), contenders=[Contender(pomelo())] * (MOST_COMPARED + 1))
    assert caught.value.limit == MOST_COMPARED
    assert caught.value.why.figures["over"] == 1


def test_each_chemistry_lands_by_its_own_voltage_or_by_the_one_given():
    one = sheet(landing=LandingRule(charge_kept=None, loaded_v=2.9))
    packs = [Contender(pomelo()), Contender(satsuma())]
    assert [p.pack.chemistry for p in packs] == ["liion_power", "lipo"]
    own, _ = compare_packs(one, contenders=packs)
    assert [r.setup.sheet.landing.loaded_v for r in own] == [2.9, 3.5]
    given, _ = compare_packs(one, contenders=packs, volts={"lipo": LandingVolts(loaded_v=3.3)})
    assert [r.setup.sheet.landing.loaded_v for r in given] == [2.9, 3.3]
    assert given[0].at_landing.landing_s == own[0].at_landing.landing_s
    assert given[1].at_landing.landing_s > own[1].at_landing.landing_s
    # A school that is off stays off, whatever is given for it.
    assert all(r.setup.sheet.landing.rest_v is None for r in given)
    both = landing_on(one, chemistry="liion_power", volts={"liion_power": LandingVolts(rest_v=3.4, loaded_v=2.8)})
    assert (both.rest_v, both.loaded_v) == (None, 2.8)
