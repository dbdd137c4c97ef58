"""How far a pack has still to recover when its rest voltage is read."""

from __future__ import annotations

import math

import pytest

from tests.sheets import pomelo, sheet
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.learn.flights import LoggedFlight, left_by_rest, used_of
from zesty_cell.core.learn.rest import rested_v, still_to_recover_v
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import charge_left_at_rest
from zesty_cell.standins.craft import Hidden, SimulatedCraft

PACK = pomelo()


def test_a_minute_after_by_hand():
    """3.2 Ah in 960 s are 12 A, through 12.5 mΩ at 25 °C 150 mV: the fast pair holds 0.6 of it and is down to
    e^(−60/25), 8.2 mV; the slow one 0.55·(1 − e^(−3.2)) of it, and is down to e^(−60/300), 64.8 mV.
    """
    rises = still_to_recover_v(pack=PACK, used_ah=3.2, flown_s=960.0, after_s=60.0, air_c=12.0, landed_c=25.0)
    fast, slow = 0.6 * 0.15 * math.exp(-60 / 25), 0.55 * 0.15 * (1 - math.exp(-3.2)) * math.exp(-60 / 300)
    assert rises == pytest.approx(fast + slow, rel=1e-3)
    assert rises == pytest.approx(0.0730, abs=0.0005)


@pytest.mark.parametrize(("sooner", "later"), [(30.0, 60.0), (60.0, 300.0), (300.0, 3600.0)])
def test_the_longer_it_rests_the_less_is_to_come(sooner, later):
    first, second = (
        still_to_recover_v(pack=PACK, used_ah=3.2, flown_s=960.0, after_s=s, air_c=12.0) for s in (sooner, later)
    )
    assert first > second >= 0.0


def test_cold_recovers_further_and_an_hour_is_rest():
    cold, mild = (
        still_to_recover_v(pack=PACK, used_ah=3.2, flown_s=960.0, after_s=60.0, air_c=air) for air in (-5.0, 20.0)
    )
    assert cold > 1.3 * mild
    assert still_to_recover_v(pack=PACK, used_ah=3.2, flown_s=960.0, after_s=3600.0, air_c=12.0) < 1e-5


def test_what_nobody_timed_is_taken_as_two_minutes_and_doubted_more():
    said = rested_v(pack=PACK, rest_v=3.4, used_ah=3.2, flown_s=960.0, after_s=120.0, air_c=12.0)
    unsaid = rested_v(pack=PACK, rest_v=3.4, used_ah=3.2, flown_s=960.0, after_s=None, air_c=12.0)
    assert unsaid[0] == said[0]
    assert unsaid[1] == pytest.approx(1.6 * said[1])


@pytest.mark.parametrize("after_s", [60.0, 300.0, 1200.0])
def test_a_flown_packs_rest_is_brought_to_its_own(after_s):
    """The stand-in follows both pairs to the landing; its reading, corrected, tells what is truly left."""
    one = sheet()
    craft = SimulatedCraft(one, seed=3, hidden=Hidden())
    flown = craft.fly(850.0)
    flight = LoggedFlight(
        landed_at="2026-06-01T10:00:00Z", duration_s=850.0, pattern="Shoreline cruise",
        rest_v_per_cell=craft.rest_v(flown, after_s=after_s), rest_after_s=after_s, put_back_ah=flown.used_ah,
        air_c=12.0, hottest_c=flown.flight.temperature_at(850.0),
    )  # fmt: skip
    left, _, doubt_v, _ = left_by_rest(flight, pack=PACK, used_ah=flown.used_ah)
    raw = charge_left_at_rest(chemistry=chemistry_for("liion_power"), rest_v=flight.rest_v_per_cell)
    truth = flown.flight.left_at(850.0)
    assert abs(left - truth) < 0.012
    assert abs(left - truth) <= abs(raw - truth)
    if after_s == 60.0:
        assert truth - raw > 0.02  # two to twelve hundredths of the charge, if nobody corrected
        assert doubt_v > 0.005


def test_the_charge_by_rest_alone_is_corrected_too():
    flown = fly(set_up(sheet()))
    used = flown.used_at(800.0)
    rest = float(flown.rest_v[flown.index_at(800.0)])
    sags = still_to_recover_v(pack=PACK, used_ah=used, flown_s=800.0, after_s=60.0, air_c=12.0)
    flight = LoggedFlight(
        landed_at="2026-06-01T10:00:00Z", duration_s=800.0, pattern="x", rest_v_per_cell=rest - sags,
        rest_after_s=60.0, air_c=12.0,
    )  # fmt: skip
    told = used_of(flight, pack=PACK)
    assert told.by == "rest voltage"
    assert told.share * PACK.capacity_ah / 0.96 == pytest.approx(used / 0.96**2, rel=0.06)
    with pytest.raises(ValueError, match="Without a rest voltage"):
        left_by_rest(flight.model_copy(update={"rest_v_per_cell": None}), pack=PACK)
