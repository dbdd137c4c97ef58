"""Health: a good pack stays fit through noise, an ageing one is watched and retired in time."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from tests.sheets import satsuma
from zesty_cell.core.learn.calibration import CellCheck
from zesty_cell.core.learn.cell_spread import cell_spread
from zesty_cell.core.learn.flights import LoggedFlight, left_by_rest, used_of
from zesty_cell.core.learn.health import (
    CAPACITY_RETIRE,
    CAPACITY_WATCH,
    RESISTANCE_RETIRE,
    RESISTANCE_WATCH,
    Reading,
    _reasons,
    capacity_trend,
    health,
    storage_fact,
)
from zesty_cell.core.learn.matched_pairs import PackFit, matched_pairs
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import open_circuit_v, resistance_at_25
from zesty_cell.words.say import say

LIPO = chemistry_for("lipo")
PACK = satsuma()
START = datetime(2026, 3, 1, 10, 0, tzinfo=UTC)


def rest_v(left: float) -> float:
    return float(open_circuit_v(chemistry=LIPO, charge_left=np.array([left]))[0])


def life(flights: int, *, fade: float = 0.0, growth: float = 0.0, seed: int = 1, **more) -> list[LoggedFlight]:
    """Flights to 25 % left; capacity falls by ``fade`` and resistance grows by ``growth`` a flight."""
    rng = np.random.default_rng(seed)
    found = []
    for k in range(flights):
        capacity_ah = PACK.capacity_ah * (1.0 - fade * k)
        found.append(
            LoggedFlight(
                landed_at=START + timedelta(days=2 * k),
                duration_s=240.0,
                pattern="Freestyle",
                rest_v_per_cell=round(rest_v(0.25) + 0.006 * rng.normal(), 2),
                rest_after_s=7200,
                put_back_ah=round(0.75 * capacity_ah * (1 + 0.01 * rng.normal()), 3),
                charged_at=START + timedelta(days=2 * k, hours=6),
                resistance_ohm=round(0.006 * (1 + growth * k) * (1 + 0.05 * rng.normal()), 5),
                charger_c=25.0,
                **more,
            )
        )
    return found


def now(flights: list[LoggedFlight]) -> datetime:
    return flights[-1].landed_at + timedelta(days=1)


@pytest.mark.parametrize("seed", range(12))
def test_noise_alone_neither_condemns_a_pack_nor_makes_a_trend(seed):
    flown = life(40, seed=seed)
    found = health(PACK, flown, now=now(flown))
    assert found.verdict == "fit"
    assert found.capacity_share == pytest.approx(1.0, abs=0.05)
    assert found.trend is None or found.trend.flights_left > 100


def test_an_ageing_pack_is_watched_then_retired():
    young, old, spent = (
        health(PACK, f, now=now(f)) for f in (life(10), life(60, fade=0.003), life(60, fade=0.0068))
    )
    assert [h.verdict for h in (young, old, spent)] == ["fit", "watch", "retire"]
    assert spent.capacity_share == pytest.approx(1 - 0.0068 * 57, abs=0.05)
    assert "of what it held at first" in say(spent.reasons[0].why)


def test_flights_left_are_those_until_seventy_percent():
    flown = life(60, fade=0.003)
    trend = health(PACK, flown, now=now(flown)).trend
    truth = (1 - 0.003 * 59 - 0.70) / 0.003
    assert trend.flights_left == pytest.approx(truth, rel=0.35)
    assert trend.earliest <= truth <= trend.latest


def test_resistance_is_compared_at_25_degrees():
    cold = resistance_at_25(0.012, chemistry=LIPO, temperature_c=5.0)
    assert cold < 0.008
    assert resistance_at_25(0.012, chemistry=LIPO, temperature_c=25.0) == pytest.approx(0.012)
    assert resistance_at_25(0.012, chemistry=LIPO, temperature_c=None) == 0.012
    flown = life(30, growth=0.03)
    found = health(PACK, flown, now=now(flown))
    assert found.verdict == "watch"
    assert found.resistance_ratio == pytest.approx(1.8, abs=0.15)
    assert "times that of its first flights" in say(found.reasons[0].why)


def test_a_cell_that_falls_behind_is_named():
    even, apart, broken = (
        cell_spread(v, chemistry=LIPO) for v in ((3.8, 3.81, 3.8), (3.8, 3.76, 3.8), (3.8, 3.6, 3.8))
    )
    assert [c.verdict for c in (even, apart, broken)] == ["fit", "watch", "retire"]
    assert apart.weakest == 1
    assert apart.spread_v == pytest.approx(0.04)
    check = CellCheck(made_at=START + timedelta(days=99), cells_v=(3.8, 3.8, 3.69, 3.8, 3.8, 3.8))
    found = health(PACK, life(3), now=START + timedelta(days=100), checks=[check])
    assert (found.verdict, found.weakest) == ("retire", 2)
    assert "cell 3 is the lowest" in say(found.reasons[0].why)


def test_hot_deep_and_long_full_are_counted():
    flown = life(4)
    flown[1] = flown[1].model_copy(update={"rest_v_per_cell": 3.2, "hottest_c": 66.0})
    found = health(PACK, flown, now=now(flown))
    assert found.verdict == "watch"
    assert {say(r.why)[:11] for r in found.reasons if r.verdict == "watch"} == {"It was once", "It was 66 °"}
    assert found.hottest_c == 66.0
    assert found.deepest_left < 0.03
    # Charged six hours after landing, flown two days later; the last stands for eighteen hours.
    between = timedelta(days=2) - timedelta(hours=6, seconds=240)
    assert found.days_full == pytest.approx((3 * between + timedelta(hours=18)) / timedelta(days=1), rel=1e-6)
    assert found.full_cycles == pytest.approx(4 * 0.75, rel=0.05)


def test_a_flight_set_aside_says_nothing_of_the_capacity():
    flown = life(12)
    odd = flown[5].model_copy(update={"put_back_ah": 0.4, "set_aside": "charger stopped early"})
    found = health(PACK, [*flown[:5], odd, *flown[6:]], now=now(flown))
    assert len(found.capacity) == 11
    assert found.flights == 12


def test_short_flights_and_bare_ones_are_no_reading():
    bare = LoggedFlight(landed_at=START, duration_s=60.0, pattern="Freestyle")
    short = bare.model_copy(update={"put_back_ah": 0.3, "rest_v_per_cell": 4.0})
    found = health(PACK, [bare, short], now=START)
    assert found.capacity == ()
    assert (found.verdict, found.capacity_share, found.trend) == ("fit", None, None)
    assert "too few readings" in say(found.reasons[0].why)
    assert "No flight" in say(health(PACK, [], now=START).reasons[0].why)


@pytest.mark.parametrize(
    ("figure", "value", "se", "verdict"),
    [
        ("capacity", CAPACITY_RETIRE - 0.02, 0.03, "watch"),  # may as well hold 71 %
        ("capacity", CAPACITY_RETIRE - 0.02, 0.01, "retire"),
        ("capacity", CAPACITY_WATCH - 0.02, 0.03, "fit"),
        ("resistance", RESISTANCE_RETIRE + 0.04, 0.03, "watch"),
        ("resistance", RESISTANCE_RETIRE + 0.04, 0.01, "retire"),
        ("resistance", RESISTANCE_WATCH + 0.02, 0.03, "fit"),
    ],
)
def test_a_pack_is_judged_by_what_is_sure_of_it(figure, value, se, verdict):
    of = {"capacity": None, "resistance": None} | {figure: (value, se)}
    [reason] = _reasons(**of, cells=None, deepest=None, hottest_c=None, flights=9)
    assert reason.verdict == verdict


def test_half_a_reading_is_no_capacity_and_the_charge_alone_tells_how_deep_it_went():
    """Either of charge put back and rest voltage alone tells no capacity; 1.17 of 1.3 Ah leave a tenth."""
    rested = life(1)[0].model_copy(update={"put_back_ah": None})
    charged = life(1)[0].model_copy(update={"rest_v_per_cell": None, "rest_after_s": None, "put_back_ah": 1.17})
    found = health(PACK, [rested, charged], now=START + timedelta(days=9))
    assert found.capacity == ()
    by_share = used_of(charged, pack=PACK).share
    assert found.deepest_left == pytest.approx(1.0 - by_share)
    assert 0.0 < found.deepest_left < 0.15


def test_cells_are_those_read_last_and_of_one_there_is_no_spread():
    uneven = (3.8, 3.8, 3.69, 3.8, 3.8, 3.8)
    flight = life(1)[0].model_copy(update={"cells_v": uneven, "charged_at": START + timedelta(days=3)})
    between = CellCheck(made_at=START + timedelta(days=2), cells_v=(3.8,) * 6)
    after = CellCheck(made_at=START + timedelta(days=4), cells_v=(3.8,) * 6)
    assert health(PACK, [flight], now=START + timedelta(days=9), checks=[between]).weakest == 2
    assert health(PACK, [flight], now=START + timedelta(days=9), checks=[between, after]).weakest is None
    at_landing = flight.model_copy(update={"charged_at": None})
    assert health(PACK, [at_landing], now=START + timedelta(days=9), checks=[between]).weakest is None
    one = CellCheck(made_at=START + timedelta(days=8), cells_v=(3.8,))
    assert health(PACK, life(1), now=START + timedelta(days=9), checks=[one]).spread_v is None


def test_a_trend_is_over_a_cycle_at_least():
    def of(cycles):
        at = np.linspace(0.0, cycles, 8)
        return [Reading(START, float(x), 1.3 * (1.0 - 0.2 * x), 0.001) for x in at]

    assert capacity_trend(of(1.0), flights=8) is not None
    assert capacity_trend(of(0.99), flights=8) is None


def test_packs_left_full_or_empty_are_to_be_stored():
    assert "full for 4 days: bring it to 3.85 V" in say(storage_fact(charge=1.0, days=4.2, storage_v=3.85))
    assert "almost empty" in say(storage_fact(charge=0.2, days=10.0, storage_v=3.85))
    assert "empty for" in say(storage_fact(charge=0.0, days=10.0, storage_v=3.85))
    assert storage_fact(charge=0.5, days=100.0, storage_v=3.85) is None
    assert storage_fact(charge=1.0, days=1.0, storage_v=3.85) is None
    assert storage_fact(charge=None, days=100.0, storage_v=3.85) is None


def test_pairs_are_matched_by_capacity_and_resistance():
    kind = ("lipo", 4, 1)
    packs = [
        PackFit("a", kind, 2.20, 0.030), PackFit("b", kind, 2.10, 0.031), PackFit("c", kind, 2.19, 0.0305),
        PackFit("d", kind, 2.12, 0.032), PackFit("e", kind, 2.20, 0.060), PackFit("f", ("lipo", 6, 1), 2.2, 0.03),
    ]  # fmt: skip
    found = [(p.first, p.second) for p in matched_pairs(packs)]
    assert found == [("a", "c"), ("b", "d")]
    assert matched_pairs(packs)[0].capacity_apart < 0.01
    assert matched_pairs([]) == ()


def test_a_capacity_is_known_as_well_as_the_charge_put_back_and_the_rest_voltage_tell_by_hand():
    """1.5 % of the charger; 10 mV and half of the recovery over the curve's slope, on the share that was used."""
    flown = life(1)[0].model_copy(update={"rest_after_s": 60.0})
    [reading] = health(PACK, [flown], now=now([flown])).capacity
    rest = left_by_rest(flown, pack=PACK, used_ah=flown.put_back_ah)
    used = 1.0 - rest.left
    assert reading.value == pytest.approx(flown.put_back_ah / used)
    by_rest = math.sqrt(0.010**2 + (0.5 * rest.rises_v) ** 2) * rest.per_volt / used
    assert reading.sigma == pytest.approx(math.sqrt(0.015**2 + by_rest**2), rel=1e-6)
