"""The forecast as a document and as text says what the forecast says."""

from __future__ import annotations

import json

import pytest

from tests.sheets import heron, pomelo, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.formats.forecast_json import forecast_document
from zesty_cell.formats.forecast_text import forecast_text


@pytest.fixture(scope="module")
def lighthouse():
    return forecast(sheet())


def test_the_document_is_json_and_agrees(lighthouse):
    document = json.loads(forecast_document(lighthouse).model_dump_json())
    assert document["landing_s"] == pytest.approx(lighthouse.flight.landing_s, abs=0.01)
    assert document["pack_low"]["pack_v"] == lighthouse.callouts.pack_low.threshold.pack_v
    assert document["flies"] is True
    assert [c["key"] for c in document["checks"]] == [c.key for c in lighthouse.checks]
    trace = document["trace"]
    assert trace["time_s"][:3] == [0.0, 1.0, 2.0]
    assert {len(values) for values in trace.values()} == {len(trace["time_s"])}


def test_what_never_happens_is_null_and_not_infinity():
    text = forecast_document(forecast(sheet(craft=heron(cruise_speed_m_s=None)))).model_dump_json()
    assert "Infinity" not in text
    assert "NaN" not in text
    assert json.loads(text)["mah_per_km"] is None


def test_the_text_answers_first_and_lists_what_to_mend(lighthouse):
    lines = forecast_text(lighthouse).splitlines()
    assert lines[0] == "Heron on Pomelo"
    answer = next(line for line in lines if line.startswith("Be on the ground at"))
    assert "9 flights in 10 between" in answer
    looks = [line for line in lines if "LOOK" in line]
    assert len(looks) == sum(c.status == "look" for c in lighthouse.checks)


def test_the_text_says_what_does_not_fly():
    assert "THIS DOES NOT FLY" in forecast_text(forecast(sheet(pack=pomelo(mass_kg=14.0))))
