"""Calibrations on their pages: worked out as typed, refused at their field, kept; they correct the log before."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

import pytest

from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.services.learning import sensor_of
from zesty_cell.store import calibrations, flights, logs, sheets
from zesty_cell.store.hangar import CRAFTS, PACKS

VOLTAGE = {"old": "110", "step": "0.1", "shown_1": "24.62", "meter_1": "24.81"}
CURRENT = {"old": "400", "step": "1", "rises": "yes", "shown_1": "2000", "back_1": "2400"}


def named(app, name):
    with app.state.database.session() as session:
        kind = CRAFTS if name in {r.name for r in CRAFTS.all(session)} else PACKS
        return next(r.id for r in kind.all(session) if r.name == name)


@pytest.fixture
def bench(app):
    """Heron with Pomelo 1 on the bench."""
    return {"craft": str(named(app, "Heron")), "pack": str(named(app, "Pomelo 1"))}


def post(client, task, bench, action="look", **values):
    return client.post(
        f"/calibrate/{task}", data=bench | {"action": action, "units": "metric", "volts": "cell"} | values
    )


def answer(response):
    return re.search(r'class="big-inline">([^<]+)<', response.text)[1]


def error(response, field):
    return re.search(rf'id="error-{field}"[^>]*>([^<]*)<', response.text)[1]


def kept_rows(app):
    with app.state.database.session() as session:
        return [row.id for row in calibrations.newest(session)]


def kept(app):
    with app.state.database.session() as session:
        return [calibrations.calibration_of(row) for row in calibrations.newest(session)]


def test_every_check_opens_with_what_is_known(client, app, bench):
    page = client.get("/calibrate", params={"craft": bench["craft"]}).text
    assert "The voltage sensor was never checked" in page
    assert "reckon with 10 % either way" in page
    for task in ("voltage", "current", "lamp", "hover-down", "cells"):
        text = client.get(f"/calibrate/{task}", params=bench).text
        assert f'href="/calibrate/{task}?craft={bench["craft"]}"' in page
        assert 'aria-invalid="true"' not in text
    assert 'value="24.2"' in client.get("/calibrate/lamp", params=bench).text  # six cells, full less one volt
    assert client.get("/calibrate/nothing").status_code == 404


def test_a_voltage_scale_is_worked_out_and_kept(client, app, bench):
    look = post(client, "voltage", bench, **VOLTAGE)
    assert answer(look) == "110.8"  # 110 · 24.81/24.62 = 110.85
    assert "showed 0.8 % too little" in look.text
    assert kept(app) == []
    two = post(client, "voltage", bench, **VOLTAGE, shown_2="21.27", meter_2="21.44", takes_offset="1")
    assert "and an offset of" in two.text
    assert post(client, "voltage", bench, "keep", **VOLTAGE, note="new meter").status_code == 303
    made = kept(app)[0]
    assert (made.entered, made.note) == (110.8, "new meter")
    page = client.get("/calibrate", params=bench).text
    assert "Calibrated on" in page
    assert "110 → 110.8" in page
    assert 'value="110.8"' in client.get("/calibrate/voltage", params=bench).text


def test_what_was_entered_counts_and_not_what_was_worked_out(client, app, bench):
    post(client, "voltage", bench, "keep", **VOLTAGE, entered="111")
    assert kept(app)[0].entered == 111.0
    assert "0.3 % left" in client.get("/calibrate").text


@pytest.mark.parametrize(
    ("change", "field", "words"),
    [
        ({"meter_1": ""}, "meter_1", "Both readings"),
        ({"shown_1": "", "meter_1": ""}, "shown_1", "Read both"),
        ({"meter_1": "4.1"}, "shown_1", "another pack or another unit"),
        ({"old": "none"}, "old", "number"),
        ({"old": ""}, "old", "needed"),
        ({"old": "-3"}, "old", "More than 0"),
        ({"step": "0"}, "step", "At least"),
        ({"shown_1": "900"}, "shown_1", "At most"),
        ({"note": "x" * 301}, "note", "At most 300"),
    ],
)
def test_a_wrong_reading_is_told_at_its_field_and_kept_as_typed(client, app, bench, change, field, words):
    response = post(client, "voltage", bench, "keep", **VOLTAGE | change)
    assert response.status_code == 422
    assert words in error(response, field)
    assert kept(app) == []
    typed = change.get(field, "")
    assert f'value="{typed}"' in response.text


def test_a_current_scale_of_both_kinds(client, app, bench):
    assert answer(post(client, "current", bench, **CURRENT)) == "480"
    assert answer(post(client, "current", bench, **CURRENT | {"rises": "no"})) == "333"
    step = {"rises": "find", "before_scale": "400", "before_a": "9"}
    found = post(client, "current", bench, **CURRENT | step, after_scale="500", after_a="7.2")
    assert answer(found) == "333"
    assert "by your test step" in found.text
    unclear = post(client, "current", bench, **CURRENT | step, after_scale="404", after_a="9")
    assert "do not tell" in error(unclear, "before_a")
    assert "Choose which kind" in error(post(client, "current", bench, **CURRENT | {"rises": "find"}), "rises")


@pytest.mark.parametrize(
    ("change", "field", "words"),
    [
        ({"back_1": "500"}, "back_1", "too little: fly until 840 mAh"),
        ({"shown_1": "0"}, "shown_1", "no charge at all"),
        ({"back_1": ""}, "back_1", "both needed"),
        ({"shown_1": "", "back_1": ""}, "shown_1", "One flight"),
        ({"shown_1": "60", "back_1": "2400"}, "old", "Look again: milliamps for amps"),
    ],
)
def test_a_current_scale_is_refused_at_its_field(client, app, bench, change, field, words):
    response = post(client, "current", bench, "keep", **CURRENT | change)
    assert response.status_code == 422
    assert words in error(response, field)


def test_a_change_beyond_twentyfold_needs_a_second_look(client, bench):
    wild = CURRENT | {"shown_1": "60"}
    assert "I have looked again" in post(client, "current", bench, **wild).text
    assert answer(post(client, "current", bench, **wild, second_look="1")) == "16000"


def test_implausible_amps_are_doubted(client, bench):
    look = post(client, "current", bench, **CURRENT, flew_1="2:00")
    assert "400 mAh in 2:00 is 72.0 A on average" in look.text
    assert "on average" not in post(client, "current", bench, **CURRENT, flew_1="15:00").text


def log_flight(app, bench, days_ago, **values):
    with app.state.database.session() as session:
        flight = LoggedFlight.model_validate(
            {
                "landed_at": datetime.now(UTC) - timedelta(days=days_ago),
                "duration_s": 900,
                "pattern": "Shoreline cruise",
            }
            | values
        )
        pack = PACKS.fetch(session, int(bench["pack"]))
        entry = f"d{days_ago}"
        return flights.add(session, flight, craft_id=int(bench["craft"]), pack=pack, entry=entry).id


def test_a_calibration_corrects_the_log_before_it(client, app, bench):
    before = log_flight(app, bench, 3, shown_ah=2.0)
    assert "48 % used" in client.get(f"/log/{before}").text
    post(client, "current", bench, "keep", **CURRENT)
    assert "57 % used" in client.get(f"/log/{before}").text
    assert "corrected by 1.2" in client.get(f"/log/{before}").text


def test_the_log_fills_in_the_flights_and_tells_how_far_out_it_is_now(client, app, bench):
    for day in (4, 3, 2):
        log_flight(app, bench, day, shown_ah=2.1, put_back_ah=2.4)
    page = client.get("/calibrate/current", params=bench).text
    assert page.count('value="2100"') == 3
    words = "By 3 flights the current sensor shows 12 % too little"
    assert words in client.get("/calibrate", params=bench).text
    field = client.get("/field", params={"craft": bench["craft"]}).text
    assert words in field
    with app.state.database.session() as session:
        sheet = next(r.id for r in sheets.all_sheets(session) if str(r.craft_id) == bench["craft"])
    callouts = client.get(f"/callouts/{sheet}").text
    assert words in callouts
    assert "never checked: charge used" not in callouts


def test_the_way_to_the_lamp(client, app, bench):
    values = {"alarm_v": "24.2", "rest_v": "24.9", "wanted_rest_v": "3.4", "current_a": "8.9"}
    look = post(client, "lamp", bench, **values)
    assert answer(look) == "19.7 V"  # 6 · 3.4 − 0.7
    assert "79 mΩ" in look.text
    assert "pack and plug are healthy" in look.text
    tired = post(client, "lamp", bench, **values | {"alarm_v": "22.9"})
    assert "a tired pack or a bad plug" in tired.text
    assert "should have come back up" in error(post(client, "lamp", bench, **values | {"rest_v": "24"}), "rest_v")
    chosen = post(client, "lamp", bench, "keep", **values, landing_stage="keep")
    assert chosen.status_code == 303
    assert "landing stage kept" in client.get("/calibrate").text
    assert kept(app)[0].landing_stage == "keep"
    for words in ("over water, people or trees", "falls where it is"):
        assert words in look.text


HOVER = [("0:30", "4.0"), ("1:00", "3.9"), ("2:00", "3.82"), ("3:00", "3.76"), ("4:00", "3.7"), ("5:00", "3.62"),
         ("5:30", "3.4"), ("5:45", "3.1")]  # fmt: skip


def hover(points=HOVER):
    return {
        f"{name}_{k}": v
        for k, pair in enumerate(points, 1)
        for name, v in zip(("time", "volts"), pair, strict=True)
    }


def test_the_hover_down_chart(client, app, bench):
    bench = bench | {"pack": str(named(app, "Pomelo 1"))}
    look = post(client, "hover-down", bench, **hover())
    assert re.match(r"[45]:\d\d", answer(look))
    assert "The knee school would call at" in look.text
    assert "say “land now” for Heron on Pomelo 1" in look.text
    pack = hover([(t, f"{6 * float(v):.2f}") for t, v in HOVER])
    assert answer(post(client, "hover-down", bench, **pack, volts="pack")) == answer(look)
    assert "at rest" in post(client, "hover-down", bench, **hover(), loaded="no").text
    assert post(client, "hover-down", bench, "keep", **hover()).status_code == 303
    assert "The knee lies at" in client.get("/calibrate").text


@pytest.mark.parametrize(
    ("points", "field", "words"),
    [
        (HOVER[:3], "time_1", "at least 4"),
        ([*HOVER[:5], ("4:30", "3.95")], "time_1", "rises from"),
        ([*HOVER[:5], ("4:30", "")], "volts_6", "both"),
        ([*HOVER[:5], ("soon", "3.6")], "time_6", "not a number"),
        ([], "time_1", "four readings"),
    ],
)
def test_a_hover_down_that_cannot_be_is_refused(client, bench, points, field, words):
    response = post(client, "hover-down", bench, "keep", **hover(points))
    assert response.status_code == 422
    assert words in error(response, field)


def test_the_hover_down_is_taken_from_a_log(client, app, bench):
    with app.state.database.session() as session:
        log_id = logs.of_craft(session, int(bench["craft"]))[0].id
    text = client.get("/calibrate/hover-down", params=bench | {"log": log_id}).text
    readings = [float(v) for v in re.findall(r'name="volts_\d+"[^>]*value="([\d.]+)"', text)]
    assert len(readings) == 12
    assert readings == sorted(readings, reverse=True)
    assert 3.05 < readings[-1] < readings[0] < 4.2


def test_the_cells_of_a_pack(client, app, bench):
    six = "3.81 3.80 3.76 3.81 3.80 3.81"
    look = post(client, "cells", bench, cells_v=six)
    assert answer(look) == "50 mV"
    assert "Watch it: cell 3" in look.text
    assert "Fit:" in post(client, "cells", bench, cells_v="3.81 " * 6).text
    assert "Retire it" in post(client, "cells", bench, cells_v=six.replace("3.76", "3.60")).text
    for typed, words in (
        ("3.8 3.8", "Readings: 2; cells of Pomelo 1 in series: 6."),
        (six.replace("3.76", "4.9"), "is no cell of"),
        (six.replace("3.76", "4.4"), "is no cell of"),
        (six.replace("3.76", "1.2"), "two volts"),
        ("", "needed"),
    ):
        assert words in error(post(client, "cells", bench, "keep", cells_v=typed), "cells_v")
    assert post(client, "cells", bench, "keep", cells_v=six, resistance_ohm="13.5").status_code == 303
    made = kept(app)[0]
    assert made.resistance_ohm == pytest.approx(0.0135)
    assert "50 mV apart, cell 3 lowest: watch." in client.get("/calibrate").text


def test_a_record_is_deleted_with_undo(client, app, bench):
    post(client, "voltage", bench, "keep", **VOLTAGE)
    record = re.search(r'action="(/calibrate/records/\d+)/delete"', client.get("/calibrate").text)[1]
    assert client.post(f"{record}/delete").status_code == 303
    assert kept(app) == []
    assert "/undelete" in client.get("/calibrate").text
    client.post(f"{record}/undelete")
    assert len(kept(app)) == 1


def test_without_a_craft_there_is_nothing_to_check(empty_app):
    from starlette.testclient import TestClient

    with TestClient(
        empty_app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000), follow_redirects=False
    ) as client:
        assert "A craft is needed" in client.get("/calibrate").text
        assert client.get("/calibrate/voltage").headers["location"] == "/hangar"
        assert client.post("/calibrate/voltage", data=VOLTAGE).headers["location"] == "/hangar"


def test_the_clubs_records_read_well(client, app, fly_season):
    fly_season()
    text = client.get("/calibrate", params={"craft": named(app, "Heron")}).text
    assert "400 → 46" in text
    assert "By 6 flights since 6 September" in text


def test_a_cell_a_little_over_full_gets_a_verdict(client, bench):
    page = post(client, "cells", bench, "look", cells_v="4.24 4.20 4.20 4.20 4.20 4.20").text
    assert "40 mV over full: do not fly or store it so" in page


def test_readings_of_another_pack_and_a_scale_not_advised_are_asked_back(client, bench):
    other = {"old": "110", "step": "1", "shown_1": "16.4", "meter_1": "16.8", "entered": ""}
    asked = post(client, "voltage", bench, "keep", **(other | {"meter_1": "12.4", "shown_1": "12.1"}))
    assert "another pack, or one cell of it?" in error(asked, "meter_1")
    fits = {"old": "110", "step": "1", "shown_1": "24.0", "meter_1": "24.6", "entered": "130"}
    asked = post(client, "voltage", bench, "keep", **fits)
    assert "130 was entered, and 113 follows" in error(asked, "entered")
    assert post(client, "voltage", bench, "keep", **(fits | {"second_look": "1"})).status_code == 303


def test_two_points_that_contradict_each_other_are_refused(client, bench):
    points = {"old": "110", "step": "1", "shown_1": "24.0", "meter_1": "24.6", "shown_2": "20.0", "meter_2": "23.2"}
    assert "contradict each other" in error(post(client, "voltage", bench, "keep", **points), "meter_2")


def test_more_put_back_than_the_pack_holds_is_refused(client, bench):
    row = {"old": "100", "step": "1", "rises": "yes", "flew_1": "10", "shown_1": "3000", "back_1": "6440"}
    assert "is more than" in error(post(client, "current", bench, "keep", **row), "back_1")


@pytest.mark.parametrize(
    ("change", "field", "words", "again"),
    [
        ({"rest_v": "4.15"}, "rest_v", "is one cell: the pack&#39;s 24.9 V", False),
        ({"rest_v": "26.1"}, "rest_v", "over the 25.2 V of Pomelo 1 when full", False),
        ({"rest_v": "24.1"}, "rest_v", "should have come back up", False),
        ({"alarm_v": "9"}, "alarm_v", "under anything Pomelo 1, 6S", False),
        ({"wanted_rest_v": "20.4"}, "wanted_rest_v", "3.40 V a cell is asked for", False),
        ({"alarm_v": "15.5", "rest_v": "16.2"}, "rest_v", "is an empty pack", True),
        ({"current_a": "27"}, "current_a", "of the whole craft, in amps", True),
        ({"current_a": "2.2"}, "current_a", "of the whole craft, in amps", True),
    ],
)
def test_a_way_to_the_lamp_that_cannot_be_is_refused_or_asked_back(client, app, bench, change, field, words, again):
    values = {"alarm_v": "24.2", "rest_v": "24.9", "wanted_rest_v": "3.4", "current_a": "8.9"} | change
    refused = post(client, "lamp", bench, "keep", **values)
    assert refused.status_code == 422
    assert words in error(refused, field)
    for name, typed in values.items():
        assert re.search(rf'name="{name}"[^>]*value="{re.escape(typed)}"', refused.text)
    assert ('name="second_look"' in refused.text) == again
    assert post(client, "lamp", bench, "keep", **values, second_look="1").status_code == (303 if again else 422)
    assert len(kept(app)) == again


@pytest.mark.parametrize("amps", ["3.2", "24"])
def test_a_current_not_too_far_from_the_sheets_is_taken(client, bench, amps):
    values = {"alarm_v": "24.2", "rest_v": "24.9", "wanted_rest_v": "3.4", "current_a": amps}
    assert post(client, "lamp", bench, "keep", **values).status_code == 303


def test_a_hover_down_in_the_other_volts_is_told_so(client, bench):
    bench = bench | {"pack": str(named_pack(client, "Satsuma 1"))}
    refused = post(client, "hover-down", bench, **hover([*HOVER[:3], ("3:00", "22.6"), *HOVER[4:]]))
    assert "22.6 V is the whole pack" in error(refused, "volts_4")
    refused = post(client, "hover-down", bench | {"volts": "pack"}, **hover(), volts="pack")
    assert "4 V is one cell" in error(refused, "volts_1")


def named_pack(client, name):
    return re.search(rf'/hangar/packs/(\d+)">{name}<', client.get("/hangar").text)[1]


def heron_of(app):
    with app.state.database.session() as session:
        return CRAFTS.thing(next(r for r in CRAFTS.all(session) if r.name == "Heron"))


OFFER = "Read by the sensor that was out?"


def test_a_calibration_offers_to_correct_the_points_it_explains(client, app, bench):
    before = heron_of(app)
    post(client, "current", bench, "keep", **CURRENT)  # 2.0 Ah shown where 2.4 went back
    record = kept_rows(app)[0]

    def overview():
        return client.get("/calibrate", params={"craft": bench["craft"]}).text

    def doubt():
        with app.state.database.session() as session:
            return sensor_of(session, int(bench["craft"])).error

    assert OFFER in overview()
    assert before.steady.read_by == "meter"  # and so is not asked about
    assert f"truly <b>{before.full_throttle.current_a * 1.2:.3g} A</b>" in overview()
    assert doubt() > 0.2
    assert client.post(f"/calibrate/records/{record}/points", data={"answer": "correct"}).status_code == 303
    assert heron_of(app).full_throttle.current_a == pytest.approx(before.full_throttle.current_a * 1.2, rel=5e-3)
    assert doubt() < 0.05
    page = overview()
    assert "Heron is corrected: full throttle" in page
    assert OFFER not in page
    client.post(f"/calibrate/records/{record}/points-undo")
    assert heron_of(app) == before
    assert OFFER in overview()
    client.post(f"/calibrate/records/{record}/points", data={"answer": "leave"})
    assert heron_of(app) == before
    assert OFFER not in overview()
    client.post(f"/calibrate/records/{record}/points", data={"answer": "correct"})  # another tab, later
    assert heron_of(app) == before
    assert client.post("/calibrate/records/999/points", data={"answer": "correct"}).status_code == 404
