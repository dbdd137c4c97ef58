"""A case from its first sign to what it was."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from pydantic import ValidationError

from zesty_cell.core.faults import named, told
from zesty_cell.core.faults.case import NOT_TOLD, Answer, Case, Closed, look_at
from zesty_cell.core.faults.table import the_table
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.words.say import say

AT = datetime(2026, 5, 1, 9, 0, tzinfo=UTC)
LIPO = chemistry_for("lipo")


def case(*signs, **other):
    return Case(craft="Heron", began_at=AT, signs=signs, **other)


def answered(reading, outcome):
    return Answer(reading=reading, outcome=outcome, at=AT)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"craft": None}, "craft"),
        ({"signs": ("no_such",)}, "signs"),
        ({"signs": ("pack_hot", "pack_hot")}, "signs"),
        ({"answers": (answered("cells", "blue"),)}, "answers"),
        ({"answers": (answered("no_such", NOT_TOLD),)}, "answers"),
        ({"answers": (answered("cells", "apart"), answered("cells", "together"))}, "answers"),
        ({"known": {"air": "hot"}}, "answers"),
        ({"closed": Closed(was="gremlins", at=AT)}, "closed"),
    ],
)
def test_a_case_names_only_what_the_table_has(change, field):
    with pytest.raises(ValidationError) as error:
        Case.model_validate(case("pack_hot").model_dump() | change)
    assert error.value.errors()[0]["ctx"]["field"] == field


def test_no_sign_is_no_case():
    with pytest.raises(ValidationError):
        case()


def test_an_answer_moves_the_ranking_and_says_from_where():
    look = look_at(case("alarm_chatters", "alarm_early"), known={}, was={})
    assert look.before is look.now
    assert look.stands == "looking"
    then = look_at(
        case("alarm_chatters", "alarm_early", answers=(answered("hold", "too short"),)), known={}, was={}
    )
    chance = {r.cause: r.chance for r in then.now.ranked}["hold_short"]
    before = {r.cause: r.chance for r in then.before.ranked}["hold_short"]
    assert before == pytest.approx({r.cause: r.chance for r in look.now.ranked}["hold_short"])
    assert chance > before
    assert then.stands == "sure"
    assert then.next == ()
    verdict, do = named.verdict(then)
    assert say(verdict) == "It is most likely a hold shorter than a climb."
    assert say(do).startswith("Hold it longer")


def test_what_the_pilot_answers_goes_before_what_the_log_says():
    one = case("flights_shorter", answers=(answered("air", "mild"),))
    assert look_at(one, known={"air": "cold", "cells": "together"}, was={}).readings == {
        "air": "mild", "cells": "together",
    }  # fmt: skip
    could_not = case("flights_shorter", answers=(answered("air", NOT_TOLD),))
    assert look_at(could_not, known={"air": "cold"}, was={}).readings == {"air": "cold"}


def test_a_check_that_could_not_be_made_is_not_proposed_again():
    first = look_at(case("flights_shorter"), known={}, was={}).next[0].reading
    then = look_at(case("flights_shorter", answers=(answered(first, NOT_TOLD),)), known={}, was={})
    assert first not in {p.reading for p in then.next}


def test_when_everything_reads_well_nothing_is_off():
    well = {key: reading.outcomes[0] for key, reading in the_table().readings.items()}
    look = look_at(case("flights_shorter"), known=well, was={})
    assert look.stands == "nothing is off"
    verdict, do = named.verdict(look)
    assert say(verdict) == "Most likely nothing is off."
    assert do is not None


def test_when_no_check_is_left_it_says_so_and_what_comes_first():
    """A hard flight tells the same as a sensor's noise: with every check made, there is still a first."""
    others = dict.fromkeys(the_table().readings, NOT_TOLD)
    look = look_at(
        case("volts_jump", "weak_climb", answers=tuple(answered(k, o) for k, o in others.items())), known={}, was={}
    )
    assert look.stands == "no check helps"
    verdict, do = named.verdict(look)
    assert say(verdict).startswith("No further check would tell much.")
    assert do is not None


def test_danger_is_said_of_the_case_and_named_first():
    assert case("swollen").dangerous
    assert not case("pack_hot").dangerous
    stop, where, after = (say(f) for f in named.in_danger())
    assert stop == "Stop. Do not charge it, do not fly it."
    assert "outdoors" in where
    assert "local rules" in after


def test_everything_of_the_table_has_its_words():
    table = the_table()
    for key in table.signs:
        assert say(named.sign(key))
    for key, reading in table.readings.items():
        assert say(named.reading(key))
        assert say(named.how(key))
        assert len({say(named.outcome(key, o)) for o in reading.outcomes}) == len(reading.outcomes)
    for key in table.causes:
        assert all(say(f(key)) for f in (named.cause, named.why, named.what_to_do))


@pytest.mark.parametrize(
    ("found", "outcome"),
    [
        (told.resistance(1.2), "usual"),
        (told.resistance(1.27), None),
        (told.resistance(1.35), "high"),
        (told.capacity(0.91), "usual"),
        (told.capacity(0.89), None),
        (told.capacity(0.87), "low"),
        (told.charged_to(4.175, chemistry=LIPO), "full"),
        (told.charged_to(4.165, chemistry=LIPO), None),
        (told.charged_to(4.155, chemistry=LIPO), "short"),
        (told.line(1.39), "usual"),
        (told.line(1.6), None),
        (told.line(1.81), "high"),
        (told.voltage_scale(-0.008), "right"),
        (told.voltage_scale(0.010), None),
        (told.voltage_scale(-0.012), "out"),
        (told.current_scale(0.03, error=0.03), "right"),
        (told.current_scale(0.03, error=0.04), None),
        (told.current_scale(-0.10, error=0.019), "out"),
        (told.current_scale(-0.10, error=0.03), None),
        (told.power(1.05), "usual"),
        (told.power(1.065), None),
        (told.power(1.08), "more"),
        (told.weight(1.02), "as on the sheet"),
        (told.weight(1.03), None),
        (told.weight(1.035), "more"),
        (told.air(12.0), "mild"),
        (told.air(10.0), None),
        (told.air(8.0), "cold"),
        (told.cells([3.80, 3.80, 3.771], chemistry=LIPO), "together"),
        (told.cells([3.80, 3.80, 3.77], chemistry=LIPO), "apart"),
    ],
)
def test_figures_tell_one_thing_the_other_or_nothing(found, outcome):
    assert found == outcome
