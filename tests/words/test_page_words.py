"""Words that stand beside figures on pages and in pictures, for who reads grams and for who reads ounces."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import get_args

import pytest

from tests.sheets import heron, pomelo, sheet
from zesty_cell.core.asked.flying import Activity
from zesty_cell.core.asked.learned_factors import LearnedFactors, PackKind
from zesty_cell.core.asked.sheet import corrected
from zesty_cell.core.faults.table import Risk
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.parts.craft import RotorGeometry
from zesty_cell.core.parts.pack import Ratings
from zesty_cell.core.parts.starting import KINDS
from zesty_cell.core.practice.course import Action
from zesty_cell.words import day, first, pictures
from zesty_cell.words.face import Face, Reader
from zesty_cell.words.off import RISK_WORDS
from zesty_cell.words.practice import ACTIONS, DECIDED

RATED = Ratings(continuous_a=40.0, one_minute_a=50.0, ten_second_a=60.0)
METRIC, IMPERIAL = Face(Reader("metric", "cell")), Face(Reader("imperial", "pack"))


def _flight(duration_s, rest_v=None):
    return LoggedFlight(
        landed_at=datetime(2026, 5, 1, tzinfo=UTC), duration_s=duration_s, pattern="cruise", rest_v_per_cell=rest_v
    )


def test_who_waits_flew_so_long_and_rested_at_that():
    flights = [_flight(242.0), _flight(271.0, 3.71)]
    assert day.waiting_words(flights, series=4, face=METRIC) == "flew 4:31, rested at 3.71 V a cell; before it 4:02"
    assert day.waiting_words(flights, series=4, face=IMPERIAL) == "flew 4:31, rested at 14.8 V; before it 4:02"
    assert day.waiting_words(flights[:1], series=4, face=METRIC) == "flew 4:02"


def test_the_run_of_a_test_is_counted_from_one_in_the_air_of_who_reads():
    assert day.air_words(10.0, 20.0, METRIC) == "10 °C to 20 °C"
    air = day.air_words(10.0, 20.0, IMPERIAL)
    assert air == "50 °F to 68 °F"
    assert day.run_words(4, test="Two or three", side="B", name="two blades", air=air) == (
        "run 5 of Two or three: B, two blades, at 50 °F to 68 °F"
    )


def test_the_size_of_a_kind_is_told_in_the_other_unit_too():
    assert first.size_note(KINDS["freestyle"], 0.127, "metric") == "four, 5 in"
    assert first.size_note(KINDS["freestyle"], 0.127, "imperial") == "four, 12.7 cm"
    assert first.size_note(KINDS["helicopter"], 0.7, "metric") == "the main rotor"
    assert first.size_note(KINDS["plane"], 1.2, "metric") == "from tip to tip"


@pytest.mark.parametrize(
    ("changes", "starts"),
    [
        (dict(label_c=30.0, ratings=None), "C, honest about "),
        (dict(label_c=30.0, ratings=RATED), "C, honest about "),
        (dict(label_c=None, ratings=RATED), "rated 40 A, honest about "),
    ],
)
def test_behind_a_rate_stands_what_is_honest(changes, starts):
    assert first.rating_note(pomelo(**changes)).startswith(starts)


def test_behind_no_rate_stands_nothing():
    assert first.rating_note(pomelo(label_c=None, ratings=None)) == ""
    assert first.charge_note(22.24, of_whole_pack=False) == "mAh, 22.2 Wh"
    assert first.charge_note(22.24, of_whole_pack=True) == "mAh, of the whole pack, 22.2 Wh"


def test_what_a_burst_asks():
    climb = Activity(name="climb", of="full throttle", share=1.0, duration_s=1.5)
    assert pictures.burst_words(climb, lengthens=False) == "climb: full throttle, 1.5 s each"
    half = climb.model_copy(update={"share": 0.5})
    assert pictures.burst_words(half, lengthens=True) == "climb: 50 % of full power, 1.5 s each, longer as it sags"
    full = climb.model_copy(update={"name": "full throttle"})
    assert pictures.burst_words(full, lengthens=False) == "full throttle, 1.5 s each"


def test_what_flights_taught_is_more_less_or_as_the_sheet_says():
    def words(factor, *, told=True):
        return pictures.told_words(factor, before=0.20, after=0.04, told=told)

    assert words(1.12) == "12 % more, give or take 4 %; before 20 %"
    assert words(0.91) == "9 % less, give or take 4 %; before 20 %"
    assert words(1.004) == "as the sheet says, give or take 4 %; before 20 %"
    assert words(1.12, told=False) == "the flights do not tell yet"


def test_how_cells_lie():
    pack = pomelo()
    assert pictures.cells_words(pack) == "6 cells in series, 1 in parallel"
    tube = pack.model_copy(update={"series": 1, "parallel": 2, "arrangement": "tube"})
    assert pictures.cells_words(tube) == "1 cell in series, 2 in parallel, end to end"


def test_each_risk_and_each_decision_has_its_words():
    assert set(RISK_WORDS) == set(get_args(Risk))
    assert set(ACTIONS) == set(DECIDED) == set(get_args(Action))


def test_rare_shares_keep_a_decimal():
    assert pictures.setting_words(14.0, 1.5, early=0.004, late=0.312) == (
        "14 V held 1.5 s: too early in 0.4 %, late in 31 %"
    )


def test_how_sure_goes_by_what_was_measured_and_by_flights():
    measured = sheet()
    guessed = measured.model_copy(
        update={"craft": heron(steady=RotorGeometry(rotor_count=4, rotor_diameter_m=0.178).model_dump())}
    )
    assert first.how_sure(measured) == "what you measured narrows it; the rest is assumed"
    assert first.how_sure(guessed) == "almost all of it is assumed so far"
    spread = tuple(tuple(0.05 if i == j else 0.0 for j in range(4)) for i in range(4))
    kind, pattern = PackKind.of(guessed.pack), guessed.flying.name
    one, two = (
        corrected(guessed, LearnedFactors(flights=n, spread=spread, kind=kind, pattern=pattern)) for n in (1, 2)
    )
    assert first.how_sure(one) == "corrected by 1 flight of this craft"
    assert first.how_sure(two) == "corrected by 2 flights of this craft"
