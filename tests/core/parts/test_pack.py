"""Packs: exact scalings, what is counted, honest current, bad values."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from tests.sheets import pomelo, satsuma
from zesty_cell.core.errors import UnequalPacksError
from zesty_cell.core.flight.honest_current import HOTTEST_ALLOWED_C, discharge_hottest_c, honest_current
from zesty_cell.core.flight.parallel import parallel_pair, parallel_split
from zesty_cell.core.parts.connectors import CONNECTORS
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import lead_resistance_ohm, pack_figures
from zesty_cell.core.parts.weakest_cell import weakest_cell
from zesty_cell.words.say import say


def test_resistance_is_cells_links_leads_and_plug():
    figures = pack_figures(pomelo())
    assert figures.cells_ohm == pytest.approx(6 * 0.0125)
    # Two leads of 12 cm, 3.3 mm²: 1.75e-8 · 0.24 / 3.3e-6.
    assert figures.leads_ohm == pytest.approx(1.2727e-3, rel=1e-3)
    assert figures.links_ohm == pytest.approx(5 * 0.0005)
    assert figures.resistance_ohm == pytest.approx(
        figures.cells_ohm + figures.links_ohm + figures.leads_ohm + 0.0008
    )


def test_doubling_in_parallel_halves_the_cells_and_tripling_in_series_triples_them():
    one = pack_figures(pomelo())
    two = pack_figures(pomelo(parallel=2, capacity_ah=8.4))
    three = pack_figures(pomelo(series=18))
    assert two.cells_ohm == pytest.approx(one.cells_ohm / 2)
    assert two.capacity_ah == pytest.approx(2 * one.capacity_ah)
    assert three.cells_ohm == pytest.approx(3 * one.cells_ohm)
    assert three.full_v == pytest.approx(3 * one.full_v)


def test_the_contact_of_a_micro_plug_can_cost_as_much_as_a_cell():
    pack = Pack(
        name="micro", chemistry="lihv", series=1, capacity_ah=0.3, cell_resistance_ohm=0.02, connector="micro_1s"
    )
    assert pack_figures(pack).connector_ohm == CONNECTORS["micro_1s"].contact_ohm == pytest.approx(0.02)


def test_a_label_counts_for_less_until_it_is_measured():
    label, measured = pack_figures(satsuma()), pack_figures(satsuma(capacity_known="measured"))
    assert label.capacity_ah == pytest.approx(1.3 * 0.95)
    assert measured.capacity_ah == pytest.approx(1.3)
    assert label.capacity_sigma > measured.capacity_sigma


def test_age_acts_on_estimates_and_leaves_measurements_alone():
    old = pack_figures(satsuma(cycles=200, cell_resistance_ohm=None))
    new = pack_figures(satsuma(cell_resistance_ohm=None))
    assert old.cell_resistance_ohm > 1.4 * new.cell_resistance_ohm
    assert old.capacity_ah < new.capacity_ah
    assert pack_figures(satsuma(cycles=200)).cell_resistance_ohm == 0.006


def test_an_estimated_weight_is_near_what_such_packs_weigh():
    estimated = pack_figures(satsuma(mass_kg=None))
    assert estimated.mass_known == "estimated"
    assert estimated.mass_kg == pytest.approx(0.2, rel=0.15)


def test_estimated_resistance_is_in_the_range_known():
    for quality, low, high in (("good", 0.005, 0.008), ("ordinary", 0.008, 0.014), ("micro", 0.015, 0.030)):
        figures = pack_figures(satsuma(cell_resistance_ohm=None, quality=quality, label_c=None))
        assert low <= figures.cell_resistance_ohm * 1.3 <= high
        assert figures.resistance_known == "estimated"
        assert figures.resistance_sigma > pack_figures(satsuma()).resistance_sigma


@pytest.mark.parametrize(
    ("label_c", "mohm_ah"),
    [(None, 11.0), (25.0, 13.51), (45.0, 11.0), (75.0, 9.20), (120.0, 7.80), (300.0, 7.15)],
)
def test_a_labels_c_says_something_of_an_ordinary_packs_resistance(label_c, mohm_ah):
    """11 mΩ·Ah times (45/C)^0.35, within 0.65 and 1.30."""
    figures = pack_figures(satsuma(cell_resistance_ohm=None, label_c=label_c))
    assert figures.cell_resistance_ohm * 1.3 * 1000 == pytest.approx(mohm_ah, abs=0.01)
    good = pack_figures(satsuma(cell_resistance_ohm=None, label_c=label_c, quality="good"))
    assert good.cell_resistance_ohm * 1.3 == pytest.approx(0.0065)


def test_tabless_cells_and_small_plugs_have_their_own_resistance():
    tabless = pack_figures(pomelo(cell_resistance_ohm=None, quality="tabless"))
    assert 0.025 <= tabless.cell_resistance_ohm * 4.2 <= 0.030
    assert 0.004 <= CONNECTORS["micro_1s_low"].contact_ohm <= 0.006
    assert CONNECTORS["micro_1s"].contact_ohm == 0.020


def test_small_packs_weigh_their_leads_wrap_and_plug():
    """Hand-worked, a 4S of 500 mAh: 7.4 Wh at 165 Wh/kg are 44.8 g, four pouches 5.2 g more, five balance
    pins 3.5 g, 10 cm of 1.3 mm² leads 3.7 g and the plug 3 g: 60 g, where energy alone would say 52.
    """
    four = satsuma(series=4, capacity_ah=0.5, mass_kg=None, connector="medium_30a", lead_area_mm2=1.3)
    assert pack_figures(four).mass_kg == pytest.approx(0.0603, abs=0.0005)


@pytest.mark.parametrize(
    ("chemistry", "capacity_ah", "sigma"),
    [("lihv", 0.5, 0.10), ("lihv", 1.5, 0.06), ("lipo", 0.5, 0.06), ("liion_power", 4.2, 0.045)],
)
def test_a_label_is_as_wide_as_its_kind(chemistry, capacity_ah, sigma):
    pack = satsuma(chemistry=chemistry, capacity_ah=capacity_ah, mass_kg=None)
    assert pack_figures(pack).capacity_sigma == sigma


def test_the_weakest_cell_by_hand():
    """Blom: of six normal draws the least is expected 1.27 standard deviations away; 1.2 % and 5 % when new."""
    capacity, resistance = weakest_cell(series=6, parallel=1, cycles=0, measured_spread=0.0)
    assert capacity == pytest.approx(1 - 1.282 * 0.012, abs=2e-4)
    assert resistance == pytest.approx(1 + 1.282 * 0.05, abs=2e-3)
    assert weakest_cell(series=1, parallel=4, cycles=300, measured_spread=0.0) == (1.0, 1.0)
    four = weakest_cell(series=6, parallel=4, cycles=0, measured_spread=0.0)
    assert 1 - four[0] == pytest.approx((1 - capacity) / 2)  # four cells together differ half as much
    old = weakest_cell(series=6, parallel=1, cycles=100, measured_spread=0.0)
    assert (1 - old[0], old[1] - 1) == (pytest.approx(2 * (1 - capacity)), pytest.approx(2 * (resistance - 1)))
    assert weakest_cell(series=6, parallel=1, cycles=0, measured_spread=0.3)[1] == pytest.approx(1.3)


def test_lead_resistance_is_copper_both_ways():
    assert lead_resistance_ohm(length_m=1.0, area_mm2=1.75) == pytest.approx(0.02)


def test_two_packs_share_a_current_by_their_resistances():
    split = parallel_split(first_ohm=0.02, second_ohm=0.03)
    assert split.first_share == pytest.approx(0.6)
    assert split.second_share == pytest.approx(0.4)
    assert split.resistance_ohm == pytest.approx(0.012)


def test_a_parallel_harness_adds_a_plug_for_each_pack():
    plain, harness = pack_figures(satsuma(mass_kg=None)), pack_figures(satsuma(mass_kg=None, parallel_harness=True))
    assert harness.adapter_ohm == pytest.approx(0.0004)
    assert harness.resistance_ohm - plain.resistance_ohm == pytest.approx(harness.adapter_ohm)
    assert harness.mass_kg > plain.mass_kg


def test_a_good_pair_shares_evenly_and_an_unequal_one_is_warned_of():
    pair = parallel_pair(first=satsuma(), second=satsuma(name="other"), first_rest_v=4.19, second_rest_v=4.17)
    assert pair.split.first_share == pytest.approx(0.5)
    assert pair.warnings == ()
    assert pair.capacity_ah == pytest.approx(2 * 1.3 * 0.95)
    # 0.02 V a cell over six cells, through both packs.
    assert pair.joining_a == pytest.approx(0.12 / (2 * pack_figures(satsuma()).resistance_ohm))
    assert pair.honest_a == pytest.approx(2 * honest_current(satsuma()).current_a)
    assert pair.lost_a == pytest.approx(0.0, abs=1e-9)
    tired = satsuma(name="tired", cell_resistance_ohm=0.012)
    warned = parallel_pair(first=satsuma(), second=tired, first_rest_v=4.2, second_rest_v=4.2)
    assert "“Satsuma” carries 6" in say(warned.warnings[0])
    assert warned.first.burst_share > 0.6
    assert warned.first.lasting_share == pytest.approx(0.5)
    # One of them reaches its honest current first: the pair is worth less than both.
    assert max(h.carries_a / h.honest_a for h in (warned.first, warned.second)) == pytest.approx(1.0)
    assert warned.lost_a > 0
    small = satsuma(name="small", capacity_ah=0.8, mass_kg=0.14, cell_resistance_ohm=0.006)
    uneven = parallel_pair(first=satsuma(), second=small, first_rest_v=4.2, second_rest_v=4.2)
    assert "“small” holds only 38 % of the charge" in " ".join(map(say, uneven.warnings))
    assert uneven.second.c_rate > uneven.first.c_rate


@pytest.mark.parametrize(
    ("second", "volts", "words"),
    [
        (pomelo(), 4.2, "different chemistries"),
        (satsuma(series=4), 4.2, "6S and 4S"),
        (satsuma(), 4.1, "0.10 V a cell apart"),
    ],
)
def test_packs_that_must_not_be_paired_are_refused(second, volts, words):
    with pytest.raises(UnequalPacksError, match=words):
        parallel_pair(first=satsuma(), second=second, first_rest_v=4.2, second_rest_v=volts)


def test_voltages_just_close_enough_may_be_paired():
    parallel_pair(first=satsuma(), second=satsuma(), first_rest_v=4.20, second_rest_v=4.15)


def test_honest_current_by_voltage_is_ohms_law():
    honest = honest_current(satsuma())
    # Half of the 1.235 Ah takes 0.5·1.235·3600/59.9 = 37.1 s: 0.6·(1 − e^(−37.1/25)) + 0.55·(1 − e^(−37.1/300))
    # = 0.528 on top of the 6 mΩ, and (3.83 − 3.3)/(6 mΩ · 1.528) is 57.8 A; at 57.8 A it takes 38.4 s and
    # 0.537, and so on: 57.4 A.
    assert honest.by_voltage_a == pytest.approx(57.39, abs=0.02)
    assert honest.current_a == min(honest.by_voltage_a, honest.by_heat_a)


def test_honest_current_ends_a_discharge_at_sixty_degrees():
    pack = pomelo()
    honest = honest_current(pack)
    assert discharge_hottest_c(pack=pack, current_a=honest.by_heat_a) == pytest.approx(HOTTEST_ALLOWED_C, abs=0.2)
    assert discharge_hottest_c(pack=pack, current_a=1.1 * honest.by_heat_a) > HOTTEST_ALLOWED_C


def test_honest_current_of_a_label_is_far_below_it():
    assert honest_current(satsuma()).current_a < 0.5 * 120 * 1.3


@pytest.mark.parametrize(
    "change",
    [
        {"series": 0},
        {"series": -3},
        {"parallel": 0},
        {"capacity_ah": 0.0},
        {"capacity_ah": float("nan")},
        {"capacity_ah": 1e9},
        {"name": ""},
        {"name": "x" * 10_000},
        {"name": "two\nlines"},
        {"chemistry": "unobtainium"},
        {"cell_resistance_ohm": -0.01},
        {"mass_kg": 0.0},
        {"mass_kg": 0.005},
        {"connector": "bent nail"},
        {"ratings": {"continuous_a": 60, "one_minute_a": 40, "ten_second_a": 80}},
        {"surprise": 1},
    ],
)
def test_bad_packs_are_refused(change):
    with pytest.raises(ValidationError):
        satsuma(**change)
