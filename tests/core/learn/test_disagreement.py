"""When flights and forecast disagree: said only when it is strong, with the causes that fit."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.sheets import sheet
from zesty_cell.core.learn.correction import learn
from zesty_cell.core.learn.disagreement import disagreement
from zesty_cell.core.learn.learned import predicted
from zesty_cell.core.learn.observation import Observation
from zesty_cell.standins.craft import Hidden, SimulatedCraft
from zesty_cell.words.say import say

SHEET = sheet()
NAMES = {"one": "Pomelo 1", "two": "Pomelo 2"}


def found(*hidden: tuple[str, Hidden], used_sigma: float = 0.02, air_c: float | None = None):
    seen = []
    for pack, truth in hidden:
        craft = SimulatedCraft(SHEET, seed=5, hidden=truth)
        for _ in range(5):
            flown = craft.fly(700.0)
            left = float(flown.flight.charge_left[flown.flight.index_at(700.0)])
            seen.append(
                Observation(
                    pack=pack, duration_s=700.0, used_ah=flown.used_ah, used_sigma=used_sigma, left=left,
                    left_sigma=0.03, air_c=air_c,
                )
            )  # fmt: skip
    return disagreement(learn(SHEET, seen), seen, sheet=SHEET, names=NAMES)


def keys(of):
    return [c.key for c in of.causes]


def test_flights_that_agree_are_not_talked_about():
    assert found(("one", Hidden())) is None
    assert found(("one", Hidden(power=1.05))) is None
    assert disagreement(learn(SHEET, []), [], sheet=SHEET, names={}) is None


def test_a_craft_that_takes_a_third_more_is_flown_harder_or_heavier():
    odd = found(("one", Hidden(power=1.35)))
    # A third more in steady flight; what bursts do stays what it was.
    assert np.isclose(odd.ratio, 1.29, atol=0.04)
    assert odd.sure > 1.8
    assert keys(odd) == ["pattern", "weight"]
    assert "harder" in say(odd.causes[0].why)
    assert "put it back" in say(odd.causes[0].test)
    less = found(("one", Hidden(power=0.7)))
    assert less.ratio < 0.8
    assert "more gently" in say(less.causes[0].why)


def test_what_a_sheet_may_be_out_by_is_its_own_doubt_and_thirteen_percent():
    seen = [Observation(pack="one", duration_s=700.0, used_ah=2.6, used_sigma=0.02) for _ in range(4)]
    learned = learn(SHEET, seen)
    found = disagreement(learned, seen, sheet=SHEET, names=NAMES)
    prior = learn(SHEET, [])
    by_power = predicted(prior.setup, logs=np.zeros(4), durations_s=np.array([700.0]))[2][0, 0]
    own = prior.used("", 700.0)[1] ** 2 - 0.055**2 + by_power**2 * (0.13**2 - 0.18**2)
    allowed = math.sqrt(own + learned.scatter**2 / 4)
    assert found.sure == pytest.approx(float(np.median(learned.plain)) / allowed, rel=1e-3)


def test_each_cause_is_named_by_its_own_trace():
    assert keys(found(("one", Hidden(power=1.35)), used_sigma=0.1))[0] == "sensor"
    assert "capacity" in keys(found(("one", Hidden(power=1.3, capacity=0.75))))
    assert "temperature" in keys(found(("one", Hidden(power=1.35)), air_c=0.0))
    tired = found(("one", Hidden(power=1.2)), ("two", Hidden(power=1.45)))
    assert "tired pack" in keys(tired)
    assert "Pomelo 2" in next(say(c.why) for c in tired.causes if c.key == "tired pack")
    assert all(say(c.test) and say(c.why) for c in tired.causes)
