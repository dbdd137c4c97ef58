"""The JSON API: same models in and out, clear refusals, nothing stored by halves."""

from __future__ import annotations

import json

import pytest


def document(client):
    return client.get("/api/sheets/8").json()["sheet"]


def test_a_forecast_of_a_posted_sheet_is_that_of_the_stored_one(client):
    posted = client.post("/api/forecast", json=document(client))
    assert posted.status_code == 200
    assert posted.json() == client.get("/api/sheets/8/forecast").json()
    assert posted.json()["landing_s"] > 1000
    assert len(posted.json()["trace"]["time_s"]) == len(posted.json()["trace"]["current_a"])


def test_add_change_delete_and_undo(client):
    added = client.post("/api/sheets", json=document(client) | {"name": "By API"}).json()
    where = f"/api/sheets/{added['id']}"
    changed = client.put(where, json={"version": added["version"], "sheet": added["sheet"] | {"name": "Changed"}})
    assert changed.json()["name"] == "Changed"
    stale = client.put(where, json={"version": added["version"], "sheet": added["sheet"]})
    assert stale.status_code == 409
    assert "saved from another tab" in stale.json()["detail"]
    assert client.delete(where).status_code == 204
    assert client.get(where).status_code == 404
    assert client.post(f"{where}/undelete").json()["name"] == "Changed"


@pytest.mark.parametrize(
    ("path", "value"),
    [
        (("pack", "series"), 0),
        (("pack", "capacity_ah"), -1.3),
        (("craft", "dry_mass_kg"), "heavy"),
        (("conditions", "air_c"), -60),
        (("name",), "x" * 10_000),
        (("landing", "headwind_m_s"), 50),
        (("version",), 5),
        (("format",), "another"),
    ],
)
def test_bad_values_are_refused_at_their_place(client, path, value):
    body = document(client)
    target = body
    for part in path[:-1]:
        target = target[part]
    target[path[-1]] = value
    response = client.post("/api/forecast", json=body)
    assert response.status_code == 422
    detail = response.json()["detail"]
    assert any(list(path) == item["loc"][-len(path) :] for item in detail)
    assert "x" * 100 not in response.text


@pytest.mark.parametrize("body", [b"{", b"[]", b"null", b'{"name": NaN}', b"[" * 50_000, b"\xff"])
def test_broken_json_is_a_clean_refusal(client, body):
    response = client.post("/api/forecast", content=body, headers={"content-type": "application/json"})
    assert response.status_code in (400, 422)
    assert response.json()["detail"]


def test_not_a_number_cannot_be_smuggled_in(client):
    text = json.dumps(document(client)).replace("0.445", "NaN")
    response = client.post("/api/sheets", content=text, headers={"content-type": "application/json"})
    assert response.status_code == 422


def test_what_is_missing_is_404_and_says_so(client):
    for path in ("/api/sheets/999", "/api/sheets/999/forecast", "/api/nothing"):
        response = client.get(path)
        assert response.status_code == 404
        assert response.json()["detail"]


def test_the_schema_is_served_and_names_the_format(client):
    schema = client.get("/api/schema/sheet").json()
    assert {"format", "version", "craft", "pack", "flying"} <= set(schema["required"])


def test_the_api_refuses_what_cannot_be_and_asks_what_hardly_can(client):
    good = client.get("/api/sheets/8").json()
    sheet = good["sheet"]
    never = sheet | {"pack": sheet["pack"] | {"name": "Feather", "cell_resistance_ohm": 0.00005}}
    for answer in (
        client.post("/api/sheets", json=never),
        client.post("/api/sheets?sure=resistance", json=never),
        client.put("/api/sheets/8", json={"version": good["version"], "sheet": never}),
        client.post("/api/forecast", json=never),
    ):
        assert answer.status_code == 422
        [wrong] = answer.json()["detail"]
        assert (wrong["loc"][-2:], wrong["type"]) == (["pack", "cell_resistance_ohm"], "impossible")
        assert "cells of this size have about" in wrong["msg"]
    hardly = sheet | {"pack": sheet["pack"] | {"name": "Feather", "mass_kg": 0.2}}
    asked = client.post("/api/sheets", json=hardly)
    assert asked.status_code == 422
    assert [w["type"] for w in asked.json()["detail"]] == ["energy_density"]
    assert client.post("/api/forecast", json=hardly).status_code == 200  # stores nothing
    assert client.post("/api/sheets?sure=energy_density", json=hardly).status_code == 201
    spoilt = sheet | {"landing": sheet["landing"] | {"loaded_v": 1.2}}
    [wrong] = client.post("/api/sheets", json=spoilt).json()["detail"]
    assert wrong["loc"] == ["body", "landing", "loaded_v"]
