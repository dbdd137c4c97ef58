"""The pictures of practice: where things are, and words that do not stand on each other."""

from __future__ import annotations

import itertools
import re

import numpy as np
import pytest

from zesty_cell.core.practice.course import Decision
from zesty_cell.core.practice.drills import drill
from zesty_cell.core.practice.flown import play
from zesty_cell.core.practice.score import ideal
from zesty_cell.web.drawing.practice_air import air
from zesty_cell.web.drawing.practice_chart import practice_chart
from zesty_cell.words.practice import DECIDED


def charted(key, *decisions, seed=12):
    played = play(drill(key, seed=seed), [Decision(at_s=t, action=a) for t, a in decisions])
    return played, practice_chart(played, words=DECIDED)


def test_home_is_on_the_left_and_the_farthest_on_the_right():
    picture = air(1200.0)
    x, y = picture.places(np.array([0.0, 600.0, 1200.0]), np.array([0.0, 45.0, 500.0]))
    assert x.tolist() == [130.0, 655.0, 1180.0]
    assert y[0] == picture.ground_y
    assert y[1] == pytest.approx((picture.ground_y + y[2]) / 2.0)  # what is higher than the picture stays on it
    assert [t.label for t in picture.ticks] == ["250", "500", "750", "1000", "1250"]


def test_a_short_way_has_its_marks_too():
    assert [t.label for t in air(30.0).ticks] == ["20"]


def test_words_stand_where_there_is_room():
    played, chart = charted("chatter", (245.0, "home"))
    assert len(chart.said) == sum(e.kind in ("rule", "end") for e in played.events)
    written = [m for m in chart.said if m.words]
    assert written[0].words == "pack low"
    assert 4 <= len(written) < len(chart.said)
    for line in (0, 1):
        at = [m.x for m in written if m.line == line]
        assert all(b - a >= 66.0 for a, b in itertools.pairwise(at))
    for words in {m.words for m in written}:
        at = [m.x for m in written if m.words == words]
        assert all(b - a >= 190.0 for a, b in itertools.pairwise(at))
    assert all(m.x <= chart.right - 33.0 for m in written)


def test_decisions_stand_on_the_rest_voltage_and_the_best_turn_where_it_is():
    played, chart = charted("tired_pack", (100.0, "go on"), (150.0, "gentler"), (250.0, "home"))
    assert [m.words for m in chart.decided] == ["on", "gentler", "home"]
    span = max(played.ending.at_s, ideal(played.scenario).ending.at_s)
    for mark, at_s in zip(chart.decided, (100.0, 150.0, 250.0), strict=True):
        assert mark.x == pytest.approx(chart.left + at_s / span * (chart.right - chart.left))
    assert chart.best_x == pytest.approx(
        chart.left + ideal(played.scenario).turn_s / span * (chart.right - chart.left)
    )
    points = [tuple(map(float, p)) for p in re.findall(r"([\d.]+)[ ,]([\d.]+)", chart.rest)]
    assert all(
        chart.left - 0.1 <= x <= chart.right + 0.1 and chart.top - 0.1 <= y <= chart.bottom + 0.1 for x, y in points
    )
    near = min(points, key=lambda p: abs(p[0] - chart.decided[2].x))
    assert chart.decided[2].y == pytest.approx(near[1], abs=3.0)


def test_the_reserve_is_shown_once_it_is_touched():
    assert charted("tired_pack")[1].reserve_x is not None
    assert charted("tired_pack", (30.0, "home"))[1].reserve_x is None
