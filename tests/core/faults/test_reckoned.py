"""Signs and readings to causes: against the rule written out by hand, and by another way of adding up."""

from __future__ import annotations

import itertools
import math

import pytest

from zesty_cell.core.faults.next_check import (
    LEAST_BITS,
    SURE,
    is_sure,
    worth_making,
)
from zesty_cell.core.faults.reckoned import (
    LIKELY,
    POSSIBLE,
    Seen,
    chances_of,
    entropy,
    reckon,
    split,
    usual_chances,
)
from zesty_cell.core.faults.table import DANGERS, Table, the_table

TABLE = the_table()
CAUSES = list(TABLE.causes)


def _chance_of_sign(sign, causes):
    """Noisy-or as it is written in books: one less the product of what leaves it out."""
    missing = 1.0 - TABLE.signs[sign].by_itself
    for cause in causes:
        missing *= 1.0 - TABLE.causes[cause].signs.get(sign, 0.0)
    return 1.0 - missing


def _by_hand(signs, readings):
    """Chance of each cause and of none, in plain loops over every set of up to two causes."""
    weight = {}
    for causes in itertools.chain([()], ((c,) for c in CAUSES), itertools.combinations(CAUSES, 2)):
        w = 1.0
        for cause in CAUSES:
            usual = TABLE.causes[cause].usual
            w *= usual if cause in causes else 1.0 - usual
        for key, sign in TABLE.signs.items():
            ticked = sign.noticed * _chance_of_sign(key, causes)
            w *= ticked if key in signs else 1.0 - ticked
        for key, outcome in readings.items():
            w *= _chance_of_outcome(key, outcome, causes)
        weight[causes] = w
    whole = sum(weight.values())
    by_cause = {c: sum(w for s, w in weight.items() if c in s) / whole for c in CAUSES}
    return by_cause, weight[()] / whole


def _chance_of_outcome(key, outcome, causes):
    reading = TABLE.readings[key]
    well = 1.0 - sum(reading.by_itself.values())
    pull = dict(reading.by_itself)
    for cause in causes:
        own = TABLE.causes[cause].readings.get(key, {})
        well *= 1.0 - sum(own.values())
        for name, chance in own.items():
            pull[name] += chance
    if outcome == reading.outcomes[0]:
        return well
    return (1.0 - well) * pull[outcome] / sum(pull.values())


@pytest.mark.parametrize(
    ("signs", "readings"),
    [
        ({"flights_shorter"}, {}),
        ({"pack_hot", "motors_cold", "weak_climb"}, {"chain": "pack"}),
        ({"vibrates", "motors_hot"}, {"motors": "one hotter", "spin": "smooth", "wind": "windy"}),
    ],
)
def test_causes_are_weighed_as_the_rule_says(signs, readings):
    found = reckon(Seen(frozenset(signs), readings))
    by_cause, nothing = _by_hand(signs, readings)
    assert found.nothing == pytest.approx(nothing, rel=1e-9)
    assert {r.cause: r.chance for r in found.ranked} == pytest.approx(by_cause, rel=1e-9)
    assert [r.chance for r in found.ranked] == sorted((r.chance for r in found.ranked), reverse=True)


def test_one_cause_one_sign_by_hand():
    """A tired pack alone, flights shorter: 1 − 0.90 · 0.15 = 0.865; with a label that promises more, 0.973."""
    tired, label = CAUSES.index("tired_pack"), CAUSES.index("label")
    shorter = chances_of("flights_shorter")[:, 1]
    assert shorter[0] == pytest.approx(0.10)
    assert shorter[1 + tired] == pytest.approx(1.0 - 0.90 * 0.15)
    both = 1 + len(CAUSES) + list(itertools.combinations(range(len(CAUSES)), 2)).index((tired, label))
    assert shorter[both] == pytest.approx(1.0 - 0.90 * 0.15 * 0.20)


def test_outcomes_of_a_reading_add_up_under_every_hypothesis():
    for key in TABLE.readings:
        assert chances_of(key).sum(axis=1) == pytest.approx(1.0)
        assert (chances_of(key) > 0.0).all()


def test_words_follow_the_chance():
    ranked = reckon(Seen(frozenset({"flights_shorter", "alarm_early"}), {"air": "cold"})).ranked
    for r in ranked:
        assert r.words == ("likely" if r.chance >= LIKELY else "possible" if r.chance >= POSSIBLE else "unlikely")
    assert ranked[0].cause == "cold"
    assert ranked[0].words == "likely"
    assert (LIKELY, POSSIBLE) == (0.5, 0.12)


def test_what_speaks_for_a_cause_and_against_it_is_named():
    seen = Seen(frozenset({"flights_shorter", "pack_hot"}), {"resistance": "high", "cells": "together"})
    by_cause = {r.cause: r for r in reckon(seen).ranked}
    tired, weak = by_cause["tired_pack"], by_cause["weak_cell"]
    assert "resistance" in {s.key for s in tired.for_it}
    assert weak.against_it[0].key == "cells"
    assert all(s.times >= 1.5 for s in tired.for_it)
    assert all(s.times <= 1.0 / 1.5 for s in weak.against_it)
    assert [s.times for s in tired.for_it] == sorted((s.times for s in tired.for_it), reverse=True)


def test_a_sign_that_was_not_ticked_is_less_than_one_that_is_not_there():
    """Who notices nine in ten leaves a tenth of doubt: an unticked sign weighs 1 − 0.9 p, and not 1 − p."""
    without = reckon(Seen(frozenset({"volts_jump"})))
    chance = {r.cause: r.chance for r in without.ranked}["tired_pack"]
    sure_not = _if_every_sign_were_noticed({"volts_jump"})["tired_pack"]
    assert chance > 1.5 * sure_not


def _if_every_sign_were_noticed(signs):
    weight = {}
    for causes in itertools.chain([()], ((c,) for c in CAUSES)):
        w = math.prod(TABLE.causes[c].usual / (1.0 - TABLE.causes[c].usual) for c in causes)
        for key in TABLE.signs:
            there = _chance_of_sign(key, causes)
            w *= there if key in signs else 1.0 - there
        weight[causes] = w
    whole = sum(weight.values())
    return {c: weight[(c,)] / whole for c in CAUSES}


def test_closed_cases_move_how_usual_a_cause_is_a_little():
    plain, taught = usual_chances(), usual_chances({"plug_or_lead": 3, "nothing": 2})
    assert plain["plug_or_lead"] == pytest.approx(0.05)
    assert taught["plug_or_lead"] == pytest.approx((30 * 0.05 + 3) / 35)
    assert taught["tired_pack"] == pytest.approx(30 * 0.08 / 35)
    signs = Seen(frozenset({"weak_climb", "volts_jump"}))
    before = {r.cause: r.chance for r in reckon(signs).ranked}["plug_or_lead"]
    after = {r.cause: r.chance for r in reckon(signs, usual=taught).ranked}["plug_or_lead"]
    assert before < after < 0.95


def test_the_next_check_is_the_one_that_tells_most_for_its_trouble():
    now = reckon(Seen(frozenset({"cell_apart", "longer_to_charge"})))
    found = worth_making(now, known=set(), signs={"cell_apart"})
    assert found[0].reading in {"cells", "charger"}
    assert [p.worth for p in found] == sorted((p.worth for p in found), reverse=True)
    assert all(p.bits >= LEAST_BITS for p in found)
    # What it is expected to tell, added up by hand over its outcomes.
    cells = next(p for p in found if p.reading == "cells")
    after = 0.0
    for outcome in TABLE.readings["cells"].outcomes:
        chance = float(
            chances_of("cells")[:, list(TABLE.readings["cells"].outcomes).index(outcome)] @ now.of_hypothesis
        )
        then = reckon(Seen(frozenset({"cell_apart", "longer_to_charge"}), {"cells": outcome}))
        after += chance * entropy(split(then.of_hypothesis))
    assert cells.bits == pytest.approx(entropy(split(now.of_hypothesis)) - after, rel=1e-9)


def test_a_flight_for_its_own_sake_costs_more_than_a_look():
    now = reckon(Seen(frozenset({"flights_shorter", "pack_hot"})))
    by = {p.reading: p for p in worth_making(now, known=set(), signs={"flights_shorter"})}
    fly, look = by["power"], by["manner"]
    assert fly.worth == pytest.approx(fly.bits / ((5.0 + fly.minutes) * 3.0))
    assert look.worth == pytest.approx(look.bits / (5.0 + look.minutes))


def test_known_readings_are_not_asked_again():
    now = reckon(Seen(frozenset({"flights_shorter"})))
    every = {p.reading for p in worth_making(now, known=set(), signs=set())}
    assert not every & {p.reading for p in worth_making(now, known=every, signs=set())}


@pytest.mark.parametrize("danger", sorted(DANGERS))
def test_while_a_pack_may_burn_no_check_flies_or_takes_it_in_hand(danger):
    for others in ({"flights_shorter"}, {"pack_hot", "cell_apart"}, {"motors_hot", "vibrates"}):
        now = reckon(Seen(frozenset({danger, *others})))
        found = worth_making(now, known=set(), signs={danger, *others})
        assert {p.risk for p in found} <= {"look"}
        assert worth_making(now, known=set(), signs=others)  # else there would be some


def test_dangers_are_the_four_that_may_burn():
    assert {"swollen", "smell", "hot_at_rest", "damaged"} == DANGERS


def test_sure_is_three_in_four():
    assert SURE == 0.75
    signs = frozenset({"alarm_chatters", "alarm_early"})
    now = reckon(Seen(signs, {"hold": "too short"}))
    assert is_sure(now)
    assert now.ranked[0].cause == "hold_short"
    assert not is_sure(reckon(Seen(frozenset({"flights_shorter"}))))


def test_the_table_refuses_what_does_not_hold_together():
    whole = TABLE.model_dump()
    for change in (
        {"signs": {**whole["causes"]["cold"]["signs"], "no_such": 0.5}},
        {"readings": {"air": {"warm": 0.5}}},
        {"readings": {"motors": {"one hotter": 0.6, "all hot": 0.5}}},
    ):
        broken = {**whole, "causes": {**whole["causes"], "cold": {**whole["causes"]["cold"], **change}}}
        with pytest.raises(ValueError, match="cold"):
            Table.model_validate(broken)
    without = {key: check for key, check in whole["checks"].items() if key != "air"}
    with pytest.raises(ValueError, match="check"):
        Table.model_validate({**whole, "checks": without})
    lacks = {**whole["readings"], "air": {"outcomes": ("mild", "cold"), "by_itself": {}}}
    with pytest.raises(ValueError, match="air"):
        Table.model_validate({**whole, "readings": lacks})


def test_the_table_is_as_large_as_the_job():
    assert 24 <= len(CAUSES) <= 30
    assert all(cause.signs and cause.readings for cause in TABLE.causes.values())
    # Every reading can speak for some cause, and every sign too.
    assert {r for c in TABLE.causes.values() for r in c.readings} == set(TABLE.readings)
    since = {"new_propellers", "new_pack", "new_plug", "new_motor", "new_tune", "new_load"}
    assert {s for c in TABLE.causes.values() for s in c.signs} >= set(TABLE.signs) - DANGERS - since
