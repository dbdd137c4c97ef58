"""A flight's telemetry: attached, drawn with its forecast, fitted, its pattern taken; corrected by calibrations."""

from __future__ import annotations

import io
import json
import re
from datetime import UTC, datetime

import numpy as np
import pytest
from sqlalchemy import update

from zesty_cell.core.learn.calibration import CurrentCalibration, VoltageCalibration
from zesty_cell.core.learn.log_fit import fit_log
from zesty_cell.demo.log import telemetry_csv
from zesty_cell.services import log_fits
from zesty_cell.services.learning import learned_from, lessons
from zesty_cell.store import calibrations, flights, logs, sheets
from zesty_cell.store.tables import LogFitRow


@pytest.fixture
def season(app, fly_season):
    fly_season()


@pytest.fixture
def swift(app, season):
    """The address of the log that is attached to a flight."""
    with app.state.database.session() as session:
        row = next(r for k in range(1, 9) if (r := logs.find(session, k)) is not None and r.flight_id)
        return f"/log/{row.flight_id}/telemetry/{row.id}"


def heron_flight(app):
    with app.state.database.session() as session:
        return next(r.id for r in flights.newest(session, 60) if r.craft.name == "Heron")


def sheet_id(app, name):
    with app.state.database.session() as session:
        return next(r.id for r in sheets.all_sheets(session) if r.name == name)


def heron_csv(app, name="Heron on Pomelo, lighthouse run"):
    with app.state.database.session() as session:
        row = next(r for r in sheets.all_sheets(session) if r.name == name)
        return telemetry_csv(sheets.as_sheet(row))


def numbers(client, address):
    body = client.get(f"{address}/data").content
    end = body.index(b"\n") + 1
    assert end % 4 == 0
    head = json.loads(body[:end])
    values = np.frombuffer(body[end:], dtype="<f4").reshape(-1, head["rows"])
    names = ["time"] + [f"{p['key']}.{line['name']}" for p in head["panels"] for line in p["lines"]]
    return head, dict(zip(names, values, strict=True))


def test_the_page_shows_what_the_log_tells(client, swift):
    text = client.get(swift).text
    assert "What it tells of Satsuma 3" in text
    assert "Resistance of a cell" in text
    assert re.search(r"<b>9\d\d mAh</b>|<b>10\d\d mAh</b>", text.replace("\u2009", ""))  # the pack that tires
    assert "hard turns" in text


def test_the_numbers_are_the_logs_with_the_forecast_and_the_fit_over_them(client, swift):
    head, columns = numbers(client, swift)
    assert [p["key"] for p in head["panels"]] == ["pack_v", "current_a", "used_ah", "throttle"]
    assert {"pack_v.logged", "pack_v.forecast", "pack_v.fitted"} <= set(columns)
    logged, fitted, forecast = (columns[f"pack_v.{n}"] for n in ("logged", "fitted", "forecast"))
    known = np.isfinite(fitted)
    assert np.sqrt(np.mean((logged - fitted)[known] ** 2)) < 0.1
    assert np.isnan(forecast[:30]).all()  # nothing before take-off
    assert np.isfinite(forecast[60])
    assert columns["used_ah.logged"][-1] == pytest.approx(820, abs=100)


def attach(client, app, flight, data=None, name="new.csv"):
    files = {"file": (name, io.BytesIO(data or heron_csv(app)))}
    return client.post(f"/log/{flight}/telemetry", files=files)


def test_a_new_source_is_confirmed_once_then_remembered(client, app, season):
    flight = heron_flight(app)
    strange = heron_csv(app).replace(b"VBat (V)", b"Supply (V)")
    answer = attach(client, app, flight, strange)
    where = answer.headers["location"]
    assert re.fullmatch(r"/callouts/\d+/logs/\d+", where)
    form = dict(re.findall(r'<input type="hidden" name="([^"]+)" value="([^"]*)"', client.get(where).text))
    page = client.get(where).text
    for key, options in re.findall(r'<select[^>]*name="([^"]+)".*?>(.*?)</select>', page, re.S):
        chosen = re.search(r'value="([^"]*)" selected', options)
        form[key] = chosen[1] if chosen else ""
    answer = client.post(where, data=form | {"pack_v.column": "1", "pack_v.unit": "V", "action": "confirm"})
    assert re.fullmatch(rf"/log/{flight}/telemetry/\d+", answer.headers["location"])
    again = attach(client, app, flight, strange)
    assert again.headers["location"].startswith(f"/log/{flight}/telemetry/")


def taught_with(app, name):
    with app.state.database.session() as session:
        row = next(r for r in sheets.all_sheets(session) if r.name == name)
        of = lessons(session, sheets.as_sheet(row), craft_id=row.craft_id, pack=row.pack)
        return of, learned_from(of, sheet=sheets.as_sheet(row)).learned_factors(str(row.pack_id))


def test_a_log_is_learned_from_while_it_is_attached(client, app, season):
    name = "Heron on Pomelo, lighthouse run"
    flight = heron_flight(app)
    nothing, before = taught_with(app, name)
    assert nothing.logs == ()
    where = attach(client, app, flight).headers["location"]
    page = client.get(where).text
    assert "Resistance and capacity of this log go into the forecasts of Heron" in page
    # Flown to its landing, it hears the plan.
    assert re.search(r'class="heard"><li><b>\d?\d:\d\d</b> “', page)
    assert numbers(client, where)[0]["events"]
    of, learned_factors = taught_with(app, name)
    assert len(of.logs) == learned_factors.logs == 1
    assert abs(learned_factors.resistance - before.resistance) > 0.005
    assert "1 telemetry log" in client.get(f"/sheets/{sheet_id(app, name)}/taught").text
    client.post(f"{where}/detach")
    assert taught_with(app, name)[1] == before
    # Set aside with its flight, it is not learned from either.
    client.post(f"/log/{flight}/telemetry", data={"log": where.rsplit("/", 1)[1]})
    assert taught_with(app, name)[1] == learned_factors
    with app.state.database.session() as session:
        row = flights.fetch(session, flight)
        flights.change(
            session, flight, row.version, flights.flight_of(row).model_copy(update={"set_aside": "gust"})
        )
    assert taught_with(app, name)[0].logs == ()
    assert "go into the forecasts" not in client.get(where).text


def test_a_fit_is_kept_and_made_anew_when_what_it_rests_on_changed(client, app, season, monkeypatch):
    name, flight, fitted = "Heron on Pomelo, lighthouse run", heron_flight(app), []

    def counting(log, **of):
        fitted.append(of)
        return fit_log(log, **of)

    log_fits.forget()  # of other tests
    monkeypatch.setattr(log_fits, "fit_log", counting)
    attach(client, app, flight)
    _, first = taught_with(app, name)
    assert len(fitted) == 1
    log_fits.forget()  # as after a start
    assert taught_with(app, name)[1] == first
    assert len(fitted) == 1
    with app.state.database.session() as session:
        session.execute(update(LogFitRow).values(document={"resistance_ohm": "junk"}))
    assert taught_with(app, name)[1] == first
    assert len(fitted) == 2
    with app.state.database.session() as session:
        row = flights.fetch(session, flight)
        flown = flights.flight_of(row)
        more = flown.model_copy(update={"put_back_ah": 1.1 * (flown.put_back_ah or 2.5)})
        flights.change(session, flight, row.version, more)
    assert taught_with(app, name)[1] != first
    assert len(fitted) == 3


def test_a_log_that_is_kept_is_attached_and_taken_off(client, app, season):
    flight = heron_flight(app)
    page = client.get(f"/log/{flight}").text
    log_id = re.search(r'<option value="(\d+)">heron-lighthouse.csv', page)[1]
    where = client.post(f"/log/{flight}/telemetry", data={"log": log_id}).headers["location"]
    assert client.get(where).status_code == 200
    assert "heron-lighthouse.csv</a>" in client.get(f"/log/{flight}").text
    client.post(f"{where}/detach")
    assert client.get(where).status_code == 404
    assert f'<option value="{log_id}">' in client.get(f"/log/{flight}").text


def test_a_file_that_is_no_log_is_refused_with_its_line(client, app, season):
    flight = heron_flight(app)
    answer = attach(client, app, flight, b"time,volt\n1,2\n2,3,4\n")
    assert answer.headers["location"] == f"/log/{flight}"
    assert "Not attached: Line 3" in client.get(f"/log/{flight}").text


def test_a_log_before_a_calibration_is_corrected_by_it(client, app, swift):
    _, before = numbers(client, swift)
    with app.state.database.session() as session:
        craft = flights.fetch(session, int(swift.split("/")[2])).craft_id
        now = datetime.now(UTC)
        current = CurrentCalibration(made_at=now, old=100.0, step=1.0, reading_rises=True, flights=((1.0, 1.2),),
                                     capacity_ah=1.3, entered=120.0)  # fmt: skip
        voltage = VoltageCalibration(made_at=now, old=100.0, step=1.0, points=((20.0, 20.2),), entered=101.0)
        for made in (current, voltage):
            calibrations.add(session, made, craft_id=craft, pack_id=None)
    _, after = numbers(client, swift)
    assert after["used_ah.logged"][-1] == pytest.approx(1.2 * before["used_ah.logged"][-1], rel=1e-3)
    assert after["pack_v.logged"][100] == pytest.approx(1.01 * before["pack_v.logged"][100], rel=1e-4)
    assert "corrected by 1.200" in client.get(swift).text


def swift_sheet(app):
    with app.state.database.session() as session:
        row = next(r for r in sheets.all_sheets(session) if r.craft.name == "Swift")
        return row.id, sheets.as_sheet(row)


def test_the_pattern_is_taken_as_adjusted(client, app, swift):
    sheet_id, _ = swift_sheet(app)
    form = {"name": "As flown in the wind", "sheet": str(sheet_id), "share_0": "135", "duration_s_1": "0"}
    answer = client.post(f"{swift}/pattern", data=form)
    assert answer.headers["location"] == f"/sheets/{sheet_id}"
    flying = swift_sheet(app)[1].flying
    assert flying.name == "As flown in the wind"
    assert flying.activities[0].share == 1.35
    assert len(flying.activities) == 4  # one was set to nothing
    assert "As flown in the wind" in client.get(f"/sheets/{sheet_id}").text


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"share_0": "much"}, "is not a number"),
        ({"share_0": "2000"}, "less than or equal to 10"),
        ({"duration_s_0": "1.23"}, "tenths of a second"),
        ({"name": ""}, "at least 1 character"),
    ],
)
def test_a_pattern_that_cannot_be_is_refused_with_what_was_typed(client, app, swift, change, words):
    sheet_id, before = swift_sheet(app)
    answer = client.post(f"{swift}/pattern", data={"name": "x", "sheet": str(sheet_id)} | change)
    assert answer.status_code == 422
    assert words in answer.text
    assert swift_sheet(app)[1] == before
    for value in change.values():
        assert f'value="{value}"' in answer.text


def test_a_log_without_current_says_what_it_cannot_tell(client, app, season):
    flight = heron_flight(app)
    rows = [r.split(",") for r in heron_csv(app).decode().splitlines()]
    bare = "\n".join(",".join(r[:2]) for r in rows).encode()
    where = attach(client, app, flight, bare).headers["location"]
    if "/callouts/" in where:
        form = {
            "time_s.column": "0",
            "time_s.unit": "ms",
            "pack_v.column": "1",
            "pack_v.unit": "V",
            "action": "confirm",
        }
        where = client.post(where, data=form).headers["location"]
    text = client.get(where).text
    assert "no current: nothing drives the fit" in text
    assert "A pattern is told by power" in text
    head, _ = numbers(client, where)
    assert [p["key"] for p in head["panels"]] == ["pack_v"]


def test_temperature_and_altitude_are_drawn_where_they_were_logged(client, app, season):
    flight = heron_flight(app)
    rows = heron_csv(app).decode().splitlines()
    more = [rows[0] + ",Temp (°C),Altitude (m)"] + [
        f"{r},{20 + k / 500:.1f},{k % 90}" for k, r in enumerate(rows[1:])
    ]
    where = attach(client, app, flight, "\n".join(more).encode()).headers["location"]
    if "/callouts/" in where:
        page = client.get(where).text
        form = {"action": "confirm"}
        for key, options in re.findall(r'<select[^>]*name="([^"]+)".*?>(.*?)</select>', page, re.S):
            chosen = re.search(r'value="([^"]*)" selected', options)
            form[key] = chosen[1] if chosen else ""
        where = client.post(where, data=form).headers["location"]
    head, columns = numbers(client, where)
    assert [p["key"] for p in head["panels"]][-2:] == ["temperature_c", "altitude_m"]
    assert columns["altitude_m.logged"].max() == pytest.approx(89)
    assert np.isfinite(columns["temperature_c.forecast"]).any()  # the cell's own, laid over it
