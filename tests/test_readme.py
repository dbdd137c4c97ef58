"""What the README says of the demo sheet is what the demo sheet says."""

from __future__ import annotations

import re
from pathlib import Path

from zesty_cell.core.answer.forecast import forecast
from zesty_cell.services.learning import corrected_sheet
from zesty_cell.store import sheets
from zesty_cell.words.say import say
from zesty_cell.words.units import minutes

ROOT = Path(__file__).parents[1]


def test_the_walk_quotes_the_sheet_as_it_is(app, fly_season):
    fly_season()  # as the demo has it
    with app.state.database.session() as session:
        newest = max(sheets.all_sheets(session), key=lambda row: row.id)
        result, plain = forecast(corrected_sheet(session, newest)), forecast(sheets.as_sheet(newest))
    text = (ROOT / "README.md").read_text()
    assert newest.name in text
    times = (result.flight.landing_s, result.range.low_s, result.range.high_s, plain.flight.landing_s)
    assert [minutes(t) for t in times] == re.findall(r"\b\d\d:\d\d\b", text)[:4]
    assert result.setup.sheet.learned_factors.flights == 15
    cutoff = next(c for c in result.checks if c.key == "esc_cutoff")
    assert cutoff.status == "stop"
    assert "2.8 V a cell" in say(cutoff.mend)
    assert "2.8 V a cell" in text


def test_every_picture_linked_is_there_and_every_picture_there_is_linked():
    text = (ROOT / "README.md").read_text()
    linked = set(re.findall(r"docs/screenshots/([\w-]+\.png)", text))
    there = {p.name for p in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert linked == there
    assert len(there) < 20
