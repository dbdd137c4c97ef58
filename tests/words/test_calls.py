"""A plan in three sentences."""

from __future__ import annotations

import pytest

from tests.sheets import heron, pomelo, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan
from zesty_cell.words.calls import call_rows, in_short


@pytest.fixture(scope="module")
def result():
    return forecast(sheet())


@pytest.mark.parametrize("school", [s.school for s in SCHOOLS])
def test_three_sentences_and_the_rest_are_the_whole_plan(result, school):
    plan = write_plan(result, school=school).plan
    shown, rest = in_short(plan, series=6)
    speaking = [t.name for t in plan.timers if t.on] + [r.name for r in plan.rules if r.on]
    assert 1 <= len(shown) <= 3
    assert len(shown) + len(rest) == len(speaking)
    assert all(s.says and s.value for s in shown)
    # What matters most is among them, and is heard last.
    if any(r.on and r.role == "land_now" and r.conditions for r in plan.rules):
        assert shown[-1].role == "land_now"


def test_their_values_are_those_of_the_table_both_ways(result):
    plan = write_plan(result, school="loaded voltage").plan
    shown, _ = in_short(plan, series=6)
    rows = {row.role: row for row in call_rows(plan, series=6)}
    assert [s.role for s in shown] == ["timer", "pack_low", "land_now"]
    assert shown[0].value == rows["timer"].value
    for one in shown[1:]:
        row = rows[one.role]
        assert one.value == f"{row.value} ({row.cell} V a cell)"
        assert f"for {row.hold_s:g} s" in one.how


def test_a_pack_of_one_cell_has_one_voltage():
    kumquat = pomelo(series=1, mass_kg=0.08)
    craft = heron(
        steady={"source": "measured", "current_a": 9.0, "voltage_v": 3.6, "all_up_mass_kg": 0.2}, dry_mass_kg=0.12,
        full_throttle={"source": "measured", "current_a": 25.0, "voltage_v": 3.3, "where": "flight"}, limits={},
    )  # fmt: skip
    plan = write_plan(forecast(sheet(craft=craft, pack=kumquat)), school="loaded voltage").plan
    shown, _ = in_short(plan, series=1)
    assert all("V a cell" not in s.value for s in shown)
