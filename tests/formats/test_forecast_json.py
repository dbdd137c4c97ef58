"""The forecast as a document says what the forecast says."""

from __future__ import annotations

import json

import pytest

from tests.sheets import heron, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.formats.forecast_json import forecast_document


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
