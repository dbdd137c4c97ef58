"""Telemetry logs side by side on the page."""

from __future__ import annotations

import re

import pytest
from sqlalchemy import text

from zesty_cell.services import log_fits
from zesty_cell.services.logs_beside import logs_beside

ADDRESS = "/tests/logs"


def test_without_a_log_the_page_says_where_one_comes_from(client, empty_app):
    assert "Logs side by side" in client.get(ADDRESS).text


@pytest.mark.parametrize("begin", ["take-off", "arming", "climb", "lap", "nonsense"])
def test_two_logs_lie_over_one_another_with_their_climbs(client, fly_season, begin):
    fly_season()
    page = client.get(ADDRESS, params={"log": [1, 2], "begin": begin}).text
    rows = re.findall(r'<tr><th scope="row"><svg class="swatch".*?</tr>', page.split("<h2>Laps")[0], re.DOTALL)
    assert len(rows) == 2
    assert all("mΩ" in row for row in rows)
    for n in (0, 1):
        assert page.count(f'class="run run-{n} thin"') >= 2
    assert page.count('type="checkbox" name="log"') == 2
    assert page.count("checked") >= 3


def test_laps_are_told_where_it_is_logged_where_it_flew_and_what_it_takes_where_not(client, app, fly_season):
    fly_season()
    page = client.get(ADDRESS, params={"log": [1, 2], "begin": "lap"}).text
    laps = page.split("<h2>Laps</h2>")[1]
    row = re.search(r'<th scope="row">.*?by where it flew.*?</tr>', laps, re.DOTALL)[0]
    figures = re.findall(r'<td class="num">(?:<b>)?([^<]+)', row)
    count, best, middle, charge, way = (float(f.split()[0]) for f in figures)
    # The stand-in's course is some 490 m round, and it flies it at 70 km/h.
    assert (count, way) == (9, pytest.approx(490, abs=10))
    assert 20 < best < middle < 27
    # Nine rounds take less than the whole flight, and most of it.
    with app.state.database.session() as session:
        [swift], _ = logs_beside(session, [2], beginning="take-off")
    used_mah = 1000.0 * float(swift.log.used_ah[-1])
    each = [float(mah) for mah in re.findall(r"(\d+) mAh</td>", laps.split("Laps of Swift")[1])]
    assert sorted(each)[4] == charge
    assert 0.9 * used_mah < sum(each) < used_mah
    assert len(re.findall(r'<tr><th scope="row">\d+(?: best)?</th>', laps)) == 9
    assert laps.count(" best</th>") == 1
    assert page.count('class="lap run-1"') == 10
    assert "does not tell this moment" in page  # the other has no positions
    alone = client.get(ADDRESS, params={"log": [1]}).text
    assert "None of these logs tells laps" in alone
    # Where its columns are said, which may be what it lacks.
    columns = re.search(r'href="(/callouts/\d+/logs/1)" aria-label="Columns of', alone)[1]
    assert 'name="latitude_deg.column"' in client.get(columns).text


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
    assert page.text.split("<h2>Laps")[0].count('<tr><th scope="row"><svg class="swatch"') == 1
