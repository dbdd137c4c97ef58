"""What leads is chosen from every setting that may still pass; what cannot is not looked at further."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest

from tests.sheets import pomelo, satsuma, sheet
from zesty_cell.core.answer import lead
from zesty_cell.core.answer.forecast import forecast, sampled_factors
from zesty_cell.core.answer.thresholds import timers
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.flight.many import start_many
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import set_up

SHEETS = {
    "long": sheet(),
    "freestyle": sheet(pack=satsuma(), pattern="freestyle", landing=LandingRule(home_s=20.0)),
    "cold": sheet(conditions=Conditions(air_c=-5.0)),
    "by volts": sheet(landing=LandingRule(charge_kept=None, loaded_v=3.1, home_s=10.0)),
    "old": sheet(pack=pomelo(cycles=250)),
}


def looked_at(one, monkeypatch, *, every):
    """The callouts of a sheet, and how many settings were tried on how many flights."""
    tried, count = [], lead._Watch._count

    def counted(self, of, first, true, landing_s):
        tried.append(first.shape[0] * first.shape[1])
        count(self, of, first, true, landing_s)
        if every:
            self._tries[:] = True

    monkeypatch.setattr(lead._Watch, "_count", counted)
    callouts = forecast(one).callouts
    monkeypatch.undo()
    return callouts, sum(tried)


@pytest.mark.parametrize("name", SHEETS)
def test_leaving_out_what_can_pass_no_more_changes_nothing(name, monkeypatch):
    some, few = looked_at(SHEETS[name], monkeypatch, every=False)
    all_of, many = looked_at(SHEETS[name], monkeypatch, every=True)
    assert some == all_of
    assert few < many


@pytest.fixture(scope="module")
def chosen():
    """What leads on a sheet whose calls both pass, before it is derived."""
    setup = set_up(sheet())
    flight, factors = fly(setup), sampled_factors(setup)
    choice = lead.LeadChoice(setup=setup, flight=flight, factors=factors)
    start_many(setup, factors=factors, beyond_landing=0.05, visit=choice.visit)()
    return choice, timers(setup=setup, flight=flight, earliest_landing_s=flight.landing_s)


@pytest.mark.parametrize(
    ("low", "land", "low_over_land_v", "stands"),
    [
        ("calls", "calls", 0.4, "calls"),
        ("calls", "guard", 0.4, "off"),
        ("calls", "off", 0.4, "off"),
        ("off", "calls", 0.4, "off"),
        ("calls", "calls", 0.0, "off"),
        ("calls", "calls", -0.1, "off"),
    ],
)
def test_a_first_word_stands_only_before_a_last_one(chosen, monkeypatch, low, land, low_over_land_v, stands):
    choice, set_to = chosen
    calls = {key: choice._call(key, choice._watch.trials(key)) for key in ("pack_low", "land_now")}
    land_v = calls["land_now"].threshold.pack_v

    def as_asked(key, _):
        call = calls[key]
        at_v = land_v + low_over_land_v if key == "pack_low" else land_v
        threshold = dataclasses.replace(call.threshold, pack_v=at_v)
        return dataclasses.replace(call, stands=low if key == "pack_low" else land, threshold=threshold)

    monkeypatch.setattr(choice, "_call", as_asked)
    plan = choice.derived(set_to)
    assert (plan.pack_low.stands, plan.land_now.stands) == (stands, land)
    assert (plan.leads == "voltage") == (land == "calls")


def test_a_pack_too_small_for_the_step_of_a_charge_call_has_none():
    """A tenth of 20 mAh is less than the 5 mAh a transmitter is set in."""
    tiny = sheet(pack=pomelo(capacity_ah=0.02), landing=LandingRule(charge_kept=0.9, home_s=0.0))
    assert forecast(tiny).callouts.charge is None
    small = sheet(pack=pomelo(capacity_ah=0.05), landing=LandingRule(charge_kept=0.6, home_s=0.0))
    assert forecast(small).callouts.charge.land_ah == 0.015


def test_a_setting_is_left_out_only_once_it_fails_with_every_hold():
    """Of two hundred flights 2 % may be false, 5 % late; a last guard may come late, a plain call is followed."""
    flights = 200
    watch = lead._Watch.__new__(lead._Watch)
    watch._flights, watch._counting = flights, lead.Lock()
    watch._lead_s, watch._due = np.zeros(4), np.full(4, 1.0 + lead.LATE_SHARE)
    watch._false = np.zeros((4, 2), dtype=np.int64)
    watch._late = np.zeros_like(watch._false)
    watch._plain, watch._guard = np.array([True, False, False, False]), np.array([False, False, False, True])
    watch._tries = np.ones(4, dtype=np.bool_)
    landing_s = np.full(20, 100.0)

    def seen(*, false, late, holds=slice(None)):
        """All settings alike: so many flights called falsely with some holds, so many never called."""
        first, true = np.full((4, 20, 2), 100.0), np.full((4, 20, 2), 100.0)
        first[:, :false, holds], true[:, 20 - late :, holds] = 10.0, np.inf
        first[:, 20 - late :, holds] = np.inf
        watch._count(np.arange(4), first, true, landing_s)
        return watch._tries.tolist()

    assert seen(false=9, late=0, holds=0) == [True] * 4  # the other hold may pass yet
    assert seen(false=4, late=10, holds=1) == [True] * 4  # 2 and 5 % of two hundred: as many as may be
    assert watch._false.tolist() == [[9, 4]] * 4
    assert watch._late.tolist() == [[0, 10]] * 4
    assert seen(false=0, late=1) == [True, False, False, True]
    assert seen(false=1, late=0) == [True, False, False, False]
