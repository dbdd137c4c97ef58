"""Which part to change for what gets hot, by the chain."""

from __future__ import annotations

from dataclasses import replace

import pytest

from tests.sheets import sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.choose.chain import parts_chain
from zesty_cell.core.faults import told
from zesty_cell.core.faults.part import part_to_change
from zesty_cell.core.flight.honest_current import honest_current
from zesty_cell.words.say import say


@pytest.fixture(scope="module")
def chain():
    result = forecast(sheet())
    return parts_chain(
        setup=result.setup, flight=result.flight, at_landing=result.at_landing,
        honest=honest_current(result.setup.sheet.pack),
    )  # fmt: skip


def carrying(chain, **shares):
    """The chain with such shares of the limits, and half of it everywhere else."""
    links = tuple(replace(n, share=shares.get(n.key, 0.5)) for n in chain.links)
    return replace(chain, links=links)


@pytest.mark.parametrize(
    ("signs", "shares", "key"),
    [
        ({"pack_hot", "motors_cold"}, {"cells": 1.3, "motors": 1.6}, "fault.change.pack"),
        ({"pack_hot", "motors_cold"}, {"plug": 1.2, "cells": 1.1}, "fault.change.plug"),
        ({"pack_hot"}, {"rating": 0.95}, "fault.change.pack"),
        ({"pack_hot"}, {"cells": 0.9}, "fault.change.none"),
        ({"pack_hot", "motors_hot"}, {"cells": 1.3, "motors": 1.1}, "fault.change.motors"),
        ({"motors_hot"}, {"motors": 1.1, "esc": 1.2}, "fault.change.esc"),
        ({"esc_hot"}, {"esc_burst": 1.01}, "fault.change.esc"),
        ({"motors_hot"}, {"propeller": 1.4}, "fault.change.propeller"),
        ({"motors_hot"}, {"cells": 2.0}, "fault.change.none"),
        ({"pack_hot"}, {"propeller": 2.0}, "fault.change.none"),
    ],
)
def test_the_part_is_the_worst_of_those_that_are_asked(chain, signs, shares, key):
    found = part_to_change(carrying(chain, **shares), signs=signs)
    assert found.key == key
    assert "%" in say(found)


def test_of_what_is_not_warm_nothing_is_said(chain):
    assert part_to_change(chain, signs={"flights_shorter", "alarm_early"}) is None


@pytest.mark.parametrize(
    ("shares", "outcome"),
    [
        ({"cells": 1.0}, "inside"),
        ({"cells": 1.03}, None),
        ({"cells": 1.05}, "pack"),
        ({"leads": 1.2, "motors": 1.1}, "pack"),
        ({"motors": 1.2, "cells": 1.1}, "motors"),
        ({"esc": 1.5}, "motors"),
        ({"voltage": 1.5, "propeller": 1.5}, "inside"),
    ],
)
def test_a_chain_tells_which_side_is_past_its_limit(chain, shares, outcome):
    assert told.chain(carrying(chain, **shares)) == outcome
