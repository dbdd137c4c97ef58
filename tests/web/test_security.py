"""Who may talk to the server, and what the browser is told."""

from __future__ import annotations

import base64
import json
import re

import pytest
from benchmarks.soak.hostile import QUESTIONS, routes
from starlette.datastructures import Headers

from zesty_cell.guard import cross_site


@pytest.mark.parametrize(
    ("host", "status"),
    [("127.0.0.1:8765", 200), ("localhost", 200), ("[::1]:8765", 200), ("evil.example", 421), ("", 421)],
)
def test_only_known_hosts_are_answered(client, host, status):
    assert client.get("/sheets", headers={"host": host}).status_code == status


@pytest.mark.parametrize(
    ("headers", "refused"),
    [
        ({"sec-fetch-site": "same-origin"}, False),
        ({"sec-fetch-site": "none"}, False),
        ({"sec-fetch-site": "cross-site"}, True),
        ({"sec-fetch-site": "same-site"}, True),
        ({"origin": "http://127.0.0.1", "host": "127.0.0.1"}, False),
        ({"origin": "http://evil.example", "host": "127.0.0.1"}, True),
        ({"origin": "null", "host": "127.0.0.1"}, True),
        ({}, False),
    ],
)
def test_changes_from_other_sites_are_refused(headers, refused):
    assert cross_site("POST", Headers(headers)) is refused
    assert cross_site("GET", Headers(headers)) is False


@pytest.mark.parametrize("origin", ["http://[", "http://[::1", "//[", "http://\u2100.example"])
def test_an_origin_that_is_none_is_another_site(client, origin):
    answer = client.post("/sheets/8/delete", headers={"origin": origin.encode("utf-8")})
    assert answer.status_code == 403
    assert (
        client.post("/view", data={"name": "units", "value": "metric"}, headers={"referer": "http://["}).headers[
            "location"
        ]
        == "/"
    )


FOLLOWED = {"sec-fetch-site": "cross-site", "sec-fetch-mode": "navigate", "sec-fetch-dest": "document"}


@pytest.mark.parametrize(
    ("path", "headers", "status"),
    [
        ("/sheets/8", FOLLOWED, 200),
        ("/sheets/8", FOLLOWED | {"sec-fetch-dest": "iframe"}, 403),
        (
            "/sheets/8",
            {"sec-fetch-site": "cross-site", "sec-fetch-mode": "no-cors", "sec-fetch-dest": "image"},
            403,
        ),
        ("/sheets/8", {"sec-fetch-site": "same-site", "sec-fetch-mode": "cors", "sec-fetch-dest": "empty"}, 403),
        ("/choose/8/search", FOLLOWED, 403),
        ("/choose/8", FOLLOWED, 403),
        ("/backup/file", FOLLOWED, 403),
        ("/api/sheets", FOLLOWED, 403),
        ("/callouts/8/voices.zip", FOLLOWED, 403),
        ("/log/flights.csv", FOLLOWED, 403),
        ("/log/flights.csv", {"sec-fetch-site": "none"}, 200),
        ("/api/sheets", {"sec-fetch-site": "same-origin"}, 200),
        ("/api/sheets", {}, 200),
    ],
)
def test_another_site_makes_nobody_read_what_is_ours_or_takes_long(client, path, headers, status):
    assert client.get(path, headers=headers).status_code == status


def packed(value) -> str:
    return base64.urlsafe_b64encode(json.dumps(value).encode()).decode()


@pytest.mark.parametrize(
    "cookie",
    [
        base64.urlsafe_b64encode(b"[" * 1200).decode(),
        base64.urlsafe_b64encode(b"[" * 3000).decode(),
        "x" * 5000,
        packed(["x", "//evil.example"]),
        packed(["x", "/\\evil.example"]),
        packed(["x", "/sheets/8/delete?x=//evil"]),
        packed(["x", "http://evil.example"]),
        packed({"x": 1}),
        packed(["x"]),
        "%00",
    ],
)
def test_a_message_that_we_did_not_write_is_not_shown(client, cookie):
    page = client.get("/sheets", headers={"cookie": f"zesty_cell_said={cookie}"})
    assert page.status_code == 200
    assert "evil" not in page.text
    assert 'class="said"' not in page.text


def test_an_undo_of_ours_is(client):
    page = client.get("/sheets", headers={"cookie": f"zesty_cell_said={packed(['Gone.', '/sheets/8/undelete'])}"})
    assert "Gone." in page.text
    assert 'action="/sheets/8/undelete"' in page.text


@pytest.mark.parametrize("number", ["9223372036854775808", "1" * 40, "-9223372036854775809", "0", "-1"])
def test_a_number_of_any_size_is_a_word_on_every_route(client, number):
    asked = 0
    for path, _, method in routes():
        if "{" not in path:
            continue
        address = re.sub(
            r"\{(sheet|craft|pack|flight|log|record|callouts|plan|calibration|unreadable)_id\}", number, path
        )
        address = re.sub(r"\{[^}]+\}", "1", address)
        answer = client.request(method, address, data={"x": "1"} if method == "POST" else None)
        assert answer.status_code in (200, 303, 400, 404, 405, 409, 422), (method, path, answer.status_code)
        asked += 1
    assert asked > 80
    for path, names in QUESTIONS.items():
        if "{" not in path and "say.wav" not in path:
            answer = client.get(path, params=dict.fromkeys(names, number))
            assert answer.status_code in (200, 303, 404, 405, 422), (path, answer.status_code)


def test_a_cross_site_form_changes_nothing(client):
    response = client.post("/sheets/8/delete", headers={"sec-fetch-site": "cross-site"})
    assert response.status_code == 403
    assert client.get("/sheets/8").status_code == 200


def test_scripts_come_from_here_alone_and_nothing_is_inline(client):
    response = client.get("/sheets/8")
    policy = response.headers["content-security-policy"]
    script = next(part for part in policy.split(";") if part.strip().startswith("script-src"))
    assert script.strip() == "script-src 'self'"
    assert "unsafe" not in policy
    assert " style=" not in response.text
    assert " onclick=" not in response.text
    assert response.text.count("<script") == response.text.count('<script type="module" src=') + 1
    assert '<script type="application/json"' in response.text
    assert "//" not in response.text.replace("http://www.w3.org", "").split("<body", 1)[0].replace("/static//", "")


def test_other_headers(client):
    headers = client.get("/sheets").headers
    assert headers["x-content-type-options"] == "nosniff"
    assert headers["cache-control"] == "no-store"
    static = client.get("/static/app.js").headers
    assert static["cache-control"] == "no-cache"
    assert client.get("/static/app.js", headers={"if-none-match": static["etag"]}).status_code == 304


def test_the_view_cookie_stays_with_this_site(client):
    cookie = client.post("/view", data={"name": "units", "value": "imperial"}).headers["set-cookie"].lower()
    assert "samesite=strict" in cookie
    assert "httponly" in cookie


def test_the_way_back_never_leaves_the_site(client):
    for referer in ("http://evil.example/x", "//evil.example/x", "http://127.0.0.1//evil.example"):
        response = client.post("/view", data={"name": "units", "value": "metric"}, headers={"referer": referer})
        assert response.headers["location"].startswith("/")
        assert not response.headers["location"].startswith("//")


def test_oversized_and_endless_bodies_are_refused(client):
    assert client.post("/api/forecast", content=b" " * 1_000_001).status_code == 413

    def endless():
        yield b"{}"

    assert client.post("/api/forecast", content=endless()).status_code == 411


def test_unknown_trouble_gives_a_page_with_a_reference(app, caplog):
    from starlette.testclient import TestClient

    @app.get("/boom")
    def boom():
        raise RuntimeError("secret detail")

    with TestClient(
        app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000), raise_server_exceptions=False
    ) as client:
        response = client.get("/boom")
    assert response.status_code == 500
    assert "secret detail" not in response.text
    reference = response.text.split("under the reference ")[1][:8]
    assert [getattr(r, "fields", {}).get("reference") for r in caplog.records if r.exc_info] == [reference]
