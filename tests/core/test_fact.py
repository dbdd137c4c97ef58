"""A fact is a value: equal by what it says, not to be changed, and whole in another process."""

from __future__ import annotations

import copy
import pickle

import pytest

from tests.sheets import sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.fact import fact


def test_a_fact_is_a_value():
    one = fact("timer.cold", air_c=-3.0)
    assert one == fact("timer.cold", air_c=-3.0) != fact("timer.cold", air_c=-4.0)
    assert len({one, fact("timer.cold", air_c=-3.0)}) == 1
    with pytest.raises(TypeError):
        one.figures["air_c"] = 4.0


def test_a_fact_goes_whole_to_another_process():
    inner = fact("cause", by="wind")
    one = fact("timer.cold", air_c=-3.0, because=inner)
    for sent in (pickle.loads(pickle.dumps(one)), copy.deepcopy(one)):
        assert sent == one
        with pytest.raises(TypeError):
            sent.figures["air_c"] = 4.0


def test_what_is_worked_out_in_one_process_can_be_handed_to_another():
    made = forecast(sheet())
    sent = pickle.loads(pickle.dumps((made.checks, made.callouts)))
    assert sent == (made.checks, made.callouts)
