"""The API beyond sheets: what it takes is what every page takes and shows, and is refused at its place."""

from __future__ import annotations

import csv
import io
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from tests.sheets import pomelo
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.choose.compare import Contender, compare_packs
from zesty_cell.core.choose.sweep import sweep
from zesty_cell.demo.log import telemetry_csv
from zesty_cell.formats.plan_json import read_plan
from zesty_cell.formats.sheet_json import read_sheet
from zesty_cell.store import sheets


@pytest.fixture
def season(app, fly_season):
    fly_season()


def rows_of(response):
    assert response.status_code == 200
    assert response.headers["content-type"].startswith("text/csv")
    return list(csv.DictReader(io.StringIO(response.text)))


def places(response):
    assert response.status_code == 422
    return [(".".join(str(p) for p in w["loc"]), w["type"]) for w in response.json()["detail"]]


def named(client, kind, name):
    return next(r for r in client.get(f"/api/{kind}").json() if r["name"] == name)


@pytest.mark.parametrize(("kind", "name", "page"), [("craft", "Heron", "crafts"), ("pack", "Pomelo 1", "packs")])
def test_a_thing_of_the_hangar_is_kept_changed_deleted_and_brought_back(client, kind, name, page):
    old = named(client, f"{kind}s", name)
    added = client.post(f"/api/{kind}s", json={kind: old[kind] | {"name": "By API"}})
    assert added.status_code == 201
    new = added.json()
    where = f"/api/{kind}s/{new['id']}"
    assert client.get(where).json() == new
    assert "By API" in client.get("/hangar").text
    assert client.get(f"/hangar/{page}/{new['id']}").status_code == 200
    lent = {"standing": "lent", "lent_to": "Anna", "flights": 7, "rest_v_per_cell": 3.85}
    change = {"version": new["version"], kind: new[kind] | {"name": "Changed"}, "ownership": lent}
    changed = client.put(where, json=change).json()
    assert changed["name"] == "Changed"
    assert changed["ownership"]["lent_to"] == "Anna"
    assert client.put(where, json=change).status_code == 409
    left = {k: v for k, v in change.items() if k != "ownership"} | {"version": changed["version"]}
    assert client.put(where, json=left).json()["ownership"] == changed["ownership"]
    assert client.delete(where).status_code == 204
    assert client.get(where).status_code == 404
    assert client.post(f"{where}/undelete").json()["name"] == "Changed"


def test_what_the_hangar_refuses_is_said_at_its_place_and_changes_nothing(client):
    craft, pack = named(client, "crafts", "Heron"), named(client, "packs", "Pomelo 1")
    assert places(client.post("/api/crafts", json={"craft": craft["craft"]})) == [("body.craft.name", "taken")]
    assert places(client.post("/api/packs", json={"pack": pack["pack"]})) == [("body.pack.name", "taken")]
    named_anew = pack["pack"] | {"name": "Anew"}
    light = client.post("/api/packs", json={"pack": named_anew | {"mass_kg": 0.2}})
    assert places(light) == [("body.pack.mass_kg", "energy_density")]
    sure = client.post("/api/packs?sure=energy_density", json={"pack": named_anew | {"mass_kg": 0.2}})
    assert sure.status_code == 201
    whole = {"pack": named_anew | {"name": "Volts"}, "ownership": {"rest_v_per_cell": 4.9}}
    assert [w[0] for w in places(client.post("/api/packs", json=whole))] == ["body.ownership.rest_v_per_cell"]
    tab = {"craft": craft["craft"] | {"name": "Tab"}, "ownership": {"standing": "lent", "lent_to": "An\tna"}}
    assert [w[0] for w in places(client.post("/api/crafts", json=tab))] == ["body.ownership.lent_to"]
    assert places(client.post("/api/crafts", json={"craft": craft["craft"] | {"wings": 2}}))[0][0].endswith("wings")
    needed = client.delete(f"/api/packs/{pack['id']}")
    assert needed.status_code == 409
    assert "is used by" in needed.json()["detail"]
    assert {r["name"] for r in client.get("/api/packs").json()} & {"Volts", "Tab"} == set()
    assert client.get("/hangar").status_code == 200


def test_a_plan_is_written_kept_at_its_version_and_let_go_of(client):
    where = "/api/sheets/8/plan"
    first = client.get(where).json()
    assert (first["id"], first["version"], first["differs"]) == (None, 0, False)
    assert first["plan"] == first["written"]
    assert (
        read_plan(client.get("/callouts/8/export").content).model_dump(mode="json").items() <= first["plan"].items()
    )
    plan = first["plan"] | {"name": "By API"}
    kept = client.put(where, json={"version": 0, "plan": plan}).json()
    assert kept["version"] == 1
    assert read_plan(client.get("/callouts/8/export").content).name == "By API"
    assert client.put(where, json={"version": 0, "plan": plan}).status_code == 409
    lower = plan | {"timer_s": 60.0} if "timer_s" in plan else plan | {"rules": plan["rules"][:1]}
    assert client.put(where, json={"version": 1, "plan": lower}).json()["differs"] is True
    assert client.delete(where).status_code == 204
    assert client.get(where).json()["version"] == 0
    assert client.delete(where).status_code == 404
    assert client.post(f"/api/plans/{kept['id']}/undelete").status_code == 204
    assert client.get(where).json()["plan"]["name"] == "By API"


def flight_of(client, number=0):
    return client.get("/api/flights").json()["flights"][number]


def test_a_flight_is_logged_once_put_right_and_taken_out(client, season):
    old = flight_of(client)
    landed = datetime(2026, 11, 21, 10, 0, tzinfo=UTC)
    flight = old["flight"] | {"landed_at": landed.isoformat(), "note": "by hand"}
    new = {"craft_id": old["craft_id"], "pack_id": old["pack_id"], "entry": "phone-1", "flight": flight}
    total = client.get("/api/flights").json()["total"]
    logged = client.post("/api/flights", json=new)
    assert logged.status_code == 201
    assert client.post("/api/flights", json=new).json()["id"] == logged.json()["id"]
    assert client.get("/api/flights").json()["total"] == total + 1
    where = f"/api/flights/{logged.json()['id']}"
    assert "by hand" in client.get(f"/log/{logged.json()['id']}").text
    change = {"version": logged.json()["version"], "flight": logged.json()["flight"] | {"set_aside": "gusty"}}
    changed = client.put(where, json=change).json()
    assert changed["flight"]["set_aside"] == "gusty"
    assert client.put(where, json=change).status_code == 409
    assert client.delete(where).status_code == 204
    assert client.get("/api/flights").json()["total"] == total
    assert client.post(f"{where}/undelete").json()["id"] == changed["id"]
    assert client.get(f"/log/{changed['id']}").status_code == 200


def test_what_cannot_be_of_a_flight_is_refused_and_what_hardly_can_is_asked(client, season):
    old = flight_of(client)
    moment = datetime(2026, 11, 21, 10, 0, tzinfo=UTC)

    def posted(query="", **values):
        flight = old["flight"] | {"landed_at": moment.isoformat()} | values
        body = {"craft_id": old["craft_id"], "pack_id": old["pack_id"], "flight": flight}
        return client.post(f"/api/flights{query}", json=body)

    tomorrow = (datetime.now(UTC) + timedelta(days=1)).isoformat()
    assert places(posted(landed_at=tomorrow)) == [("body.flight.landed_at", "ahead")]
    assert places(posted(put_back_ah=300.0)) == [("body.flight.put_back_ah", "impossible")]
    assert places(posted(landed_at=old["flight"]["landed_at"])) == [("body.flight.landed_at", "impossible")]
    for text in ("yesterday", "0001-01-01T00:00:00+14:00", "1969-12-31T23:59:59Z", "2200-01-01T00:00:00Z"):
        assert places(posted(landed_at=text))[0][0] == "body.flight.landed_at"
    assert posted(landed_at="2012-01-01T12:00:00Z").status_code == 201
    asked = places(posted(duration_s=12.0))
    assert "body.flight.duration_s" in [place for place, _ in asked]
    assert posted("?sure=none", duration_s=12.0).status_code == 422
    assert posted(f"?sure={'%20'.join(kind for _, kind in asked)}", duration_s=12.0).status_code == 201
    gone = client.post("/api/flights", json={"craft_id": 999, "pack_id": 1, "flight": old["flight"]})
    assert gone.status_code == 404
    bad = client.post("/api/flights", json={"craft_id": 1, "pack_id": 1, "entry": "a b", "flight": old["flight"]})
    assert places(bad)[0][0] == "body.entry"


def test_what_went_back_is_shared_out_among_flights_since_the_last_charge(client, season):
    old = flight_of(client)
    assert old["waiting"]
    moment = datetime(2026, 11, 21, 10, 0, tzinfo=UTC)
    flight = old["flight"] | {"landed_at": moment.isoformat(), "shown_ah": None}
    body = {"craft_id": old["craft_id"], "pack_id": old["pack_id"], "flight": flight}
    new = client.post("/api/flights", json=body).json()
    charge = {"version": new["version"], "flight": new["flight"] | {"put_back_ah": 0.24}}
    assert client.post(f"/api/flights/{new['id']}/charged", json=charge).status_code == 200
    before, after = (client.get(f"/api/flights/{k}").json()["flight"] for k in (old["id"], new["id"]))
    assert before["charged_with_next"]
    assert before["put_back_ah"] + after["put_back_ah"] == pytest.approx(0.24)
    assert client.post(f"/api/flights/{new['id']}/charged", json=charge).status_code == 409


def test_flights_are_a_table_too_of_a_craft_and_page_by_page(client, season):
    of = flight_of(client)["craft_id"]
    page = client.get(f"/api/flights?craft={of}&most=2&skip=1").json()
    assert [f["craft_id"] for f in page["flights"]] == [of, of]
    assert page["total"] > 2
    assert page["flights"][0] == client.get(f"/api/flights?craft={of}&most=1&skip=1").json()["flights"][0]
    table = rows_of(client.get(f"/api/flights?craft={of}&most=2&skip=1&table=csv"))
    assert [float(row["flew (s)"]) for row in table] == [f["flight"]["duration_s"] for f in page["flights"]]


def heron_log(app):
    with app.state.database.session() as session:
        row = next(r for r in sheets.all_sheets(session) if r.name == "Heron on Pomelo, lighthouse run")
        return telemetry_csv(sheets.as_sheet(row))


def test_a_log_is_sent_its_columns_confirmed_its_numbers_and_its_fit_read(client, app, season):
    flight = next(f for f in client.get("/api/flights").json()["flights"] if f["craft_id"] == 1)
    data = heron_log(app)
    where = f"/api/flights/{flight['id']}/logs"
    sent = client.post(f"{where}?name=field", content=data, headers={"content-type": "text/csv"})
    assert sent.status_code == 201
    log = sent.json()
    assert (log["name"], log["confirmed"], log["doubts"]) == ("field", True, [])
    assert [one["id"] for one in client.get(where).json()] == [log["id"]]
    numbers = client.get(f"/api/logs/{log['id']}/data").json()
    assert len({len(column) for column in numbers.values()}) == 1
    table = rows_of(client.get(f"/api/logs/{log['id']}/data?table=csv"))
    assert [row["pack_v"] for row in table[:50]] == [f"{v:.10g}" for v in numbers["pack_v"][:50]]
    fit = client.get(f"/api/logs/{log['id']}/fit").json()
    resistance = next(f for f in fit["figures"] if f["key"] == "resistance")
    assert fit["why_not"] == ""
    assert resistance["low"] < resistance["value"] < resistance["high"]
    columns = log["columns"]
    wrong = [c | {"unit": "mV"} if c["role"] == "pack_v" else c for c in columns["columns"]]
    refused = client.put(f"/api/logs/{log['id']}/columns", json=columns | {"columns": wrong})
    assert places(refused) == [("body.columns.pack_v", "not_this_pack")]
    assert client.put(f"/api/logs/{log['id']}/columns", json=columns).json()["confirmed"]
    assert client.get(f"/log/{flight['id']}/telemetry/{log['id']}").status_code == 200
    assert client.delete(f"/api/logs/{log['id']}").status_code == 204
    assert client.get(f"/api/logs/{log['id']}/fit").status_code == 404
    assert client.post(f"/api/logs/{log['id']}/undelete").json()["id"] == log["id"]


def test_what_is_no_log_is_refused_and_a_doubtful_one_waits_for_its_columns(client, season):
    flight = next(f for f in client.get("/api/flights").json()["flights"] if f["craft_id"] == 1)
    where, text = f"/api/flights/{flight['id']}/logs", {"content-type": "text/csv"}
    assert places(client.post(where, content=b"hello", headers=text)) == [("body", "no_table")]
    assert places(client.post(where, content=b"", headers=text))[0][0] == "body"
    assert client.get(where).json() == []
    low = "time (s),voltage (V)\n" + "".join(f"{k},2.{k % 10}\n" for k in range(60))
    waits = client.post(where, content=low.encode(), headers=text).json()
    assert (waits["confirmed"], len(waits["doubts"])) == (False, 1)
    assert places(client.get(f"/api/logs/{waits['id']}/fit")) == [("log.columns", "not_confirmed")]


def document(client):
    return client.get("/api/sheets/8").json()["sheet"]


def test_packs_compared_are_those_of_the_comparison(client):
    sheet = document(client)
    packs = [named(client, "packs", name)["pack"] for name in ("Pomelo 1", "Satsuma 1")]
    found = client.post("/api/compare", json={"sheet": sheet, "packs": packs}).json()
    plain = read_sheet(client.get("/sheets/8/export").content)
    rows, _ = compare_packs(plain, contenders=[Contender(type(plain.pack).model_validate(p)) for p in packs])
    assert [r["landing_s"] for r in found] == [round(r.at_landing.landing_s, 2) for r in rows]
    assert [r["range_low_s"] for r in found] == [round(r.low_s, 2) for r in rows]
    table = rows_of(client.post("/api/compare?table=csv", json={"sheet": sheet, "packs": packs}))
    assert [float(r["landing_s"]) for r in table] == [r["landing_s"] for r in found]
    assert places(client.post("/api/compare", json={"sheet": sheet, "packs": packs * 5})) == [
        ("body.packs", "too_long")
    ]


def test_a_search_says_how_many_meet_every_limit_and_the_best_of_them(client):
    space = {
        "chemistries": ["liion_power"],
        "series_from": 6,
        "series_to": 6,
        "capacity_from_ah": 2.5,
        "capacity_to_ah": 6,
    }
    space |= {"capacity_steps": 5, "parallel_to": 3}
    limits = {"most_pack_kg": 0.8, "over_cutoff": False, "most_c": None}
    question = {"sheet": document(client), "space": space, "limits": limits, "most": 3}
    found = client.post("/api/search", json=question).json()
    times = [row["landing_s"] for row in found["best"]]
    assert 0 < len(times) <= 3
    assert times == sorted(times, reverse=True)
    assert found["meet"] < found["flown"]
    assert found["excluded"]["pack_mass"] > 0
    assert [float(r["landing_s"]) for r in rows_of(client.post("/api/search?table=csv", json=question))] == times
    wide = {"chemistries": ["lipo", "lihv", "liion_power"], "series_from": 1, "series_to": 24, "parallel_to": 24}
    wide |= {"capacity_steps": 2000}
    assert places(client.post("/api/search", json=question | {"space": wide})) == [("body.space", "too_many")]


def test_a_sweep_is_one_call_over_any_input(client):
    sheet = document(client)
    question = {"sheet": sheet, "field": "conditions.air_c", "values": [0, 10, 20, 99]}
    found = client.post("/api/sweep", json=question).json()
    plain = read_sheet(client.get("/sheets/8/export").content)
    by_hand = sweep(plain, field="conditions.air_c", values=[0.0, 10.0, 20.0])
    assert found["columns"]["landing_s"][:3] == [round(v, 5) for v in by_hand.landing_s.tolist()]
    assert found["columns"]["landing_s"][3] is None
    assert found["reasons"][:3] == ["", "", ""]
    assert "55" in found["reasons"][3]
    table = rows_of(client.post("/api/sweep?table=csv", json=question))
    assert [row["conditions.air_c"] for row in table] == ["0", "10", "20", "99"]
    assert table[3]["landing_s"] == ""
    kinds = question | {"field": "pack.chemistry", "values": ["lipo", "liion_power"]}
    assert len(client.post("/api/sweep", json=kinds).json()["values"]) == 2
    unknown = client.post("/api/sweep", json=question | {"field": "conditions.wind"})
    assert places(unknown) == [("body.field", "unknown")]
    many = client.post("/api/sweep", json=question | {"values": [20] * 201})
    assert places(many) == [("body.values", "too_long")]


def test_the_flight_of_a_forecast_is_a_table_too(client):
    table = rows_of(client.get("/api/sheets/8/forecast?trace=csv"))
    trace = client.get("/api/sheets/8/forecast").json()["trace"]
    assert [float(r["current_a"]) for r in table] == trace["current_a"]
    posted = rows_of(client.post("/api/forecast?trace=csv", json=document(client)))
    plain = forecast(read_sheet(client.get("/sheets/8/export").content))
    assert float(posted[-1]["time_s"]) == pytest.approx(float(np.floor(plain.flight.time_s[-1])), abs=1.0)


MADE = "2026-11-20T18:00:00+00:00"


def calibrations(**changes):
    cells = {"kind": "cells", "made_at": MADE, "cells_v": [3.81, 3.8, 3.8, 3.81, 3.8, 3.81]}
    volts = {"kind": "voltage", "made_at": MADE, "old": 110, "step": 1, "points": [[16.5, 16.8]], "entered": 112}
    amps = {
        "kind": "current", "made_at": MADE, "old": 400, "step": 1, "reading_rises": True,
        "flights": [[3.0, 3.3]], "capacity_ah": 4.2, "entered": 440,
    }  # fmt: skip
    lamp = {
        "kind": "line loss",
        "made_at": MADE,
        "alarm_v": 21.0,
        "rest_v": 22.2,
        "series": 6,
        "wanted_rest_v": 3.6,
    }
    points = [[0, 4.1], [60, 3.9], [120, 3.7], [180, 3.5], [240, 3.2]]
    hover = {"kind": "hover-down", "made_at": MADE, "loaded": True, "series": 6, "points": points}
    return [
        c | changes.get(c["kind"].replace(" ", "_").replace("-", "_"), {})
        for c in (cells, volts, amps, lamp, hover)
    ]


@pytest.mark.parametrize("made", calibrations(), ids=lambda c: c["kind"])
def test_a_calibration_of_each_kind_is_kept_seen_on_its_page_and_taken_back(client, made):
    sheet = client.get("/api/sheets/8").json()
    of = {"craft_id": sheet["craft_id"], "pack_id": sheet["pack_id"]}
    kept = client.post("/api/calibrations", json=of | {"calibration": made})
    assert kept.status_code == 201, kept.text
    row = kept.json()
    assert (row["craft_id"] is None) == (made["kind"] == "cells")
    assert (row["pack_id"] is None) == (made["kind"] in ("voltage", "current"))
    assert client.get(f"/api/calibrations/{row['id']}").json() == row
    by_pack = client.get(f"/api/calibrations?pack={of['pack_id']}").json()
    assert (row in by_pack) == (row["pack_id"] is not None)
    assert client.get(f"/calibrate?craft={of['craft_id']}").status_code == 200
    assert client.get("/hangar/health").status_code == 200
    assert client.delete(f"/api/calibrations/{row['id']}").status_code == 204
    assert client.get(f"/api/calibrations/{row['id']}").status_code == 404
    assert client.post(f"/api/calibrations/{row['id']}/undelete").json()["id"] == row["id"]


ODD = [
    ({"kind": "cells", "made_at": MADE, "cells_v": [3.8] * 5}, "cells_v", "impossible"),
    ({"kind": "cells", "made_at": MADE, "cells_v": [4.4] * 6}, "cells_v", "impossible"),
    (calibrations(voltage={"points": [[8.0, 8.1]]})[1], "points.0.1", "not_this_pack"),
    (calibrations(voltage={"entered": 150})[1], "entered", "not_the_advised"),
    (calibrations(current={"flights": [[3.0, 9.9]], "entered": 1320})[2], "flights.0.1", "impossible"),
    (calibrations(line_loss={"series": 4})[3], "series", "impossible"),
    (calibrations(hover_down={"series": 3})[4], "series", "impossible"),
    (calibrations(hover_down={"points": [[0, 22.1], [60, 3.9], [120, 3.7], [180, 3.5]]})[4], "points.0.1", ""),
]


@pytest.mark.parametrize(("made", "place", "kind"), ODD, ids=lambda v: v if isinstance(v, str) else "")
def test_what_cannot_be_of_a_calibration_is_refused_at_its_place(client, made, place, kind):
    sheet = client.get("/api/sheets/8").json()
    of = {"craft_id": sheet["craft_id"], "pack_id": sheet["pack_id"]}
    before = len(client.get("/api/calibrations").json())
    found = places(client.post("/api/calibrations", json=of | {"calibration": made}))
    at = f"body.calibration.{made['kind']}.{place}"
    assert at in [w[0] for w in found]
    assert kind in dict(found)[at]
    assert len(client.get("/api/calibrations").json()) == before


def test_a_calibration_is_of_what_its_kind_is_of(client):
    cells, volts = calibrations()[:2]
    assert places(client.post("/api/calibrations", json={"calibration": cells})) == [("body.pack_id", "missing")]
    assert places(client.post("/api/calibrations", json={"calibration": volts})) == [("body.craft_id", "missing")]
    assert client.post("/api/calibrations", json={"craft_id": 999, "calibration": volts}).status_code == 404
    nothing = client.post("/api/calibrations", json={"craft_id": 1, "calibration": {"made_at": MADE}})
    assert places(nothing)[0][1] == "union_tag_not_found"


@pytest.mark.parametrize(
    ("method", "path", "allowed"),
    [
        ("PATCH", "/api/sheets/8", "GET, PUT, DELETE"),
        ("DELETE", "/api/sheets", "GET, POST"),
        ("PUT", "/api/flights/2/logs", "GET, POST"),
        ("GET", "/api/sweep", "POST"),
        ("PUT", "/sheets/8", "GET, POST"),
        ("POST", "/static/app.css", "GET, HEAD"),
    ],
)
def test_a_method_that_is_not_taken_is_told_all_that_are(client, method, path, allowed):
    refused = client.request(method, path)
    assert (refused.status_code, refused.headers["allow"]) == (405, allowed)


def test_what_tells_one_kind_from_another_is_required_where_it_is_described(client):
    schemas = client.get("/api/openapi.json").json()["components"]["schemas"]
    marks = {"MeasuredPoint": "source", "RotorGeometry": "source", "WingGeometry": "source", "CellCheck": "kind"}
    for name, mark in marks.items():
        assert any(mark in s["required"] for n, s in schemas.items() if n in (name, f"{name}-Input")), name
    sheet = client.get("/api/schema/sheet").json()
    assert all(mark in sheet["$defs"][name]["required"] for name, mark in list(marks.items())[:3])
    body = document(client)
    del body["craft"]["steady"]["source"]
    assert client.post("/api/forecast", json=body).status_code == 422


def test_the_api_has_a_page_that_needs_nothing_from_elsewhere(client):
    assert client.get("/api").headers["location"] == "/api/docs"
    page = client.get("/api/docs")
    assert page.status_code == 200
    assert "https:" not in page.text
    for part in ("swagger-ui.js", "swagger-ui.css", "LICENSE-swagger-ui.txt"):
        assert client.get(f"/static/vendor/{part}").status_code == 200
    assert pomelo().name in client.get("/api/packs").text


def test_a_cell_of_the_shelf_goes_round(client):
    cells = client.get("/api/cells").json()
    one = cells[0]
    assert places(client.post("/api/cells", json={"cell": one["cell"]})) == [("body.cell.name", "taken")]
    made = client.post("/api/cells", json={"cell": one["cell"] | {"name": "Another cell"}})
    assert made.status_code == 201
    address = f"/api/cells/{made.json()['id']}"
    assert "Another cell" in client.get("/hangar").text
    change = {"cell": made.json()["cell"] | {"name": "A third"}, "version": 1}
    assert client.put(address, json=change).json()["version"] == 2
    assert client.put(address, json=change).status_code == 409
    assert client.delete(address).status_code == 204
    assert client.get(address).status_code == 404
    assert client.post(f"{address}/undelete").json()["cell"]["name"] == "A third"
    used = next(c for c in cells if client.delete(f"/api/cells/{c['id']}").status_code == 409)
    assert "is used by" in client.delete(f"/api/cells/{used['id']}").json()["detail"]


def test_patterns_are_kept_changed_with_their_sheets_and_deleted(client):
    found = client.get("/api/patterns").json()
    assert "gentle_hover" in found["shipped"]
    pattern = found["shipped"]["freestyle"] | {"name": "Orchard laps"}
    made = client.post("/api/patterns", json={"pattern": pattern}).json()
    assert client.get("/api/patterns").json()["own"] == [made]
    assert places(client.post("/api/patterns", json={"pattern": pattern})) == [("body.pattern.name", "taken")]
    shipped = {"pattern": found["shipped"]["freestyle"]}
    assert places(client.post("/api/patterns", json=shipped)) == [("body.pattern.name", "taken")]
    # A sheet that flies it changes with it.
    sheet = client.get("/api/sheets/7").json()
    told = {"version": sheet["version"], "sheet": sheet["sheet"] | {"flying": pattern}}
    assert client.put("/api/sheets/7", json=told).status_code == 200, client.put("/api/sheets/7", json=told).text
    address = f"/api/patterns/{made['id']}"
    longer = pattern | {"activities": [a | {"duration_s": a["duration_s"] + 1.0} for a in pattern["activities"]]}
    kept = client.put(address, json={"version": made["version"], "pattern": longer}).json()
    assert kept["sheets_changed"] == 1
    assert client.get("/api/sheets/7").json()["sheet"]["flying"]["activities"] == kept["pattern"]["activities"]
    assert client.put(address, json={"version": made["version"], "pattern": longer}).status_code == 409
    bad = pattern | {"activities": []}
    assert client.put(address, json={"version": kept["version"], "pattern": bad}).status_code == 422
    assert client.delete(address).status_code == 204
    assert client.get(address).status_code == 404
    assert client.post(f"{address}/undelete").json()["name"] == "Orchard laps"
