"""The stand-ins of a flying day, and the club's log that they flew."""

from __future__ import annotations

import numpy as np
import pytest

from tests.sheets import pomelo, sheet
from zesty_cell.core.learn.flights import used_of
from zesty_cell.demo.advised import ADVISED
from zesty_cell.demo.club import load_club
from zesty_cell.demo.log import load_log
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.telemetry_columns import guess_mapping
from zesty_cell.formats.telemetry_csv import read_telemetry
from zesty_cell.services.advice import advise
from zesty_cell.standins.charger import CellChecker, SimulatedCharger
from zesty_cell.standins.craft import Hidden, Sensors, SimulatedCraft
from zesty_cell.store import calibrations, flights, logs, sheets
from zesty_cell.store.database import Database


def test_the_same_seed_flies_the_same_flights_and_they_vary_as_said():
    first, second = (SimulatedCraft(sheet(), seed=1) for _ in range(2))
    a, b = first.fly(600.0), second.fly(600.0)
    assert (a.used_ah, a.rest_v) == (b.used_ah, b.rest_v)
    used = np.array([first.fly(600.0).used_ah for _ in range(60)])
    assert np.std(np.log(used)) == pytest.approx(0.04, abs=0.012)


def test_what_is_hidden_shows_and_a_sensor_is_out():
    plain = SimulatedCraft(sheet(), seed=1, varies=0.0)
    hungry = SimulatedCraft(sheet(), seed=1, varies=0.0, hidden=Hidden(power=1.1), sensors=Sensors(current=0.9))
    a, b = plain.fly(600.0), hungry.fly(600.0)
    assert b.used_ah / a.used_ah == pytest.approx(1.1, abs=0.02)
    assert b.shown_ah / b.used_ah == pytest.approx(0.9)
    assert b.rest_v < a.rest_v
    small = SimulatedCraft(sheet(), seed=1, varies=0.0, hidden=Hidden(capacity=0.8)).fly(600.0)
    assert small.rest_v < a.rest_v


def test_its_log_is_read_back_as_it_was_flown():
    craft = SimulatedCraft(sheet(), seed=4, sensors=Sensors(voltage=1.02))
    flown = craft.fly(500.0)
    table = read_table(craft.log_csv(flown, rate_hz=5))
    log = read_telemetry(table, guess_mapping(table, series=6)).telemetry
    assert log.used_ah[-1] == pytest.approx(flown.used_ah, abs=0.001)
    assert float(np.diff(log.time_s).max()) == pytest.approx(0.2)
    armed = log.time_s[log.armed > 0]
    assert armed[-1] - armed[0] == pytest.approx(500.0, abs=0.3)
    assert np.median(log.pack_v[log.armed > 0]) == pytest.approx(
        1.02 * 6 * np.median(flown.flight.loaded_v[:5000]), rel=0.002
    )


def test_a_charger_and_a_checker_round_and_are_a_little_out():
    charger = SimulatedCharger(seed=2, accuracy=0.01)
    backs = [charger.charge(pomelo(), used_ah=3.0).put_back_ah for _ in range(20)]
    assert np.std(backs) == 0.0
    assert backs[0] == pytest.approx(3.0, rel=0.04)
    others = [SimulatedCharger(seed=k, accuracy=0.01).charge(pomelo(), used_ah=3.0).put_back_ah for k in range(200)]
    assert np.std(others) / 3.0 == pytest.approx(0.01, abs=0.002)
    cells = CellChecker(seed=2).read(rest_v=3.7, series=6)
    assert len(cells) == 6
    assert all(round(v * 100) == pytest.approx(v * 100) for v in cells)
    assert np.mean(cells) == pytest.approx(3.705, abs=0.01)


def test_the_clubs_log_is_flown_once_and_can_be_believed(tmp_path):
    database = Database(tmp_path / "club.sqlite")
    with database.session() as session:
        load_club(session)
        assert load_log(session) == 54
        assert load_log(session) == 0
        rows = flights.newest(session, 100)
        assert min(f.landed_at.month for f in rows) == 5
        assert min(flights.flight_of(r).air_c for r in rows) < 6
        waiting = {rows[-1].pack.name for rows in flights.waiting(session)}
        assert waiting == {"Kumquat 1", "Kumquat 2"}
        for row in rows:
            flight, pack = flights.flight_of(row), flights.pack_of(row)
            used = used_of(flight, pack=pack)
            assert 0.2 < used.share < 0.9, (pack.name, used)
        kinds = [row.kind for row in calibrations.newest(session)]
        assert sorted(kinds) == ["cells", "current", "line loss", "voltage"]
        log = logs.find(session, 1)
        assert log.flight_id in {r.id for r in rows if r.craft.name == "Swift"}
        heron = [flights.flight_of(r) for r in rows if r.craft.name == "Heron"][::-1]
        # Longer from flight to flight, then where the rule keeps it.
        assert heron[0].duration_s < heron[1].duration_s < heron[-1].duration_s
        assert heron[-1].duration_s == pytest.approx(heron[-2].duration_s, rel=0.08)
    database.close()


def test_the_timers_of_the_clubs_log_are_those_that_are_advised(tmp_path):
    """The newest of each story, asked for anew with the flights before it; the others were asked for alike."""
    database = Database(tmp_path / "club.sqlite")
    with database.session() as session:
        load_club(session)
        load_log(session)
        by_name = {row.name: row for row in sheets.all_sheets(session)}
        for name, timers in ADVISED.items():
            sheet_row = by_name[name]
            pattern = sheets.as_sheet(sheet_row).flying.name
            rows = [
                r for r in flights.newest(session, 100) if (r.craft_id, r.pattern) == (sheet_row.craft_id, pattern)
            ]
            assert len(rows) == len(timers)
            last, pack = rows[0], rows[0].pack
            flights.delete(session, last)
            timer = advise(session, sheet_row, pack=pack).timer
            assert (timer.timer_s, timer.down_s) == timers[-1], name
    database.close()


def test_frames_may_be_lost_on_the_way():
    craft = SimulatedCraft(sheet(), seed=2, sensors=Sensors(voltage=1.02))
    flown = craft.fly(60.0)
    frames = craft.frames(flown, lost_s=(20.0, 25.0))
    lost = np.isnan(frames.pack_v)
    assert lost.sum() == pytest.approx(50, abs=2)
    assert (frames.time_s[lost] >= 20.0).all()
    assert not np.isnan(frames.throttle).any()  # the sticks are the transmitter's own
