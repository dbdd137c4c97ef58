"""Candidates and the search: counted, narrowed, held against limits, equal to the sheet's own forecast."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.choose.candidates import (
    MOST_CANDIDATES,
    SearchSpace,
    candidate_count,
    candidates,
    capacities_ah,
    check_count,
    narrowed,
    with_pack,
)
from zesty_cell.core.choose.search import Excluded, SearchLimits, _miss, pareto_front, search
from zesty_cell.core.errors import OutOfRangeError, TooManyCandidatesError
from zesty_cell.core.parts.cell import CellModel, CellSize, Ratings
from zesty_cell.core.parts.pack import pack_of_cells
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.words.say import say

CELL = CellModel(
    name="Pip 21-70",
    chemistry="liion_power",
    size=CellSize(form="round", length_m=0.070, width_m=0.0212),
    capacity_ah=4.2,
    mass_kg=0.070,
    resistance_ohm=0.0125,
    ratings=Ratings(continuous_a=35, one_minute_a=45, ten_second_a=60),
)
SPACE = SearchSpace(
    chemistries=("lipo", "liion_power"),
    cells=(CELL,),
    capacity_from_ah=0.8,
    capacity_to_ah=5.0,
    capacity_steps=7,
    series_from=4,
    series_to=6,
    parallel_to=2,
)


@pytest.fixture(scope="module")
def found():
    one = sheet()
    return one, search(one, packs=tuple(candidates(SPACE, like=one.pack)), limits=SearchLimits())


def test_a_space_holds_as_many_packs_as_it_says():
    packs = tuple(candidates(SPACE, like=pomelo()))
    # Seven sizes of pouch, one by one; seven of round cells and one of the shelf, one or two in parallel.
    assert len(packs) == candidate_count(SPACE) == 3 * (7 + 2 * (7 + 1))
    assert len({p.name for p in packs}) == len(packs)


def test_no_pack_comes_twice():
    """Two pouches of 1300 in parallel are a pouch of 2600: told by what it is, none is there two times."""
    space = SPACE.model_copy(update={"chemistries": ("lipo", "lihv"), "cells": (), "parallel_to": 4})
    packs = tuple(candidates(space, like=pomelo()))
    told = [(p.chemistry, p.series, p.capacity_ah, p.quality) for p in packs]
    assert len(set(told)) == len(told) == candidate_count(space)
    assert {p.parallel for p in packs} == {1}


def test_capacities_are_as_labels_have_them():
    steps = capacities_ah(SPACE)
    assert steps[0] == 0.8
    assert steps[-1] == 5.0
    assert all(round(1000 * c) % 10 == 0 for c in steps)


def test_arrangements_that_do_not_fit_are_not_counted():
    space = SPACE.model_copy(update={"arrangements": ("rows", "two layers", "tube")})
    # Tubes only for one in parallel; 5S1P cannot be halved.
    assert candidate_count(space) == 8 * (6 + 5 + 3) + 7 * (3 + 2 + 3)


def test_a_pack_of_cells_takes_what_the_cell_says():
    pack = pack_of_cells(cell=CELL, name="6S2P", series=6, parallel=2, arrangement="rows", pack=pomelo())
    figures = pack_figures(pack)
    assert pack.capacity_ah == pytest.approx(8.4)
    assert pack.ratings.ten_second_a == 120
    assert figures.cells_ohm == pytest.approx(6 * 0.0125 / 2)
    assert figures.mass_kg == pytest.approx(12 * 0.070 * 1.02, rel=0.05)
    assert figures.mass_known == "estimated"
    assert figures.mass_sigma < 0.05
    assert (figures.size.length_m, figures.size.width_m) == pytest.approx((6 * 0.0212, 2 * 0.0212))
    assert pack.lead_length_m == pomelo().lead_length_m


def test_a_cell_with_no_data_cannot_be_built_from():
    bare = CELL.model_copy(update={"capacity_ah": None})
    with pytest.raises(OutOfRangeError, match="no capacity yet"):
        pack_of_cells(cell=bare, name="?", series=6, parallel=1, arrangement="rows")


def test_too_many_packs_are_asked_about_first():
    huge = SearchSpace(
        chemistries=("lipo", "lihv", "liion_power", "liion_energy", "lifepo4", "nimh"),
        capacity_steps=2000, capacity_to_ah=50.0, series_from=1, series_to=24, parallel_to=24,
        arrangements=("rows", "two layers", "tube"),
    )  # fmt: skip
    assert candidate_count(huge) > 700_000
    with pytest.raises(TooManyCandidatesError, match="packs") as caught:
        check_count(huge)
    assert caught.value.count == candidate_count(huge)
    small = narrowed(huge)
    assert 0 < check_count(small) <= MOST_CANDIDATES
    assert small.chemistries == huge.chemistries


@pytest.mark.parametrize(
    "change",
    [
        {"series_from": 6, "series_to": 4},
        {"capacity_from_ah": 5.0, "capacity_to_ah": 1.0},
        {"chemistries": (), "cells": ()},
        {"series_to": 0},
        {"capacity_from_ah": float("nan")},
        {"arrangements": ()},
    ],
)
def test_bad_spaces_are_refused(change):
    with pytest.raises(ValidationError):
        SearchSpace(**(SPACE.model_dump() | change))


def test_the_search_equals_the_sheets_own_forecast_to_the_last_digit(found):
    one, result = found
    for k in range(0, len(result.packs), 5):
        own = forecast(with_pack(one, pack=result.packs[k]))
        assert result.summaries[k] == own.at_landing
        assert result.landing_s[k] == own.flight.landing_s
        assert result.figures[k] == own.setup.figures


def test_any_landing_rule_gives_the_same_in_search_and_sheet():
    for rule in (
        LandingRule(charge_kept=None, timer_s=200.0),
        LandingRule(charge_kept=None, rest_v=3.6),
        LandingRule(charge_kept=0.1, loaded_v=3.2, loaded_hold_s=1.0),
    ):
        one = sheet(landing=rule)
        packs = tuple(candidates(SPACE, like=one.pack))[::9]
        for pack, at_landing in zip(packs, search(one, packs=packs, limits=SearchLimits()).summaries, strict=True):
            own = forecast(with_pack(one, pack=pack))
            assert own.at_landing == at_landing
            assert own.flight.landing_s == at_landing.landing_s
            assert own.flight.landing_reason == at_landing.landing_reason


def test_the_front_is_what_nothing_beats(found):
    _, result = found
    good = np.flatnonzero(result.meets)
    for k in good:
        beaten = any(
            (result.landing_s[j] >= result.landing_s[k] and result.to_spare[j] > result.to_spare[k])
            or (result.landing_s[j] > result.landing_s[k] and result.to_spare[j] >= result.to_spare[k])
            for j in good
        )
        assert result.front[k] == (not beaten)
    assert not result.front[~result.meets].any()


@given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), min_size=1, max_size=30))
def test_pareto_front_of_any_points(points):
    first, second = (np.array(c, dtype=float) for c in zip(*points, strict=True))
    front = pareto_front(first=first, second=second)
    assert front.any()
    for k in np.flatnonzero(front):
        assert not np.any((first >= first[k]) & (second > second[k]))
    best = {(a, b) for a, b, f in zip(first, second, front, strict=True) if f}
    for a, b in zip(first, second, strict=True):
        assert any(x >= a and y >= b for x, y in best)


def test_limits_leave_out_what_breaks_them_and_count_it(found):
    one, free = found
    limits = SearchLimits(
        most_all_up_kg=1.1, least_time_s=900.0, within_parts=False, over_cutoff=False, most_c=None
    )
    result = search(one, packs=free.packs, limits=limits)
    all_up = np.array([b.all_up_mass_kg for b in result.summaries])
    flies = np.array([b.flies for b in result.summaries])
    assert np.array_equal(result.meets, flies & (all_up <= 1.1) & (result.landing_s >= 900.0))
    by_key = {e.key: e for e in result.excluded}
    assert by_key["all_up"].count == np.count_nonzero(all_up > 1.1)
    assert by_key["all_up"].nearest_value == all_up[all_up > 1.1].min()
    assert by_key["time"].alone == np.count_nonzero(flies & (all_up <= 1.1) & (result.landing_s < 900.0))
    assert list(result.landing_s[result.order]) == sorted(result.landing_s[result.meets], reverse=True)
    assert result.nearest is None


@pytest.mark.parametrize(
    ("key", "limit", "near", "alone", "words"),
    [
        ("holds", 0.0, 0.0, 0, "5 cannot hold the craft up to landing."),
        ("holds", 0.0, 0.0, 2, "5 cannot hold the craft up to landing, 2 by itself."),
        ("all_up", 0.7, 0.7184, 5, "The all-up weight (700 g) leaves out 5; nearest is Lime with 718 g."),
        (
            "length", 0.05, 0.062, 3,
            "The pack’s length (5.0 cm) leaves out 5, 3 by itself; nearest is Lime with 6.2 cm.",
        ),
        (
            "voltage", 25.2, 33.6, 0,
            "The highest voltage of the craft’s parts (25.2 V) leaves out 5; nearest is Lime with 33.6 V.",
        ),
        ("cutoff", 3.0, 2.87, 0, "The ESC’s cutoff (3.00 V) leaves out 5; nearest is Lime with 2.87 V."),
        ("motor", 30.0, 33.4, 0, "The motors’ current (30 A) leaves out 5; nearest is Lime with 33 A."),
        ("motor_power", 500.0, 612.0, 0, "The motors’ power (500 W) leaves out 5; nearest is Lime with 612 W."),
        ("time", 900.0, 871.0, 0, "The flight time (15:00) leaves out 5; nearest is Lime with 14:31."),
        ("thrust", 0.9, 0.84, 0, "The thrust kept (90 %) leaves out 5; nearest is Lime with 84 %."),
        ("to_spare", 3.0, 2.64, 0, "The thrust at landing (3.0) leaves out 5; nearest is Lime with 2.6."),
        ("heat", 60.0, 63.2, 0, "The hottest cell (60 °C) leaves out 5; nearest is Lime with 63 °C."),
    ],
)  # fmt: skip
def test_what_a_limit_leaves_out_is_said_in_its_unit(key, limit, near, alone, words):
    assert say(Excluded(key, limit, 5, alone, 0, near).told("Lime")) == words


@pytest.mark.parametrize(
    ("limits", "key"),
    [
        ({"most_pack_kg": 0.2}, "pack_mass"),
        ({"most_length_m": 0.05}, "length"),
        ({"most_width_m": 0.03}, "width"),
        ({"most_height_m": 0.04}, "height"),
        ({"least_thrust_share": 0.93}, "thrust"),
        ({"least_to_spare": 4.0}, "to_spare"),
        ({"most_c": 20.0}, "heat"),
    ],
)
def test_each_limit_excludes_something_of_this_space(found, limits, key):
    one, free = found
    result = search(one, packs=free.packs, limits=SearchLimits(**limits))
    assert key in {e.key for e in result.excluded}
    [[name, limit]] = limits.items()
    ceiling = name.startswith("most")
    has = {
        "pack_mass": lambda f, b: f.mass_kg, "length": lambda f, b: f.size.length_m,
        "width": lambda f, b: f.size.width_m, "height": lambda f, b: f.size.height_m,
        "thrust": lambda f, b: b.thrust_share, "to_spare": lambda f, b: b.to_spare,
        "heat": lambda f, b: b.hottest_c,
    }[key]  # fmt: skip
    values = np.array([has(f, b) for f, b in zip(result.figures, result.summaries, strict=True)])
    # Nothing that meets it is on the wrong side, and something on the wrong side was there.
    assert not ((values > limit) if ceiling else (values < limit))[result.meets].any()
    assert ((values > limit) if ceiling else (values < limit)).any()
    assert all(b.holds for b, meets in zip(result.summaries, result.meets, strict=True) if meets)


def test_the_crafts_own_parts_are_limits_too(found):
    _, free = found
    small = heron(limits={"motor_a": 12.0, "motor_count": 4, "esc_a": 20.0, "maximum_v": 22.0,
                          "esc_cutoff_v_per_cell": 3.3})  # fmt: skip
    result = search(sheet(craft=small), packs=free.packs, limits=SearchLimits())
    assert {"motor", "voltage", "cutoff"} <= {e.key for e in result.excluded}
    over = [f.full_v > 22.0 for f in result.figures]
    assert not result.meets[over].any()


def test_limits_that_nothing_meets_say_what_comes_nearest(found):
    one, free = found
    result = search(one, packs=free.packs, limits=SearchLimits(most_all_up_kg=0.7, least_time_s=2400.0))
    assert result.order.size == 0
    assert result.nearest is not None
    assert {e.key for e in result.excluded} >= {"all_up", "time"}
    assert result.excluded[0].count == len(free.packs)


def test_progress_is_told_and_a_search_can_be_cancelled(found):
    one, free = found
    told = []
    packs = free.packs * (700 // len(free.packs) + 1)  # several pieces of work
    result = search(
        one,
        packs=packs,
        limits=SearchLimits(),
        progress=lambda done, of: told.append((done, of)),
        cancelled=lambda: len(told) >= 2,
    )
    assert told[0][1] == len(packs)
    assert 0 < len(result.packs) < len(packs)
    assert not result.complete
    assert free.complete


def test_a_pack_that_cannot_be_set_up_is_left_out():
    one = sheet(pack=satsuma(), landing=LandingRule(charge_kept=None, rest_v=4.1))
    # NiMH would land at once by lithium's rest voltage; with_pack gives it its own.
    packs = tuple(candidates(SPACE.model_copy(update={"chemistries": ("nimh",), "cells": ()}), like=one.pack))
    result = search(one, packs=packs, limits=SearchLimits())
    assert len(result.packs) == len(packs)
    assert with_pack(one, pack=packs[0]).landing.rest_v == pytest.approx(1.24)


def test_how_far_a_limit_is_missed_is_relative_to_it_and_kelvins_to_fifty():
    """Of two that miss by 10 g, the one under the smaller limit is the further one."""
    assert _miss("mass", 0.5, True, np.array([0.6, 0.4])).tolist() == pytest.approx([0.2, -0.2])
    assert _miss("time", 600.0, False, np.array([540.0])).tolist() == pytest.approx([0.1])
    assert _miss("heat", 60.0, True, np.array([70.0])).tolist() == pytest.approx([0.2])
