"""The pictures of choosing a pack: one scale for all, names that do not cover each other, sums that are whole."""

from __future__ import annotations

import itertools
import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.sheets import heron, pomelo, satsuma, sheet
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.choose.candidates import SearchSpace, candidates
from zesty_cell.core.choose.chain import parts_chain
from zesty_cell.core.choose.compare import Contender, compare_packs
from zesty_cell.core.choose.knee import knee
from zesty_cell.core.choose.search import SearchLimits, search
from zesty_cell.core.choose.travel import out_and_back
from zesty_cell.core.flight.honest_current import honest_current
from zesty_cell.core.flight.one import fly
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import fly_to_landing
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.web.drawing.builder_chart import dominant, resistance_parts
from zesty_cell.web.drawing.compare_chart import BAR_WIDTH, _apart, bars, half_way, multiples, overlay, slopes
from zesty_cell.web.drawing.front_chart import front_chart
from zesty_cell.web.drawing.knee_chart import _dots, _near, knee_chart
from zesty_cell.web.drawing.scale import Scale
from zesty_cell.web.drawing.trip_chart import chain_bars, trip_chart
from zesty_cell.words.say import say

_WORDS = {"lipo": "LiPo", "liion_power": "Li-ion, power"}


@pytest.fixture(scope="module")
def rows():
    packs = (pomelo(), satsuma(), pomelo(name="Double Pomelo", parallel=2, capacity_ah=8.4, mass_kg=0.89))
    compared, left_out = compare_packs(sheet(), contenders=[Contender(p) for p in packs])
    assert not left_out
    return compared


@pytest.fixture(scope="module")
def found():
    space = SearchSpace(chemistries=("lipo", "liion_power"), series_from=4, parallel_to=2, capacity_steps=6)
    return search(sheet(), packs=tuple(candidates(space, like=pomelo())), limits=SearchLimits())


def _points(drawn):
    return np.array([float(n) for n in re.findall(r"[-\d.]+", drawn)]).reshape(-1, 2)


def test_bars_are_to_scale_and_the_longest_whisker_fills_the_width(rows):
    drawn = bars(rows)
    assert max(b.high for b in drawn) == pytest.approx(BAR_WIDTH)
    assert drawn[0].end / drawn[1].end == pytest.approx(rows[0].at_landing.landing_s / rows[1].at_landing.landing_s)
    assert all(b.low < b.end < b.high for b in drawn)
    assert bars([]) == []


def test_slopes_fall_on_one_scale_that_begins_at_nothing(rows):
    drawn = slopes(rows)
    for row, slope in zip(rows, drawn, strict=True):
        assert slope.fresh[1] < slope.half[1] < slope.landing[1]  # downwards on the page
        assert row.at_landing.to_spare < half_way(row) < row.at_landing.to_spare_fresh
    highest = min(drawn, key=lambda s: s.fresh[1])
    assert highest.fresh[1] == pytest.approx(4.0)
    # Twice the thrust stands twice as high over the foot of the picture.
    foot = 30.0
    heights = [(foot - s.fresh[1]) / r.at_landing.to_spare_fresh for r, s in zip(rows, drawn, strict=True)]
    assert heights == pytest.approx([heights[0]] * len(rows))


def test_a_pack_whose_thrust_does_not_fade_has_its_half_at_its_ends(rows):
    still = replace(rows[0], at_landing=rows[0].at_landing._replace(full_landing_a=rows[0].at_landing.full_fresh_a))
    assert half_way(still) == still.at_landing.to_spare


def test_small_multiples_share_volts_and_time(rows):
    drawn = multiples(rows, names=[r.pack.name for r in rows], as_pack=False)
    seconds = [m.landing_x - 2.0 for m in drawn]
    expected = [r.flight.landing_s for r in rows]
    assert np.array(seconds) / seconds[0] == pytest.approx(np.array(expected) / expected[0], rel=1e-6)
    for multiple, row in zip(drawn, rows, strict=True):
        rest, cruise = _points(multiple.rest), _points(multiple.cruise)
        assert np.all(rest[5:, 1] <= cruise[5:, 1] + 0.15)  # sag points down
        assert rest[:, 1].min() >= 3.9
        assert multiple.worst_v == row.at_landing.worst_v
        assert multiple.gap.endswith("Z")
    assert multiples([], names=[], as_pack=False) == []


def test_pack_volts_tell_a_four_cell_pack_from_a_six_cell_one():
    packs = [Contender(satsuma()), Contender(satsuma(name="small", series=4, mass_kg=0.15))]
    compared, _ = compare_packs(sheet(), contenders=packs)
    cell = overlay(compared, names=["six", "four"], as_pack=False)
    pack = overlay(compared, names=["six", "four"], as_pack=True)
    first = [[_points(line)[0, 1] for line in drawn.lines] for drawn in (cell, pack)]
    assert abs(first[0][0] - first[0][1]) < 25.0
    assert first[1][0] < first[1][1] - 100.0
    assert overlay([], names=[], as_pack=False) is None


def test_the_overlay_ends_each_line_at_its_landing_and_names_it(rows):
    drawn = overlay(rows, names=[r.pack.name for r in rows], as_pack=False)
    for line, end in zip(drawn.lines, drawn.ends, strict=True):
        assert _points(line)[-1] == pytest.approx(end, abs=0.6)
    assert [name for _, _, name in sorted(drawn.names, key=lambda n: n[2])] == sorted(r.pack.name for r in rows)
    assert max(end[0] for end in drawn.ends) == pytest.approx(drawn.right)
    assert all(drawn.top <= tick.at <= drawn.bottom for tick in drawn.volts)


@given(st.lists(st.tuples(st.floats(40, 500), st.floats(30, 340)), min_size=1, max_size=8))
def test_names_at_the_ends_of_lines_stay_inside_and_apart(ends):
    placed = _apart(ends, [str(k) for k in range(len(ends))], 10.0, 374.0)
    assert sorted(int(name) for _, _, name in placed) == list(range(len(ends)))
    assert all(18.0 <= y <= 372.0 for _, y, _ in placed)


def test_names_that_end_together_are_moved_apart():
    placed = _apart([(300.0, 200.0), (302.0, 201.0), (301.0, 199.5)], ["a", "b", "c"], 10.0, 374.0)
    heights = sorted(y for _, y, _ in placed)
    assert all(b - a > 12.0 for a, b in itertools.pairwise(heights))


def test_the_knees_curve_passes_through_what_was_flown():
    curve = knee(sheet(), chemistry="liion_power")
    own = ("Pomelo", 0.445, float(np.interp(0.445, curve.mass_kg, curve.landing_s)), True)
    for units in ("metric", "imperial"):
        drawn = knee_chart(curve, packs=[own], units=units)
        line = _points(drawn.curve)
        assert np.interp(drawn.dots[0].x, line[:, 0], line[:, 1]) == pytest.approx(drawn.dots[0].y, abs=1.5)
        assert drawn.left < drawn.knee_x < drawn.right
        assert np.interp(drawn.knee_x, line[:, 0], line[:, 1]) == pytest.approx(drawn.knee_y, abs=1.5)
        gains = [float(t.label.replace("−", "-").split()[0]) for t in drawn.gains]
        assert gains == sorted(gains, reverse=True)  # each further gram buys less
        assert ("g" if units == "metric" else "oz") in say(drawn.knee_text)


@given(
    st.lists(
        st.tuples(st.floats(0.05, 0.95), st.floats(100, 1500)), min_size=1, max_size=8, unique_by=lambda p: p[0]
    )
)
def test_every_pack_keeps_its_mark_on_the_knee(packs):
    x, y = Scale(0.0, 1.0, 34.0, 390.0), Scale(0.0, 1600.0, 202.0, 18.0)
    drawn = _dots([(f"P{k}", m, t, False) for k, (m, t) in enumerate(packs)], x, y)
    assert sorted(d.name for d in drawn) == [f"P{k}" for k in range(len(packs))]
    assert all(d.x == pytest.approx(x(m)) for d, (m, _) in zip(drawn, sorted(packs), strict=True))


def test_a_name_is_put_where_no_other_stands():
    x, y = Scale(0.0, 1.0, 34.0, 390.0), Scale(0.0, 1600.0, 202.0, 18.0)
    first, second = _dots([("Satsuma", 0.30, 800.0, False), ("Pomelo", 0.32, 805.0, True)], x, y)
    assert not _near((second.text_x, second.text_y, second.anchor), first, len(second.name))


def test_the_front_draws_every_candidate_that_meets_the_limits(found):
    drawn = front_chart(found, names=_WORDS)
    assert {m.index for m in drawn.marks} == set(found.order.tolist())
    assert {m.index for m in drawn.marks if m.front} == set(np.flatnonzero(found.front & found.meets).tolist())
    for mark in drawn.marks:
        assert drawn.left <= mark.x <= drawn.right
        assert drawn.top <= mark.y <= drawn.bottom
    heaviest = max(drawn.marks, key=lambda m: found.mass_kg[m.index])
    assert heaviest.radius == max(m.radius for m in drawn.marks)
    assert [word for _, word in drawn.tones] == ["LiPo", "Li-ion, power"]


def test_the_fronts_limits_map_the_brush_back(found):
    drawn = front_chart(found, names=_WORDS)
    mark = drawn.marks[3]
    seconds = (mark.x - drawn.left) / (drawn.right - drawn.left) * drawn.time_high_s
    spare = (drawn.bottom - mark.y) / (drawn.bottom - drawn.top) * drawn.spare_high
    assert seconds == pytest.approx(found.landing_s[mark.index])
    assert spare == pytest.approx(found.to_spare[mark.index])


def test_the_front_line_only_falls(found):
    line = _points(front_chart(found, names=_WORDS).front)
    assert np.all(np.diff(line[:, 0]) >= 0)
    assert np.all(np.diff(line[:, 1]) >= -0.05)  # more time is paid for with thrust


def test_no_front_where_nothing_meets(found):
    assert front_chart(replace(found, order=np.array([], dtype=np.int64)), names=_WORDS) is None


@pytest.mark.parametrize("wind", [0.0, 5.0, -5.0])
def test_the_line_thins_as_charge_goes(wind):
    setup = set_up(sheet(landing=LandingRule(headwind_m_s=wind)))
    trip = out_and_back(setup=setup, flight=fly(setup))
    drawn = trip_chart(trip, capacity_ah=setup.figures.capacity_ah, km_factor=1.0)
    out, back = _points(drawn.out), _points(drawn.back)

    def thick(points):
        return [points[3, 1] - points[0, 1], points[2, 1] - points[1, 1]]

    assert thick(out)[0] > thick(out)[1] > thick(back)[1] > 1.0
    assert thick(out)[1] == pytest.approx(thick(back)[0], abs=0.15)
    assert drawn.distances[0].at == drawn.home_x
    last = drawn.distances[-1]
    at_km = drawn.home_x + float(last.label) * 1000.0 / trip.distance_m * (drawn.turn_x - drawn.home_x)
    assert last.at == pytest.approx(at_km)


def test_a_limit_fills_five_sixths_and_more_is_seen():
    one = sheet(craft=heron(limits={"motor_a": 30.0, "esc_a": 160.0}))
    setup = set_up(one)
    flight = fly(setup)
    chain = parts_chain(
        setup=setup, flight=flight, at_landing=fly_to_landing(setup), honest=honest_current(setup.sheet.pack)
    )
    drawn = chain_bars(chain)
    over = [bar for bar in drawn if bar.over]
    assert over
    assert all(bar.fill > 100.0 / 1.2 for bar in over)
    for bar, link in zip(drawn, chain.links, strict=True):
        if link.share is None:
            assert bar.fill == 0.0
        elif link.share <= 1.2:
            assert bar.fill == pytest.approx(link.share / 1.2 * 100.0)
        else:
            assert bar.fill == 100.0


def test_the_parts_of_the_resistance_are_the_whole_and_the_largest_is_named():
    plain = resistance_parts(pack_figures(pomelo()))
    assert [p.key for p in plain][:1] == ["cells"]
    assert sum(p.width for p in plain) == pytest.approx(100.0)
    assert dominant(plain).key == "cells"
    for part, following in itertools.pairwise(plain):
        assert part.x + part.width == pytest.approx(following.x)
    thin = resistance_parts(pack_figures(satsuma(cell_resistance_ohm=0.0008, lead_length_m=1.5, lead_area_mm2=0.5)))
    assert dominant(thin).key == "leads"
