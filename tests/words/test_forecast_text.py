"""The forecast as text says what the forecast says."""

from __future__ import annotations

import pytest

from tests.sheets import pomelo, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.words.forecast_text import forecast_text


@pytest.fixture(scope="module")
def lighthouse():
    return forecast(sheet())


def test_the_text_answers_first_and_lists_what_to_mend(lighthouse):
    lines = forecast_text(lighthouse).splitlines()
    assert lines[0] == "Heron on Pomelo"
    answer = next(line for line in lines if line.startswith("Be on the ground at"))
    assert "9 flights in 10 between" in answer
    looks = [line for line in lines if "LOOK" in line]
    assert len(looks) == sum(c.status == "look" for c in lighthouse.checks)


def test_the_text_says_what_does_not_fly():
    assert "THIS DOES NOT FLY" in forecast_text(forecast(sheet(pack=pomelo(mass_kg=14.0))))
