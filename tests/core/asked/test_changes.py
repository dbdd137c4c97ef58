"""Changes worked by hand: what each takes off, where it must stop, and what was learned going along."""

from __future__ import annotations

import pytest

from tests.core.asked.test_learned_factors import learned_factors
from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.asked.changes import CHANGES, LESS_AVIONICS, WELL_TUNED, changed
from zesty_cell.core.asked.learned_factors import PackKind
from zesty_cell.core.asked.sheet import corrected
from zesty_cell.core.parts.craft_load import efficiency_of
from zesty_cell.core.parts.propulsion import Propulsion


def charged(*, avionics_w):
    """1.5 Ah in ten minutes at 21 V: 9 A, 189 W."""
    steady = {"source": "charge", "charge_ah": 1.5, "duration_s": 600.0, "voltage_v": 21.0, "all_up_mass_kg": 1.0}
    return sheet(craft=heron(steady=steady, avionics_w=avionics_w))


def test_less_avionics_takes_its_own_charge_off_a_measured_one():
    """14 W less at 21 V is two thirds of an ampere: 0.111 Ah in ten minutes."""
    less_w = 14.0
    before = charged(avionics_w=less_w / (1.0 - LESS_AVIONICS))
    after = CHANGES["less_avionics"].apply(before).craft
    assert after.steady.charge_ah == pytest.approx(1.5 - (14.0 / 21.0) / 6.0, rel=1e-9)
    assert after.avionics_w == pytest.approx(before.craft.avionics_w - less_w)


def test_where_electronics_seem_to_take_it_all_a_tenth_flies():
    """200 W of electronics, 189 W measured: 18.9 W are taken to fly, and a tune saves its part of these."""
    after = CHANGES["well_tuned"].apply(charged(avionics_w=200.0)).craft
    assert after.steady.charge_ah == pytest.approx(1.5 * (0.9 + 0.1 * WELL_TUNED), rel=1e-9)


@pytest.mark.parametrize(
    ("pack", "key", "goes_along"),
    [
        (pomelo(), "more_capacity", True),
        (pomelo(), "lower_resistance", True),
        (pomelo(), "other_chemistry", False),  # to lithium polymer
        (satsuma(), "other_chemistry", False),  # and back
    ],
)
def test_what_was_learned_of_a_pack_goes_along_while_its_chemistry_stays(pack, key, goes_along):
    flown = corrected(sheet(pack=pack), learned_factors(pack=pack, resistance=1.3))
    other = changed(flown, key=key)
    assert other.learned_factors.kind == PackKind.of(other.pack if goes_along else pack)
    assert other.learned_factors.knows(other.pack) is goes_along


def test_another_chemistry_has_a_cell_at_least():
    """A cell of 1.2 V is nearest to none of 3.2 V."""
    single = pomelo(
        chemistry="nimh", series=1, capacity_ah=2.0, mass_kg=0.08, cell_resistance_ohm=None, ratings=None
    )
    assert CHANGES["other_chemistry"].apply(sheet(pack=single)).pack.series == 1


def test_a_tune_of_a_craft_of_parts_is_one_of_its_propellers():
    parts = Propulsion(motor_count=4, kv_rpm_v=1900, diameter_m=0.13, pitch_m=0.109, blades=3)
    before = sheet(craft=heron(propulsion=parts.model_dump(), steady={"source": "parts"}))
    after = CHANGES["well_tuned"].apply(before).craft
    mass_kg = before.craft.dry_mass_kg + before.pack.mass_kg
    usual = efficiency_of(before.craft, mass_kg=mass_kg)
    assert (after.steady.rotor_count, after.steady.rotor_diameter_m) == (4, 0.13)
    assert after.steady.efficiency == pytest.approx(usual / WELL_TUNED)
