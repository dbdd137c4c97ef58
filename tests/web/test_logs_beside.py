"""Telemetry logs side by side on the page."""

from __future__ import annotations

import re

import pytest
from sqlalchemy import text

from zesty_cell.services import log_fits

ADDRESS = "/tests/logs"


def test_without_a_log_the_page_says_where_one_comes_from(client, empty_app):
    assert "Logs side by side" in client.get(ADDRESS).text


@pytest.mark.parametrize("begin", ["take-off", "arming", "climb", "nonsense"])
def test_two_logs_lie_over_one_another_with_their_climbs(client, fly_season, begin):
    fly_season()
    page = client.get(ADDRESS, params={"log": [1, 2], "begin": begin}).text
    rows = re.findall(r'<tr><th scope="row"><svg class="swatch".*?</tr>', page, re.DOTALL)
    assert len(rows) == 2
    assert all("mΩ" in row for row in rows)
    for n in (0, 1):
        assert page.count(f'class="run run-{n} thin"') >= 2
    assert page.count('type="checkbox" name="log"') == 2
    assert page.count("checked") >= 3


def test_the_resistance_of_climbs_is_near_what_the_fit_of_the_log_finds(client, fly_season):
    fly_season()
    page = client.get(ADDRESS, params={"log": [2]}).text
    a_cell = float(re.search(r"([\d.]+) mΩ</td></tr>", page)[1])
    flight = re.search(r'href="/log/(\d+)/telemetry/2"', page)[1]
    told = client.get(f"/log/{flight}/telemetry/2").text
    ohm = float(re.search(r"Resistance of a cell</th><td class=\"num\"><b>([\d.]+) mΩ", told)[1]) / 1000
    # The fit is of the cells at 25 °C; a climb has leads and plug in it, and the warmth of a flown pack.
    assert 1000 * ohm == pytest.approx(a_cell, rel=0.25)


@pytest.mark.parametrize("ids", [["x"], ["99"], ["1"] * 5, [str(k) for k in range(1, 40)], []])
def test_any_choice_is_answered(client, fly_season, ids):
    fly_season()
    assert client.get(ADDRESS, params={"log": ids}).status_code == 200


def test_a_log_that_cannot_be_read_is_told_and_the_other_is_drawn(client, app, fly_season):
    fly_season()
    with app.state.database.session() as session:
        session.execute(text("UPDATE log SET packed = x'00' WHERE id = 1"))
    log_fits.forget()
    page = client.get(ADDRESS, params={"log": [1, 2]}, follow_redirects=True)
    assert page.status_code == 200
    assert page.text.count('<tr><th scope="row"><svg class="swatch"') == 1
