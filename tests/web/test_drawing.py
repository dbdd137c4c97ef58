"""The pictures' geometry: what is drawn is what was computed, and labels keep out of each other's way."""

from __future__ import annotations

import itertools
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.sheets import pomelo, satsuma, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions
from zesty_cell.core.callouts.dry_run import on_forecast
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.web.drawing.cursor import cursor_data
from zesty_cell.web.drawing.flight_chart import (
    NARROW,
    WIDE,
    ribbon,
    small_charts,
    voltage_calls_s,
    voltage_picture,
)
from zesty_cell.web.drawing.pack_picture import SEGMENTS, pack_picture, wheel_segments
from zesty_cell.web.drawing.pattern_strip import pattern_strip
from zesty_cell.web.drawing.scale import Scale, envelope, nice_step, path, sparse, ticks, zigzag
from zesty_cell.words.face import Face, Reader
from zesty_cell.words.sheet import pattern_summary

_LETTER_WIDTH = 6.3


@pytest.fixture(scope="module")
def lighthouse():
    return forecast(sheet())


def _points(drawn):
    return np.array([float(n) for n in re.findall(r"[-\d.]+", drawn)]).reshape(-1, 2)


def test_a_scale_maps_its_ends_and_is_straight():
    scale = Scale(2.0, 4.0, 100.0, 0.0)
    assert (scale(2.0), scale(3.0), scale(4.0)) == (100.0, 50.0, 0.0)
    assert scale.many(np.array([2.0, 4.0])).tolist() == [100.0, 0.0]


@given(low=st.floats(-5, 5), span=st.floats(0.01, 50))
def test_ticks_are_multiples_within_the_range(low, span):
    step = nice_step(span, 7, (0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0))
    found = ticks(low, low + span, step)
    assert len(found) <= 8
    assert all(low - 1e-6 <= t <= low + span + 1e-6 for t in found)
    assert all(abs(t / step - round(t / step)) < 1e-6 for t in found)


@given(st.lists(st.floats(-100, 100), min_size=1, max_size=400), st.integers(1, 60))
def test_an_envelope_keeps_the_extremes_however_short(values, columns):
    low, high = envelope(np.array(values), columns)
    assert low.min() == min(values)
    assert high.max() == max(values)
    assert np.all(low <= high)


def test_sparse_keeps_both_ends():
    some = sparse(10_000, 180)
    assert (some[0], some[-1], some.size) == (0, 9999, 180)
    assert sparse(3, 180).tolist() == [0, 1, 2]


def test_a_path_is_written_to_a_tenth_wherever_it_goes():
    assert path(np.array([]), np.array([])) == ""
    assert path(np.array([0.0, 12.34, 1600.0]), np.array([7.06, -199.96, -0.04])) == "M0 7.1 12.3 -200 1600 0"
    assert path(np.array([0.0, 12.34, 1600.1]), np.array([7.06, -200.1, 3.0])) == "M0 7.1 12.3 -200.1 1600.1 3"
    assert path(np.array([0.0, 1.0]), np.array([np.nan, 2.0])) == "M0 nan 1 2"


@pytest.mark.parametrize("shape", [WIDE, NARROW], ids=["wide", "narrow"])
def test_the_voltage_picture_stays_within_itself(lighthouse, shape):
    picture = voltage_picture(lighthouse, shape=shape, as_pack=False)
    rest, hairs = _points(picture.rest), _points(picture.hairs)
    assert rest[:, 0].min() == pytest.approx(picture.left, abs=0.1)
    assert rest[:, 0].max() == pytest.approx(picture.right, abs=1.0)
    assert np.all(np.diff(rest[:, 1]) >= -0.11)  # rest voltage only falls
    assert picture.left < picture.landing_x < picture.right
    assert hairs[:, 1].max() > picture.rungs[1].y  # climbs reach below "land now"
    assert all(picture.top <= rung.y <= picture.bottom for rung in picture.rungs)
    for words in picture.words:
        wide = len(words.text) * _LETTER_WIDTH
        left = words.x - (wide / 2 if words.anchor == "middle" else 0)
        assert left >= 0
        assert left + wide <= shape.width


def test_pack_volts_relabel_the_same_curves(lighthouse):
    cell = voltage_picture(lighthouse, shape=WIDE, as_pack=False)
    pack = voltage_picture(lighthouse, shape=WIDE, as_pack=True)
    assert cell.rest == pack.rest
    assert float(pack.volts[0].label) > 6 * 2.4
    assert "19.6" in pack.rungs[0].text
    assert "3.27" in cell.rungs[0].text


@pytest.mark.parametrize("pattern", PATTERNS)
def test_words_on_the_ribbon_do_not_run_into_each_other(pattern):
    result = forecast(sheet(pattern=pattern, pack=satsuma()))
    drawn = ribbon(result, shape=WIDE)
    below = [(w.x, w.text) for w in drawn.spoken] + [(m.x, m.text) for m in drawn.marks if m.key == "timer"]
    below.sort()
    for (x0, text0), (x1, text1) in itertools.pairwise(below):
        assert x0 + len(text0) * _LETTER_WIDTH / 2 <= x1 - len(text1) * _LETTER_WIDTH / 2 + 4
    assert all(drawn.left <= m.x <= drawn.right for m in drawn.marks)


def test_the_ribbon_counts_every_minute_of_a_flight(lighthouse):
    drawn = ribbon(lighthouse, shape=WIDE)
    assert len(drawn.dots) == int((lighthouse.callouts.timers.timer_s - 1) // 60)
    assert [big for _, big in drawn.dots].count(True) == len(drawn.dots) // 5
    assert [m.key for m in drawn.marks] == ["timer", "pack_low", "land_now"]


def test_small_charts_say_what_they_show(lighthouse):
    charts = {c.key: c for c in small_charts(lighthouse, temperature=(12.0, 34.0, "°C"))}
    assert charts["temperature"].text == "12 → 34 °C"
    assert "80 %" in charts["used"].text
    assert _points(charts["current"].line)[:, 1].min() >= 0


def test_the_cursor_reads_the_lowest_voltage_around_its_moment(lighthouse):
    data = cursor_data(lighthouse, Face(Reader("metric", "cell")))
    assert {len(v) for v in data.values() if isinstance(v, list)} == {300}
    lowest = [float(re.search(r"lowest ([\d.]+) V", line)[1]) for line in data["said"]]
    highest = [float(re.search(r"([\d.]+) A", line)[1]) for line in data["said"]]
    assert min(lowest) == pytest.approx(lighthouse.flight.loaded_v.min(), abs=0.006)
    assert max(highest) == pytest.approx(lighthouse.flight.current_a.max(), abs=0.6)
    assert data["left"][0] == 1.0
    assert data["said"][0] == "0:00 · rest 4.19 · steady 4.04 · lowest 4.03 V · 7.5 A · 0 mAh · 100 % left · 12 °C"


def test_the_cursor_reads_in_the_units_of_who_reads(lighthouse):
    said = cursor_data(lighthouse, Face(Reader("imperial", "pack")))["said"]
    assert said[0] == "0:00 · rest 25.1 · steady 24.3 · lowest 24.2 V · 7.5 A · 0 mAh · 100 % left · 54 °F"


@pytest.mark.parametrize(
    ("pack", "form", "cells"),
    [
        (pomelo(), "round", 6),
        (pomelo(parallel=2, capacity_ah=8.4), "round", 12),
        (pomelo(series=4), "round", 4),
        (satsuma(), "pouch", 6),
        (satsuma(series=1), "pouch", 1),
        (satsuma(parallel=2), "pouch", 12),
        (satsuma(series=24, parallel=3, mass_kg=None), "pouch", 72),
        (pomelo(series=24, parallel=24, capacity_ah=100, mass_kg=None), "round", 576),
    ],
)
@pytest.mark.parametrize("width", [216.0, 104.0])
def test_every_cell_is_drawn_inside_the_picture(pack, form, cells, width):
    picture = pack_picture(pack, width=width)
    assert picture.form == form
    assert len(picture.cells) == cells
    assert len({(c.x, c.y) for c in picture.cells}) == cells
    reach = picture.size / 2 if form == "round" else picture.size
    assert all(c.x >= 0 and c.x + reach <= width for c in picture.cells)
    assert all(c.y >= 0 and c.y + picture.size / 2 <= picture.height for c in picture.cells)
    assert picture.plug[0] + 26 <= width + 0.1


def test_a_tired_pack_is_drawn_dry():
    assert pack_picture(satsuma(cycles=220)).tired
    assert not pack_picture(satsuma(cycles=20)).tired


def test_a_wheel_has_a_segment_for_each_tenth():
    assert len(wheel_segments()) == SEGMENTS == 10


def test_the_strip_is_to_scale_and_tells_calm_from_hard():
    strip = pattern_strip(PATTERNS["cruise"], width=60.0)
    assert [s.width for s in strip] == pytest.approx([40, 12, 6, 2])
    assert [s.tone for s in strip] == ["steady", "brisk", "calm", "full"]
    assert pattern_summary(PATTERNS["cruise"]) == "1 minute, repeated"
    assert pattern_summary(PATTERNS["freestyle"]) == "28 s, repeated"


def test_a_very_short_flight_is_still_a_picture():
    result = forecast(sheet(landing=LandingRule(charge_kept=None, timer_s=10)))
    assert voltage_picture(result, shape=WIDE, as_pack=False).rest
    assert ribbon(result, shape=NARROW).marks


def test_a_line_that_jumps_keeps_its_highest_and_lowest():
    xs, ys = np.arange(1000.0), np.zeros(1000)
    ys[[7, 500, 993]] = 5.0
    ys[[8, 640]] = -3.0
    at, drawn = zigzag(xs, ys, 20)
    assert at.size == drawn.size == 40
    assert (drawn.max(), drawn.min()) == (5.0, -3.0)
    assert np.all(np.diff(at) >= 0.0)
    assert zigzag(xs[:40], ys[:40], 20)[1].size == 40


@pytest.mark.parametrize("air_c", [8.0, 15.0, 28.0])
def test_a_voltage_call_is_drawn_where_the_whole_plan_speaks_it(air_c):
    one = sheet(conditions=Conditions(air_c=air_c))
    result = forecast(one)
    heard = voltage_calls_s(result)
    assert set(heard) == {"pack_low", "land_now"}
    events = on_forecast(plan=write_plan(result, school="loaded voltage").plan, result=result).ran.events
    for key, at_s in heard.items():
        assert at_s == next(e.time_s for e in events if e.key == key)
