"""What a decided test teaches a pack or a craft, and a plug measured by millivolts at amps."""

from __future__ import annotations

from datetime import UTC, datetime

import numpy as np
import pytest

from tests.core.discharge.test_discharge import a_pack
from tests.sheets import heron
from zesty_cell.core.errors import OutOfRangeError, plainly
from zesty_cell.core.parts.craft import MeasuredCharge, PropellerSet, RotorGeometry
from zesty_cell.core.parts.own_part import OwnPart, part_of_millivolts
from zesty_cell.core.parts.pack import with_what_was_measured
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.trials.lessons import part_of_b, set_of_b, source_of, teaches, with_part
from zesty_cell.core.trials.question import Question, Trial, TrialPlan
from zesty_cell.core.trials.verdict import Verdict

NOW = datetime(2026, 10, 4, 12, 0, tzinfo=UTC)


def verdict(difference, reach=0.01, *, call="less"):
    return Verdict(8, difference, difference - reach, difference + reach, call, 6, 0.02, 0.95, (difference,) * 8)


def trial(**asks) -> Trial:
    asked = {
        "a": "three blades",
        "b": "two blades",
        "differs": "propellers",
        "measure": "charge_a_minute",
        "matters": 0.05,
    }
    plan = TrialPlan(pairs=8, scatter=0.05, scatter_counts=12, packs=("Tangelo 1",))
    return Trial(name="Blades", craft="Heron", question=Question(**(asked | {"matters": 0.05} | asks)), plan=plan)


PLUG = {"a": "as it came", "b": "low-loss", "differs": "plug", "measure": "loaded_v", "at": 40.0, "matters": 0.005}


def test_a_plug_is_known_by_the_voltage_it_saves():
    one = trial(**PLUG)
    pack = a_pack(connector="medium_30a")
    was = pack_figures(pack).connector_ohm
    # 4 cells, 3 mV a cell more at 40 A: 12 mV / 40 A = 0.3 mΩ less; ±1 mV a cell is ±0.1 mΩ.
    part = part_of_b(one, verdict(0.003, 0.001, call="more"), pack=pack, at=NOW)
    assert part.ohm == pytest.approx(was - 0.0003)
    assert part.reach_ohm == pytest.approx(0.0001)
    assert part.source == source_of(one) == "test “Blades”"
    better = pack_figures(with_part(pack, part, differs="plug"))
    assert better.connector_ohm == pytest.approx(was - 0.0003)
    assert better.resistance_ohm == pytest.approx(pack_figures(pack).resistance_ohm - 0.0003)
    lead = part_of_b(trial(**(PLUG | {"differs": "lead"})), verdict(-0.002, 0.001), pack=pack, at=NOW)
    assert lead.ohm == pytest.approx(pack_figures(pack).leads_ohm + 0.0002)
    assert pack_figures(with_part(pack, lead, differs="lead")).leads_ohm == lead.ohm


def test_a_plug_cannot_resist_less_than_nothing():
    with pytest.raises(OutOfRangeError, match="What else differed"):
        part_of_b(trial(**PLUG), verdict(0.05, 0.001, call="more"), pack=a_pack(), at=NOW)
    # Within the interval it is nothing, and no more is claimed.
    was = pack_figures(a_pack()).connector_ohm
    just = part_of_b(trial(**PLUG), verdict((was + 0.00005) * 10, 0.001, call="more"), pack=a_pack(), at=NOW)
    assert just.ohm == 0.0


@pytest.mark.parametrize(
    ("call", "asks", "lesson"),
    [
        ("less", {}, "propellers"),
        ("more", {"measure": "charge_a_km"}, "propellers"),
        ("more", PLUG, "plug"),
        ("less", PLUG | {"differs": "lead"}, "lead"),
        ("none", {}, ""),
        ("open", {}, ""),
        ("less", {"differs": "tune"}, ""),
        ("less", {"measure": "thrust"}, ""),
        ("less", {"differs": "plug"}, ""),
    ],
)
def test_only_what_was_seen_and_has_a_place_is_taught(call, asks, lesson):
    assert teaches(verdict(-0.1, call=call), trial(**asks).question) == lesson


def test_a_propeller_set_draws_what_was_found():
    craft = heron()
    one = set_of_b(trial(), verdict(-0.14), craft=craft)
    assert isinstance(one, PropellerSet)
    assert (one.name, one.source) == ("two blades", "test “Blades”")
    assert one.steady.current_a == pytest.approx(0.86 * craft.steady.current_a)
    assert one.full_throttle == craft.full_throttle
    put_back = MeasuredCharge(charge_ah=2.0, duration_s=600, voltage_v=22.0, all_up_mass_kg=1.2)
    other = set_of_b(trial(), verdict(0.1), craft=craft.model_copy(update={"steady": put_back}))
    assert other.steady.charge_ah == pytest.approx(2.2)


def test_what_rests_on_an_estimate_or_cannot_be_is_refused():
    craft = heron()
    estimated = craft.model_copy(update={"steady": RotorGeometry(rotor_count=4, rotor_diameter_m=0.18)})
    with pytest.raises(OutOfRangeError, match="measure its hover"):
        set_of_b(trial(), verdict(-0.1), craft=estimated)
    with pytest.raises(OutOfRangeError, match="leave nothing"):
        set_of_b(trial(), verdict(-0.999), craft=craft)
    with pytest.raises(OutOfRangeError, match="on now"):
        set_of_b(trial(), verdict(-0.1), craft=craft.model_copy(update={"propellers": "Two Blades"}))


def test_millivolts_at_amps_by_hand():
    # 2 mV at 5 A and 8 mV at 20 A: 0.4 mΩ, exactly.
    ohm, reach = part_of_millivolts([(0.002, 5.0), (0.008, 20.0)])
    assert ohm == pytest.approx(0.0004)
    # The scales: 1.645 · 0.4 mΩ · √(0.01² + 0.015²); the digit: 1.645 · 0.1 mV / √425 A².
    assert reach == pytest.approx(np.hypot(1.645 * 0.0004 * np.hypot(0.01, 0.015), 1.645 * 0.0001 / 425**0.5))
    # Two readings that do not agree say little: Student's with one degree of freedom.
    _, wide = part_of_millivolts([(0.001, 5.0), (0.010, 20.0)])
    assert wide > 5 * reach


def test_a_measured_part_holds_what_it_is_in_nine_of_ten():
    rng, inside = np.random.default_rng(5), 0
    for _ in range(400):
        true, scale = 0.0006, (1 + 0.01 * rng.normal()) / (1 + 0.015 * rng.normal())
        readings = [(round(true * a * scale + 0.0001 * rng.normal(), 4), a) for a in (5.0, 10.0, 20.0)]
        ohm, reach = part_of_millivolts(readings)
        inside += abs(ohm - true) <= reach
    assert 0.86 <= inside / 400 <= 0.97


@pytest.mark.parametrize(
    ("readings", "words"),
    [
        ([], "needs a current"),
        ([(0.002, 0.0)], "needs a current"),
        ([(5.0, 10.0)], "no plug"),
        ([(-0.1, 10.0)], "no plug"),
    ],
)
def test_what_is_no_plug_is_refused(readings, words):
    with pytest.raises(OutOfRangeError) as refused:
        part_of_millivolts(readings)
    assert words in plainly(refused.value.why)


def test_another_plug_or_lead_is_not_the_measured_one():
    part = OwnPart(ohm=0.0004, reach_ohm=0.0001, source="millivolts at amps", measured_at=NOW)
    before = a_pack(plug=part, lead=part)
    assert with_what_was_measured(a_pack(cycles=9), before=before).plug == part
    assert with_what_was_measured(a_pack(connector="small_15a"), before=before).plug is None
    assert with_what_was_measured(a_pack(second_plug="small_15a"), before=before).plug is None
    longer = with_what_was_measured(a_pack(lead_length_m=0.3), before=before)
    assert (longer.lead, longer.plug) == (None, part)
