"""What leads is chosen from every setting that may still pass; what cannot is not looked at further."""

from __future__ import annotations

import numpy as np
import pytest

from tests.sheets import pomelo, satsuma, sheet
from zesty_cell.core.answer import lead
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions

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
