"""The bench transmitter: its limits, what it holds, that it says what the engine says; and every way it fails."""

from __future__ import annotations

import http.server
import json
import subprocess
import sys
import threading
import time
from contextlib import contextmanager

import pytest
from starlette.testclient import TestClient

from tests.e2e.conftest import free_port
from tests.sheets import sheet
from tests.web.test_callouts import PAGE, fields
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.dry_run import on_forecast
from zesty_cell.core.callouts.fit import PLAIN_RADIO, Capabilities, differences, fit
from zesty_cell.core.callouts.rules import Profile
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.formats.plan_json import read_plan, write_plan_json
from zesty_cell.serving import _BenchBeside
from zesty_cell.standins.bench_transmitter import LIMITS, create_transmitter
from zesty_cell.web.callouts import transmitter
from zesty_cell.web.callouts.transmitter import BenchTransmitter, TransmitterError, _frame
from zesty_cell.web.http.kept import kept_by
from zesty_cell.words.say import say


@pytest.fixture(scope="module")
def result():
    return forecast(sheet())


@pytest.fixture
def plan(result):
    return write_plan(result, school="loaded voltage").plan


@pytest.fixture
def device():
    with TestClient(create_transmitter()) as client:
        yield client


def _load(device, plan):
    return device.put("/plan", content=write_plan_json(plan))


# The device


def test_it_has_the_guards_of_the_application(device, plan):
    assert device.get("/plan", headers={"host": "evil.example"}).status_code == 421
    for headers in ({"sec-fetch-site": "cross-site"}, {"origin": "http://evil.example"}, {"origin": "http://["}):
        refused = device.put("/plan", content=write_plan_json(plan), headers=headers)
        assert refused.status_code == 403
        assert device.post("/restart", headers=headers).status_code == 403
    assert device.put("/plan", content=b" " * 1_000_001).status_code == 413
    assert device.post("/frames", content=b" " * 6_000_001).status_code == 413
    assert device.get("/plan").status_code == 404


def test_what_it_said_is_kept_up_to_a_bound(device, plan, monkeypatch):
    monkeypatch.setattr("zesty_cell.standins.bench_transmitter._MOST_SAID", 3)
    _load(device, plan)
    low = [{"t_s": k / 10, "pack_v": 3.0 * (k % 40 < 20) + 15.0, "armed": True} for k in range(4000)]
    assert len(device.post("/frames", json={"frames": low}).json()["events"]) > 3
    assert len(device.get("/events").json()) == 3


def test_it_says_what_it_can_hold(device):
    assert Capabilities.model_validate(device.get("/capabilities").json()) == LIMITS


def test_it_holds_what_it_was_given(device, plan):
    assert device.get("/plan").status_code == 404
    assert _load(device, plan).status_code == 204
    assert differences(sent=plan, held=read_plan(device.get("/plan").content)) == ()


def test_a_value_between_its_steps_is_seen_when_read_back(device, plan):
    odd = plan.with_rule(plan.rule("land_now").model_copy(update={"conditions": (Condition(value=19.47),)}))
    _load(device, odd)
    [difference] = differences(sent=odd, held=read_plan(device.get("/plan").content))
    assert difference.path == "rules.land_now.conditions.0.value"
    assert (difference.sent, difference.held) == ("19.47", "19.5")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"say": "x" * 40}, "24 letters"),
        ({"hold_s": 40.0}, "longer than 25 s"),
        ({"conditions": (Condition(value=20.0),) * 4}, "more than 3 conditions"),
    ],
)
def test_what_it_cannot_hold_is_refused_and_the_old_plan_stays(device, plan, change, words):
    _load(device, plan)
    answer = _load(device, plan.with_rule(plan.rule("land_now").model_copy(update=change)))
    assert answer.status_code == 409
    assert words in answer.json()["detail"]
    assert read_plan(device.get("/plan").content) == plan


@pytest.mark.parametrize("text", ["", "{", "[]", '{"format": "zesty-cell callouts", "version": 7}'])
def test_what_is_no_plan_is_refused(device, text):
    assert device.put("/plan", content=text).status_code == 422


@pytest.mark.parametrize("every", [1, 3])
def test_it_says_what_the_dry_run_says(device, plan, result, every):
    run = on_forecast(plan=plan, result=result)
    _load(device, plan)
    said, rows = [], [_frame(run.frames, k) for k in range(0, len(run.frames), every)]
    for first in range(0, len(rows), 777):
        said += device.post("/frames", json={"frames": rows[first : first + 777]}).json()["events"]
    if every == 1:
        assert [(round(s["t_s"], 3), s["key"], s["say"]) for s in said] == [
            (round(e.time_s, 3), e.key, e.say) for e in run.ran.events
        ]
    else:  # at a third of the rate the same words, a frame or two later
        assert [s["key"] for s in said][:20] == [e.key for e in run.ran.events][:20]
    assert device.get("/events").json() == said
    assert device.get(f"/events?after={said[3]['number']}").json() == said[4:]


def test_switches_restart_and_bad_frames(device, plan):
    assert device.post("/frames", json={"frames": []}).status_code == 409
    _load(device, plan)
    assert device.post("/switches", json={"D": "down"}).status_code == 204
    frame = {"t_s": 0.0, "pack_v": 22.34}
    said = device.post("/frames", json={"frames": [frame]}).json()["events"]
    assert [s["say"] for s in said] == ["22.3 volts"]
    assert device.post("/restart").status_code == 204
    assert device.get("/events").json() == []
    for bad in ({"t_s": "NaN"}, {"pack_v": 3}, {"t_s": 1, "throttle": 7}, {"t_s": 1, "surprise": 1}):
        assert device.post("/frames", json={"frames": [bad]}).status_code == 422
    assert device.post("/switches", json={"Z": "down"}).status_code == 422
    assert device.post("/frames", json={"frames": []}).json()["events"] == []


# Fitting


def test_a_plan_is_fitted_and_every_change_is_said(plan):
    able = Capabilities(name="A small one", rules=3, timers=1, voltage_step_v=0.2, most_hold_s=2, words_length=10)
    land = plan.rule("land_now").model_copy(update={"hold_s": 5.0})
    fitted = fit(plan=plan.with_rule(land), able=able)
    assert [r.key for r in fitted.plan.rules] == ["pack_low", "land_now", "silence"]
    assert fitted.plan.rule("land_now").hold_s == 2.0
    assert fitted.plan.rule("silence").say == "telemetry"
    notes = " ".join(map(say, fitted.notes))
    for words in (
        "“Ask for it” is left out",
        "held 2 s instead",
        "longer than 10 letters",
    ):
        assert words in notes
    assert fit(plan=fitted.plan, able=able).notes == ()


def test_a_plain_radio_keeps_the_one_word_that_matters(plan):
    fitted = fit(plan=plan, able=PLAIN_RADIO)
    assert [r.key for r in fitted.plan.rules] == ["land_now"]
    assert fitted.plan.profiles == ()


def test_profiles_that_do_not_fit_take_their_conditions_along(plan):
    four = Profile(key="s4", name="4S", series=4, say="four cells")
    both = (Condition(value=20.0, profile="s6"), Condition(value=13.0, profile="s4"))
    low = plan.rule("pack_low").model_copy(update={"conditions": both, "join": "any"})
    two = plan.with_rule(low).model_copy(update={"profiles": (*plan.profiles, four), "choose": "automatic"})
    fitted = fit(plan=two, able=Capabilities(name="x", profiles=1))
    assert [c.value for c in fitted.plan.rule("pack_low").conditions] == [20.0]
    assert "The profile 4S is left out" in " ".join(map(say, fitted.notes))


def test_what_fits_is_left_alone(plan):
    assert fit(plan=plan, able=LIMITS).notes == ()
    assert fit(plan=plan, able=LIMITS).plan == plan


# Over the wire


@contextmanager
def _answering(respond):
    """A server that answers as ``respond`` says: (status, bytes), or something to do."""

    class Handler(http.server.BaseHTTPRequestHandler):
        def _any(self):
            self.rfile.read(int(self.headers.get("Content-Length") or 0))
            answer = respond(self.command, self.path)
            if answer is None:
                self.connection.close()
                return
            status, body = answer
            self.send_response(status)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        do_GET = do_PUT = do_POST = _any  # noqa: N815

        def log_message(self, *_):
            pass

    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield BenchTransmitter(server.server_port)
    finally:
        server.shutdown()
        server.server_close()
        thread.join()


def test_nobody_there_is_told_how_to_be_started(plan):
    with pytest.raises(TransmitterError, match="zesty-cell bench-transmitter"):
        BenchTransmitter(free_port()).load(plan)


ABLE = LIMITS.model_dump_json().encode()


@pytest.mark.parametrize(
    ("respond", "words"),
    [
        (lambda method, path: (200, b"hello"), "not as a bench transmitter"),
        (lambda method, path: (200, b'{"rules": -1}'), "not as a bench transmitter"),
        (lambda method, path: (500, b"oops"), "status 500"),
        (lambda method, path: (200, ABLE) if method == "GET" else (409, b'{"detail": "Full."}'), "refused: Full."),
        (lambda method, path: (200, ABLE) if method == "GET" else None, "broke off in the middle"),
        (lambda method, path: (200, ABLE) if method == "GET" else (204, b""), "What came back is not the plan"),
    ],
)
def test_every_odd_answer_is_a_word(plan, respond, words):
    with _answering(respond) as bench, pytest.raises(TransmitterError, match=words):
        bench.load(plan)


def test_a_late_answer_is_no_answer(plan, monkeypatch):
    monkeypatch.setattr(transmitter, "PATIENCE_S", 0.2)
    gate = threading.Event()

    def respond(method, path):
        gate.wait(5)
        return 200, ABLE

    with _answering(respond) as bench:
        with pytest.raises(TransmitterError, match="did not answer within"):
            bench.load(plan)
        gate.set()


@pytest.fixture(scope="module")
def process():
    """The stand-in as its own process; ends when its input does."""
    port = free_port()
    command = [sys.executable, "-m", "zesty_cell", "bench-transmitter", "--port", str(port), "--until-eof"]
    started = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL)
    bench = BenchTransmitter(port)
    deadline = time.monotonic() + 60
    while True:
        try:
            bench.capabilities()
            break
        except TransmitterError:
            assert started.poll() is None
            assert time.monotonic() < deadline
    yield bench
    started.stdin.close()
    assert started.wait(20) is not None


def test_as_a_process_it_takes_a_plan_and_says_every_word_at_its_moment(process, plan, result):
    loaded = process.load(plan)
    assert (loaded.differences, loaded.notes) == ((), ())
    run = on_forecast(plan=loaded.plan, result=result)
    assert [(round(s.t_s, 3), s.key, s.say) for s in process.run(run.frames)] == [
        (round(e.time_s, 3), e.key, e.say) for e in run.ran.events
    ]


def test_the_page_loads_reads_back_and_runs_there(process, client, app):
    kept_by(app).put("BenchTransmitter", process)
    form = fields(client.get(PAGE).text)
    html = client.post(PAGE, data=form | {"action": "there"}).text
    assert "field by field the same" in html
    assert "every word at the same moment as here" in html
    assert "changed since last loaded" not in client.get(PAGE).text
    changed = fields(client.get(PAGE).text) | {"rules.land_now.say": "down now", "action": "save"}
    client.post(PAGE, data=changed)
    assert "changed since last loaded" in client.get(PAGE).text
    long = fields(client.get(PAGE).text) | {"rules.land_now.say": "come down right now if you please"}
    html = client.post(PAGE, data=long | {"action": "load"}).text
    assert "is longer than 24 letters" in html


def test_the_page_says_how_to_start_it_and_stores_nothing(client, app):
    kept_by(app).put("BenchTransmitter", BenchTransmitter(free_port()))
    form = fields(client.get(PAGE).text)
    html = client.post(PAGE, data=form | {"action": "load"}).text
    assert "No bench transmitter is there" in html
    assert "zesty-cell serve --with-bench" in html
    assert "Start it here" not in html
    assert "written from the sheet" in client.get(PAGE).text
    assert json.loads(client.get(f"{PAGE}/export").text)["school"] == "loaded voltage"


def test_the_page_starts_one_where_the_server_can(client, app):
    port, started = free_port(), []
    kept_by(app).put("BenchTransmitter", BenchTransmitter(port))
    beside = _BenchBeside(port)
    app.state.start_bench = lambda: (started.append(1), beside.start())
    try:
        form = fields(client.get(PAGE).text)
        html = client.post(PAGE, data=form | {"action": "load"}).text
        assert "Start it here" in html
        html = client.post(PAGE, data=form | {"action": "start"}).text
        assert "Loaded and read back" in html
        form = fields(client.get(PAGE).text)
        assert "Loaded and read back" in client.post(PAGE, data=form | {"action": "start"}).text
        assert len(started) == 2
    finally:
        beside.end()
        del app.state.start_bench
