"""One plan for several packs: every pack hears its own values, from one word."""

from __future__ import annotations

import pytest

from tests.sheets import checked, heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.collisions import thresholds
from zesty_cell.core.callouts.conditions import SWITCHES, Condition, Guards, Switch
from zesty_cell.core.callouts.dry_run import on_forecast
from zesty_cell.core.callouts.engine import Engine, frames
from zesty_cell.core.callouts.lint import lint
from zesty_cell.core.callouts.profiles import facing, not_told_apart
from zesty_cell.core.callouts.rules import DERIVED_ROLES, CalloutPlan, Rule, switches_asking
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan
from zesty_cell.core.callouts.several import add_pack, keep_packs, remove_pack, write_for_packs
from zesty_cell.core.callouts.update import brought_up_to_date
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.words.say import say

PACKS = {
    "six": pomelo(),
    "four": satsuma(name="Tangelo", series=4, capacity_ah=3.0, mass_kg=0.29),
    "other six": pomelo(name="Small Pomelo", capacity_ah=3.0, mass_kg=0.4),
}


@pytest.fixture(scope="module")
def flown():
    return {name: forecast(checked(sheet(pack=pack))) for name, pack in PACKS.items()}


def said(plan, result):
    run = on_forecast(plan=plan, result=result)
    return [(round(e.time_s, 1), e.key, e.say) for e in run.ran.events if e.kind != "time"]


@pytest.mark.parametrize("school", [s.school for s in SCHOOLS])
def test_each_pack_hears_its_own_values(flown, school):
    both = write_for_packs([flown["six"], flown["four"]], school=school).plan
    assert [p.key for p in both.profiles] == ["s6", "s4"]
    assert both.choose == "automatic"
    for name in ("six", "four"):
        alone = write_plan(flown[name], school=school).plan
        for rule in both.rules:
            # Holds are the longest of both; values and timers are each pack's own.
            mine = next((r for r in both.flown_with(series=alone.series).rules if r.role == rule.role), None)
            written = next((r for r in alone.rules if r.role == rule.role), None)
            assert (mine is None) == (written is None)
            if written is not None:
                assert [c.value for c in mine.conditions] == [c.value for c in written.conditions]
                assert mine.hold_s >= written.hold_s
        assert [t.at_s for t in both.flown_with(series=alone.series).timers] == [alone.timers[0].at_s]
        words = said(both, flown[name])
        assert words[0][1] == f"s{alone.series}"
        mine = both.flown_with(series=alone.series).timers[0].key
        assert [t for t, key, _ in words if key == mine] == [
            t for t, key, _ in said(alone, flown[name]) if key == "timer"
        ]
        one = {key for _, key, _ in said(alone, flown[name])} - {"timer"}
        heard = {key.removesuffix(f"_s{alone.series}") for _, key, _ in words} - {mine}
        assert heard >= one
        assert not [f for f in lint(plan=both, result=flown[name]) if f.severity == "stop"]


def test_the_arming_voltage_tells_the_packs_apart(flown):
    plan = write_for_packs([flown["six"], flown["four"]], school="loaded voltage").plan
    heard = {}
    for volts in (16.6, 15.2, 24.9, 8.0):
        time_s = flown["six"].flight.time_s[:50]
        ran = Engine(plan).feed(frames(time_s=time_s, pack_v=time_s * 0 + volts))
        heard[volts] = ran.events[0].say
    assert heard == {16.6: "four cells", 15.2: "four cells", 24.9: "six cells", 8.0: "wrong pack"}


def test_without_telemetry_every_timer_is_a_guard(flown):
    plan = write_for_packs([flown["six"], flown["four"]], school="loaded voltage").plan
    time_s = flown["six"].flight.time_s
    silent = Engine(plan).feed(frames(time_s=time_s))
    ends = {e.key: e.time_s for e in silent.events if e.kind == "end"}
    assert ends == {t.key: pytest.approx(t.at_s, abs=0.11) for t in plan.timers}


def test_of_two_packs_with_as_many_cells_the_cautious_value_counts(flown):
    written = write_for_packs([flown["six"], flown["other six"]], school="loaded voltage")
    plan = written.plan
    assert len(plan.profiles) == 1
    assert plan.choose == "one"
    each = [write_plan(flown[n], school="loaded voltage").plan for n in ("six", "other six")]
    for key in ("pack_low", "land_now"):
        [condition] = plan.rule(key).conditions
        assert condition.value == max(p.rule(key).conditions[0].value for p in each)
        assert condition.profile is None
        assert plan.rule(key).hold_s == max(p.rule(key).hold_s for p in each)
    # The one waits for the throttle, the other for the charge: the one rule for both waits for neither.
    assert [p.rule("pack_low").guards.throttle_under for p in each] == [0.55, None]
    assert plan.rule("pack_low").guards.throttle_under is None
    assert plan.rule("land_now").guards.throttle_under == 0.55
    assert plan.timers[0].at_s == min(p.timers[0].at_s for p in each)
    assert "the earliest of 2 packs, Small Pomelo" in say(written.reasons["timer"])


def test_as_many_cells_of_another_chemistry_are_told_by_a_switch(flown):
    polymer = forecast(sheet(pack=satsuma()))
    plan = write_plan(flown["six"], school="loaded voltage").plan
    both = add_pack(plan, polymer)
    alone = write_plan(polymer, school="loaded voltage").plan
    assert [p.key for p in both.profiles] == ["s6", "s6_2"]
    assert [p.name for p in both.profiles] == ["6S", "6S LiPo"]
    assert [p.say for p in both.profiles] == ["six cells", "six cells LiPo"]
    assert both.choose == "switch"
    assert len({(p.switch.name, p.switch.position) for p in both.profiles}) == 2
    assert not {p.switch.name for p in both.profiles} & switches_asking(both)
    assert not_told_apart(both) is None
    # Each pack is flown by its own values, and heard by them.
    for pack, one, result in ((pomelo(), plan, flown["six"]), (satsuma(), alone, polymer)):
        mine = facing(both, pack).flown_with(series=6)
        assert [t.at_s for t in mine.timers] == [one.timers[0].at_s]
        for rule in one.rules:
            if rule.role in DERIVED_ROLES:
                [held] = [r for r in mine.rules if r.role == rule.role]
                assert [c.value for c in held.conditions] == [c.value for c in rule.conditions]
        run = on_forecast(plan=facing(both, pack), result=result)
        heard = [e.key for e in run.ran.events if e.kind == "profile"] or [e.key for e in run.ran.events][:1]
        assert heard[0] == facing(both, pack).profiles[0].key
    three = write_for_packs([flown["six"], polymer, flown["four"]], school="loaded voltage")
    assert [p.series for p in three.plan.profiles] == [6, 6, 4]
    assert any("told apart by a switch" in say(n) for n in three.notes)
    assert three.plan.name == "Heron, 3 packs"


def test_the_other_chemistrys_values_are_no_faults_of_this_packs_plan(flown):
    polymer = forecast(sheet(pack=satsuma()))
    both = add_pack(write_plan(flown["six"], school="loaded voltage").plan, polymer)
    for pack, result in ((pomelo(), flown["six"]), (satsuma(), polymer)):
        alone = {f.key for f in lint(plan=write_plan(result, school="loaded voltage").plan, result=result)}
        mine = facing(both, pack)
        assert {f.key for f in lint(plan=mine, result=result)} <= alone
        shown = [t.cell_v for t in thresholds(plan=mine, result=result) if t.acts in ("pack_low", "land_now")]
        assert shown == [
            pytest.approx(c.cell_value_v(series=6), abs=0.01)
            for r in mine.flown_with(series=6).rules if r.role in ("pack_low", "land_now", "guard")
            for c in r.conditions
        ]  # fmt: skip


def test_a_pack_of_the_same_kind_joins_its_own_profile_among_two(flown):
    polymer = forecast(sheet(pack=satsuma()))
    both = add_pack(write_plan(flown["six"], school="loaded voltage").plan, polymer)
    again = add_pack(both, polymer)
    assert [p.key for p in again.profiles] == ["s6", "s6_2"]
    assert again.timers == both.timers


def test_volts_a_cell_of_another_chemistry_are_bound_to_the_pack_they_are_for(flown):
    plan = write_plan(flown["six"], school="loaded voltage").plan
    own = Rule(key="own_1", name="Mine", say="mine", conditions=(Condition(value=3.1, per="cell"),))
    plan = plan.model_copy(update={"rules": (*plan.rules, own)})
    polymer = forecast(sheet(pack=satsuma()))
    assert add_pack(plan, polymer).rule("own_1").guards.profile == "s6"
    assert add_pack(plan, flown["other six"]).rule("own_1").guards.profile is None


def test_a_plan_written_anew_keeps_the_other_chemistry(flown):
    polymer = forecast(sheet(pack=satsuma()))
    both = add_pack(write_plan(flown["six"], school="loaded voltage").plan, polymer)
    anew = keep_packs(write_plan(flown["six"], school="charge used").plan, of=both)
    assert [p.series for p in anew.profiles] == [6, 6]
    assert anew.choose == "switch"
    assert not_told_apart(anew) is None
    switches = [[(p.switch.name, p.switch.position) for p in one.profiles] for one in (both, anew)]
    assert switches[0] == switches[1]
    # And seen from the other pack.
    other = keep_packs(write_plan(polymer, school="charge used").plan, of=facing(both, satsuma()))
    assert facing(other, satsuma()).profiles[0].full_v == 4.2
    assert len({p.floor_v for p in other.profiles}) == 2


def test_two_packs_that_nothing_tells_apart_are_named(flown):
    polymer = forecast(sheet(pack=satsuma()))
    both = add_pack(write_plan(flown["six"], school="loaded voltage").plan, polymer)
    same = both.model_copy(
        update={"profiles": tuple(p.model_copy(update={"switch": both.profiles[0].switch}) for p in both.profiles)}
    )
    place, why = not_told_apart(same)
    assert (place, say(why)) == ("profiles.1.switch", "6S has this position: give each pack its own.")
    by_voltage = both.model_copy(update={"choose": "automatic"})
    place, why = not_told_apart(by_voltage)
    assert place == "choose"
    assert "Two packs have 6 cells" in say(why)
    assert not_told_apart(add_pack(write_plan(flown["six"], school="loaded voltage").plan, flown["four"])) is None


def held(plan, pack):
    """What a plan says with a pack: its timers, and its values by role."""
    mine = facing(plan, pack).flown_with(series=pack.series)
    rules = {r.role: [c.value for c in r.conditions] for r in mine.rules if r.on and r.role in DERIVED_ROLES}
    return [t.at_s for t in mine.timers], rules


@pytest.mark.parametrize("other", ["polymer", "four"])
def test_bringing_a_plan_up_to_date_keeps_its_other_packs(flown, other):
    result = flown[other] if other in flown else forecast(sheet(pack=satsuma()))
    pack = result.setup.sheet.pack
    both = add_pack(write_plan(flown["six"], school="loaded voltage").plan, result)
    bound = Rule(
        key="own_1", name="Mine", say="mine", conditions=(Condition(value=15.0, profile=both.profiles[1].key),)
    )
    timers = tuple(t.model_copy(update={"at_s": 30.0}) for t in both.timers)
    old = both.model_copy(update={"rules": (*both.rules, bound), "timers": timers})
    # Written for the sheet's pack alone: that one is brought up to date, the other stays as it is kept.
    own = brought_up_to_date(old, written=write_plan(flown["six"], school="loaded voltage").plan)
    assert held(own, pomelo()) == held(both, pomelo())
    assert held(own, pack) == ([30.0], held(both, pack)[1])
    # Written for both, from the other pack's page, where the keys are the other way round.
    theirs = write_for_packs([result, flown["six"]], school="loaded voltage").plan
    whole = brought_up_to_date(old, written=theirs)
    for one in (pomelo(), pack):
        assert held(whole, one) == held(both, one)
        assert facing(whole, one).rule("own_1").conditions[0].profile == both.profiles[1].key
    assert {p.key: p.floor_v for p in whole.profiles} == {p.key: p.floor_v for p in both.profiles}
    assert not_told_apart(whole) is None


def test_a_plan_written_anew_again_and_again_stays_as_it_is(flown):
    climbs = forecast(sheet(pack=satsuma(name="Tangelo", series=4, mass_kg=0.2), pattern="jet"))
    plan = add_pack(write_plan(flown["six"], school="timer first").plan, climbs)
    first = None
    for school in [s.school for s in SCHOOLS] * 3:
        own = write_plan(flown["six"], school=school).plan
        plan = brought_up_to_date(keep_packs(own, of=plan), written=own)
        assert CalloutPlan.model_validate(plan.model_dump()) == plan
        assert [p.series for p in plan.profiles] == [6, 4]
        bound = {r.key for r in plan.rules if r.guards.profile}
        roles = {r.role for r in plan.rules}
        assert bound <= roles | {f"{role}_{p.key}" for role in roles for p in plan.profiles}
        if school == SCHOOLS[0].school:
            first = first or len(plan.rules)
            assert len(plan.rules) == first


def test_a_position_that_is_taken_is_not_given_again(flown):
    plan = write_plan(flown["six"], school="loaded voltage").plan
    [own] = plan.profiles
    for position in ("up", "middle", "down"):
        mine = own.model_copy(update={"switch": Switch(name="A", position=position)})
        both = add_pack(plan.model_copy(update={"profiles": (mine,)}), forecast(sheet(pack=satsuma())))
        assert both.profiles[0].switch == mine.switch
        assert both.profiles[1].switch != mine.switch


def test_without_a_free_switch_another_chemistry_is_refused(flown):
    plan = write_plan(flown["six"], school="loaded voltage").plan
    asks = tuple(
        Rule(key=f"ask_{n.lower()}", name=n, role="ask", read="pack_v",
             guards=Guards(switch=Switch(name=n)))
        for n in SWITCHES
    )  # fmt: skip
    full = plan.model_copy(update={"rules": asks})
    with pytest.raises(OutOfRangeError, match="Every switch is taken"):
        add_pack(full, forecast(sheet(pack=satsuma())))


def test_packs_that_the_voltage_cannot_tell_apart_are_said():
    ten, nine = (forecast(sheet(pack=satsuma(series=n, name=f"{n}S", mass_kg=0.04 * n))) for n in (10, 9))
    notes = write_for_packs([ten, nine], school="loaded voltage").notes
    assert any("choose by a switch" in say(n) for n in notes)


def test_own_rules_are_taken_per_cell(flown):
    plan = write_plan(flown["six"], school="loaded voltage").plan
    own = Rule(key="own_1", name="Mine", conditions=(Condition(value=21.0),), say="half")
    spent = Rule(
        key="own_2",
        name="Spent",
        conditions=(Condition(sensor="used_ah", comparison="above", value=2.0),),
        say="two",
    )
    four = forecast(sheet(pack=pomelo(name="Four", series=4, mass_kg=0.3)))
    plan = add_pack(plan.model_copy(update={"rules": (*plan.rules, own, spent)}), four)
    [condition] = plan.rule("own_1").conditions
    assert (condition.per, condition.value, condition.profile) == ("cell", 3.5, None)
    assert plan.rule("own_2").conditions[0].profile == "s6"


def test_taking_a_pack_out_again_leaves_what_was(flown):
    plan = write_plan(flown["six"], school="loaded voltage").plan
    both = add_pack(plan, flown["four"])
    back = remove_pack(both, "s4")
    for rule in plan.rules:
        assert back.rule(rule.key).conditions == rule.conditions
    assert (back.profiles, back.choose) == (plan.profiles, "one")
    assert remove_pack(back, "s6") == back


def test_no_more_packs_than_a_plan_holds():
    plan = None
    for series in range(2, 8):
        result = forecast(sheet(craft=heron(), pack=satsuma(series=series, mass_kg=0.035 * series)))
        plan = write_plan(result, school="timer first").plan if plan is None else add_pack(plan, result)
    assert len(plan.profiles) == 6
    with pytest.raises(OutOfRangeError, match="holds 6 packs"):
        add_pack(plan, forecast(sheet(pack=satsuma(series=8, mass_kg=0.3))))


def test_another_school_keeps_the_other_packs(flown):
    both = write_for_packs([flown["six"], flown["four"]], school="loaded voltage").plan
    anew = keep_packs(write_plan(flown["six"], school="timer first").plan, of=both)
    assert [p.key for p in anew.profiles] == [p.key for p in both.profiles]
    assert anew.choose == both.choose
    four = flown["four"].setup.sheet.pack.series
    kept, was = anew.flown_with(series=four), both.flown_with(series=four)
    assert [t.at_s for t in kept.timers] == [t.at_s for t in was.timers]
    lands = [[c.value for c in r.conditions] for p in (kept, was) for r in p.rules if r.role == "land_now"]
    assert lands[0] == lands[1]
    alone = write_plan(flown["six"], school="timer first").plan
    assert keep_packs(alone, of=alone) == alone
