"""From beyond this machine only paired devices are answered, each as far as its right goes."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from benchmarks.soak.hostile import routes
from starlette.testclient import TestClient

from tests.asgi import Asked, answers
from zesty_cell.network import Network
from zesty_cell.network.devices import Devices
from zesty_cell.paired import COOKIE, FIELD_READS, FIELD_WRITES, OPEN_TO_ALL, may
from zesty_cell.web.app import create_app

AWAY = ("192.168.1.9", 40_000)
SERVER = ("192.168.1.20", 8767)
BASE = "https://192.168.1.20:8767"
HTML = {"accept": "text/html"}


@pytest.fixture
def devices(tmp_path):
    one = Devices(tmp_path / "devices.sqlite")
    yield one
    one.close()


@pytest.fixture
def reached(season_file, tmp_path, devices):
    """The application with its season, reached by its network; with every room open."""
    (tmp_path / "club.sqlite").write_bytes(season_file.read_bytes())
    app = create_app(tmp_path / "club.sqlite", network=Network(devices=devices))
    app.router.default.open_all()
    yield app
    app.state.database.close()


def asking(app, *, client=AWAY, base_url=BASE, **headers):
    return TestClient(
        app,
        base_url=base_url,
        client=client,
        follow_redirects=False,
        raise_server_exceptions=False,
        headers=headers,
    )


def paired(app, devices, right):
    client = asking(app)
    answer = client.post("/pair", data={"code": devices.new_code(right).shown, "name": "Ida's"})
    assert (answer.status_code, answer.headers["location"]) == (303, "/pocket")
    return client


def test_this_machine_itself_needs_nothing(reached):
    here = asking(reached, client=("127.0.0.1", 40_000), base_url="http://127.0.0.1:8765")
    assert here.get("/backup/file").status_code == 200
    assert here.get("/phone").status_code == 200


METHODS = ("GET", "POST", "PUT", "DELETE", "HEAD", "OPTIONS", "PATCH", "TRACE")
HOSTS = ("192.168.1.20:8767", "localhost", "127.0.0.1:8765", "[::1]", "evil.example", "")


@pytest.mark.parametrize("host", HOSTS)
def test_whoever_is_not_paired_gets_nothing_whatever_it_asks(reached, host):
    paths = {re.sub(r"\{[a-z_]+\}", "1", path) for path, _, _ in routes()} | {"/static/app.js", "/nowhere", "/%2e"}
    assert len(paths) > 120
    headers = {"host": host, "x-forwarded-for": "127.0.0.1", "accept": "*/*"}
    asked = [Asked(method, path, headers) for path in sorted(paths) for method in METHODS]
    told = answers(reached, asked, client=AWAY, server=SERVER)
    for (method, path, _), answer in zip(asked, told, strict=True):
        if OPEN_TO_ALL.fullmatch(path) and method in ("GET", "HEAD", "POST"):
            assert answer.status in (200, 304, 405, 422), (method, path)
            continue
        assert answer.status == 401, (method, path, host)
        assert answer.text in ("", "This device is not paired.\n")


def test_a_browser_is_shown_where_to_pair(reached):
    answer = asking(reached).get("/hangar", headers=HTML)
    assert answer.status_code == 401
    assert "Pair this device" in answer.text
    # Nothing of what is inside, and nothing that needs pairing to be drawn.
    assert "Heron" not in answer.text
    for src in re.findall(r'(?:src|href)="(/[^"#?]*)', answer.text):
        assert OPEN_TO_ALL.fullmatch(src) or src == "/pocket", src


def test_plain_http_from_beyond_is_refused(reached, devices):
    client = paired(reached, devices, "everything")
    token = client.cookies[COOKIE]
    plain = asking(reached, base_url="http://192.168.1.20:8765", cookie=f"{COOKIE}={token}")
    for path in ("/field", "/pair", "/static/app.css"):
        answer = plain.get(path)
        assert answer.status_code == 403
        assert "Only over TLS" in answer.text


def test_nobody_is_answered_where_it_was_not_started_for_it(app):
    answer = asking(app).get("/field")
    assert (answer.status_code, "--lan" in answer.text) == (403, True)


@pytest.mark.parametrize("header", ["x-forwarded-for", "forwarded", "via", "x-real-ip", "x-forwarded-host"])
def test_a_proxy_on_this_machine_does_not_make_everybody_the_machine(reached, header):
    here = asking(reached, client=("127.0.0.1", 40_000), base_url="http://127.0.0.1:8765")
    answer = here.get("/field", headers={header: "192.168.1.9"})
    assert (answer.status_code, "--behind-proxy" in answer.text) == (403, True)


def test_the_token_is_for_this_host_over_tls_and_no_script(reached, devices):
    client = asking(reached)
    given = client.post("/pair", data={"code": devices.new_code("field").code, "name": "Ida's"}).headers[
        "set-cookie"
    ]
    assert given.startswith("__Host-")
    for part in ("Secure", "HttpOnly", "SameSite=strict", "Path=/", f"Max-Age={183 * 86_400}"):
        assert part in given
    assert "Domain" not in given
    # Its life goes on with each page, and not with each picture.
    assert COOKIE in client.get("/pocket").headers["set-cookie"]
    assert "set-cookie" not in client.get("/static/app.js").headers


@pytest.mark.parametrize(
    ("code", "name", "words"),
    [
        ("0000-0000", "Ida's", "That is not the code"),
        ("", "Ida's", "That is not the code"),
        (None, " ", "Give it a name"),
    ],
)
def test_what_was_typed_stays_where_pairing_fails(reached, devices, code, name, words):
    right = devices.new_code("field").shown
    answer = asking(reached).post("/pair", data={"code": right if code is None else code, "name": name})
    assert answer.status_code == 422
    assert words in answer.text
    assert f'value="{right if code is None else code}"' in answer.text
    assert "set-cookie" not in answer.headers


def test_the_field_right_is_for_the_field(reached, devices):
    client = paired(reached, devices, "field")
    for path in ("/field", "/pocket", "/pocket/day", "/sw.js", "/manifest.webmanifest", "/sheets/1/card"):
        assert client.get(path).status_code == (303 if path == "/field" else 200), path
    sent = {"host": "192.168.1.20:8767", "cookie": f"{COOKIE}={client.cookies[COOKIE]}"}
    asked = []
    for path, _, method in routes():
        path = re.sub(r"\{[a-z_]+\}", "1", path)
        allowed = FIELD_READS if method in ("GET", "HEAD") else FIELD_WRITES
        if not allowed.fullmatch(path) and not OPEN_TO_ALL.fullmatch(path):
            asked.append(Asked(method, path, sent))
    assert len(asked) > 150
    for one, answer in zip(asked, answers(reached, asked, client=AWAY, server=SERVER), strict=True):
        assert answer.status == 403, one
    for path in ("/backup/file", "/hangar", "/phone", "/api/sheets", "/log/flights.csv", "/sheets/1/export"):
        assert client.get(path).status_code == 403
    for path in ("/sheets/1/delete", "/phone/code", "/backup/restore", "/callouts/1/up-to-date"):
        assert client.post(path).status_code == 403
    assert client.delete("/api/sheets/1").status_code == 403


def test_what_the_field_right_reads_holds_no_way_to_what_it_may_not(reached, devices):
    client = paired(reached, devices, "field")
    for path in ("/pocket", "/sheets/1/card"):
        for link in re.findall(r'(?:href|action)="(/[^"#?]*)', client.get(path).text):
            assert FIELD_READS.fullmatch(link) or FIELD_WRITES.fullmatch(link), (path, link)


def test_the_right_everything_is_as_at_home(reached, devices):
    client = paired(reached, devices, "everything")
    assert client.get("/backup/file").status_code == 200
    assert "this one" in client.get("/phone").text
    assert client.post("/sheets/1/delete").status_code == 303


def test_cut_off_at_home_it_is_out_with_its_next_request(reached, devices):
    client = paired(reached, devices, "field")
    here = asking(reached, client=("127.0.0.1", 40_000), base_url="http://127.0.0.1:8765")
    shown = here.get("/phone").text
    assert "Ida&#39;s" in shown
    assert here.post("/phone/devices/1/name", data={"name": "The old phone"}).status_code == 303
    assert "The old phone" in here.get("/phone").text
    bad = here.post("/phone/devices/1/name", data={"name": ""})
    assert (bad.status_code, "Give it a name" in bad.text) == (422, True)
    here.post("/phone/devices/1/cut-off")
    assert client.get("/field").status_code == 401


def test_paired_anew_the_same_device_stands_once(reached, devices):
    client = paired(reached, devices, "field")
    client.post("/pair", data={"code": devices.new_code("everything").code, "name": "Ida's"})
    assert [(d.name, d.right) for d in devices.all()] == [("Ida's", "everything")]


def test_another_site_in_the_same_browser_cannot_post(reached, devices):
    client = paired(reached, devices, "everything")
    for headers in (
        {"sec-fetch-site": "cross-site"},
        {"sec-fetch-site": "same-site"},
        {"origin": "https://evil.example"},
    ):
        assert client.post("/sheets/1/delete", headers=headers).status_code == 403
        assert client.post("/pair", headers=headers, data={"code": "x", "name": "x"}).status_code == 403


def test_the_page_for_phones_says_how_to_start_it(client):
    text = client.get("/phone").text
    assert "make demo LAN=1" in text
    answer = client.post("/phone/code", data={"right": "field"})
    assert (answer.status_code, "Nothing can be paired" in answer.text) == (422, True)


def test_codes_are_shown_once_asked_for_and_refused_beyond_the_hour(reached, devices):
    here = asking(reached, client=("127.0.0.1", 40_000), base_url="http://127.0.0.1:8765")
    assert here.post("/phone/code", data={"right": "root"}).status_code == 422
    for _ in range(12):
        assert here.post("/phone/code", data={"right": "field"}).status_code == 303
    assert re.search(r"[0-9A-Z]{4}-[0-9A-Z]{4}", here.get("/phone").text)
    answer = here.post("/phone/code", data={"right": "field"})
    assert (answer.status_code, "within an hour" in answer.text) == (429, True)


# ---- behind a proxy

PROXY = "10.0.0.2"


@pytest.fixture
def proxied(reached, devices):
    app = create_app(reached.state.database.path, network=Network(devices=devices, proxy=PROXY))
    yield app
    app.state.database.close()


def forwarded(app, **headers):
    sent = {"x-forwarded-for": "203.0.113.7", "x-forwarded-proto": "https", "host": "packs.example"} | headers
    return asking(app, client=(PROXY, 5), base_url="http://packs.example", **sent)


def test_behind_a_proxy_everybody_pairs(proxied, devices):
    assert forwarded(proxied).get("/field").status_code == 401
    # The machine itself, and whatever address somebody wrote in front: only the proxy's own word counts.
    assert forwarded(proxied, **{"x-forwarded-for": "127.0.0.1"}).get("/field").status_code == 401
    assert forwarded(proxied, **{"x-forwarded-for": "127.0.0.1, 203.0.113.7"}).get("/field").status_code == 401
    assert asking(proxied, client=("127.0.0.1", 5)).get("/field").status_code == 403
    assert asking(proxied, client=AWAY).get("/field").status_code == 403
    answer = forwarded(proxied).post("/pair", data={"code": devices.new_code("field").code, "name": "Ida's"})
    token = re.match(rf"{COOKIE}=([^;]+)", answer.headers["set-cookie"])[1]
    assert forwarded(proxied, cookie=f"{COOKIE}={token}").get("/pocket").status_code == 200
    assert forwarded(proxied, cookie=f"{COOKIE}={token}x").get("/field").status_code == 401


@pytest.mark.parametrize("proto", ["http", "", "https, http"])
def test_a_proxy_that_was_asked_plainly_is_refused(proxied, proto):
    answer = forwarded(proxied, **{"x-forwarded-proto": proto}).get("/pair")
    assert (answer.status_code, "Only over TLS" in answer.text) == (403, True)


def test_a_method_nobody_uses_is_not_the_fields(devices):
    code = devices.new_code("field")
    _, device = devices.pair(code.code, "Phone")
    assert may(device, method="GET", path="/field")
    assert may(device, method="HEAD", path="/field")
    assert not may(device, method="PUT", path="/field/entries")
    assert not may(device, method="POST", path="/field/other")
    assert may(replace(device, right="everything"), method="PUT", path="/field/entries")
