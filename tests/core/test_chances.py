"""Chances of a normal value and of Student's t, against tables and against SciPy's."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.special import ndtr, ndtri, stdtr, stdtrit

from zesty_cell.core.chances import normal_at, normal_below, normals_below, t_at, t_below, t_exceeded

#: From a printed table: degrees of freedom, chance to be under, t.
TABLE = [(1, 0.975, 12.7062), (2, 0.95, 2.9200), (5, 0.975, 2.5706), (10, 0.995, 3.1693), (30, 0.95, 1.6973)]


@pytest.mark.parametrize(("freedom", "chance", "t"), TABLE)
def test_what_tables_print(freedom, chance, t):
    assert t_at(freedom, chance) == pytest.approx(t, abs=6e-5)
    assert t_at(freedom, 1.0 - chance) == pytest.approx(-t, abs=6e-5)
    assert t_below(freedom, t) == pytest.approx(chance, abs=1e-5)
    assert t_exceeded(freedom, 1.0 - chance) == pytest.approx(t, abs=6e-5)


def test_by_hand_with_one_and_two_degrees_of_freedom():
    for t in (-30.0, -1.0, 0.0, 0.3, 1.0, 4.0):
        assert t_below(1.0, t) == pytest.approx(0.5 + math.atan(t) / math.pi, rel=1e-13)
        assert t_below(2.0, t) == pytest.approx(0.5 + t / (2.0 * math.sqrt(2.0 + t * t)), rel=1e-12)


@given(st.floats(1.0, 2000.0), st.floats(-60.0, 60.0))
def test_under_a_t_as_scipy_has_it(freedom, t):
    expected = float(stdtr(freedom, t))
    assert t_below(freedom, t) == pytest.approx(expected, rel=1e-10, abs=1e-300)


@given(st.floats(1.0, 2000.0), st.floats(1e-15, 0.4999))
def test_over_a_t_and_back(freedom, chance):
    t = t_exceeded(freedom, chance)
    assert t_below(freedom, -t) == pytest.approx(chance, rel=1e-10)
    assert t == pytest.approx(-float(stdtrit(freedom, chance)), rel=1e-8, abs=1e-8)


def test_the_ends():
    assert t_exceeded(7.0, 0.5) == 0.0
    assert t_at(7.0, 0.5) == 0.0
    assert t_below(7.0, math.inf) == 1.0
    assert t_below(7.0, -math.inf) == 0.0
    assert t_below(7.0, 0.0) == 0.5
    assert t_below(3.0, -1e160) == 0.0


@given(st.floats(-37.0, 8.0))
def test_normal_values_as_scipy_has_them(value):
    assert normal_below(value) == pytest.approx(float(ndtr(value)), rel=1e-12)


def test_many_normal_values_at_once():
    values = np.linspace(-9.0, 9.0, 37)
    np.testing.assert_allclose(normals_below(values), ndtr(values), rtol=1e-12)
    assert normals_below(values).dtype == np.float64


@given(st.floats(1e-15, 1.0, exclude_max=True))
def test_back_from_a_chance_of_a_normal_value(chance):
    assert normal_at(chance) == pytest.approx(float(ndtri(chance)), rel=1e-9, abs=1e-9)
