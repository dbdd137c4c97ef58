"""Connections are bounded in number and in time; what is told of them is bounded too."""

from __future__ import annotations

import asyncio
import logging
import socket
import threading
import time
from contextlib import closing, contextmanager

import pytest
import uvicorn

from zesty_cell.connections import Bounded
from zesty_cell.operating import FewOfAKind
from zesty_cell.web.app import create_app


async def echo(scope, receive, send):
    """Says how much came."""
    if scope["type"] != "http":
        return
    came, more = 0, True
    while more:
        message = await receive()
        if message["type"] == "http.disconnect":
            return
        came, more = came + len(message.get("body", b"")), message.get("more_body", False)
    if scope["path"] == "/slow":
        await asyncio.sleep(0.6)
    await send({"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"5")]})
    await send({"type": "http.response.body", "body": b"%5d" % came})


class Hasty(Bounded):
    headers_s, body_s, whole_body_s, most_open, most_of_one = 0.3, 0.3, 1.5, 8, 6


class Told(logging.Handler):
    """What the log told."""

    def __init__(self):
        super().__init__()
        self.lines, self.traces = [], []

    def emit(self, record):
        self.lines.append(record.getMessage())
        if record.exc_info:
            self.traces.append(record.getMessage())


def running():
    return serving(echo)


@contextmanager
def serving(app, http=Hasty):
    listener = socket.create_server(("127.0.0.1", 0))
    server = uvicorn.Server(uvicorn.Config(app, http=http, log_config=None, lifespan="off", ws="none"))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]})
    thread.start()
    try:
        yield listener.getsockname()
    finally:
        server.should_exit = True
        thread.join(10)


def is_closed(connection, *, within_s=2.0) -> bool:
    connection.settimeout(within_s)
    try:
        return connection.recv(1) == b""
    except ConnectionResetError:
        return True
    except TimeoutError:
        return False


def answer_of(connection):
    """All that is answered until it is closed."""
    connection.settimeout(5)
    return b"".join(iter(lambda: connection.recv(1000), b""))


def dribble(connection, letters):
    for letter in letters:
        connection.sendall(bytes([letter]))
        time.sleep(0.05)


def ask(address, path="/", body=b"x"):
    with closing(socket.create_connection(address)) as connection:
        length = f"Content-Length: {len(body)}\r\nConnection: close"
        connection.sendall(f"POST {path} HTTP/1.1\r\nHost: a\r\n{length}\r\n\r\n".encode() + body)
        return answer_of(connection)


def test_who_says_nothing_or_dribbles_headers_is_let_go():
    with running() as address:
        with closing(socket.create_connection(address)) as silent:
            began = time.monotonic()
            assert is_closed(silent)
            assert time.monotonic() - began < 1.5
        with closing(socket.create_connection(address)) as dribbles, pytest.raises(OSError):
            dribble(dribbles, b"GET / HTTP/1.1\r\nHost: aaaaaaaaaaaaaaaaaaaaaaaa")
        assert ask(address).endswith(b"    1")


def test_an_answer_does_not_wait_for_the_confirmation_of_its_headers():
    """Of a kept connection a browser confirms a small packet late: what follows it must not wait for that."""
    taken = []

    class Seen(Hasty):
        def connection_made(self, transport):
            super().connection_made(transport)
            at = transport.get_extra_info("socket")
            taken.append(at.getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY))

    with serving(echo, http=Seen) as address:
        assert ask(address).endswith(b"    1")
    assert taken == [1]


def test_a_body_may_be_slow_but_not_stop():
    with running() as address:
        with closing(socket.create_connection(address)) as slow:
            slow.sendall(b"POST / HTTP/1.1\r\nHost: a\r\nConnection: close\r\nContent-Length: 6\r\n\r\n")
            for _ in range(6):
                time.sleep(0.15)
                slow.sendall(b"x")
            assert answer_of(slow).endswith(b"    6")
        with closing(socket.create_connection(address)) as endless:
            endless.sendall(b"POST / HTTP/1.1\r\nHost: a\r\nContent-Length: 600\r\n\r\n")
            with pytest.raises(OSError):
                dribble(endless, b"x" * 60)
        with closing(socket.create_connection(address)) as stops:
            stops.sendall(b"POST / HTTP/1.1\r\nHost: a\r\nContent-Length: 6\r\n\r\nxx")
            assert is_closed(stops)


def test_an_answer_may_take_longer_than_a_question():
    with running() as address:
        assert ask(address, "/slow").endswith(b"    1")


def test_more_of_one_address_than_a_browser_opens_are_let_go_and_the_rest_is_served():
    with running() as address:
        held = [socket.create_connection(address) for _ in range(6)]
        try:
            time.sleep(0.05)
            with closing(socket.create_connection(address)) as over:
                assert is_closed(over, within_s=0.2)
        finally:
            for connection in held:
                connection.close()
        time.sleep(0.1)
        assert ask(address).endswith(b"    1")


def test_a_kind_of_line_is_written_some_times_and_then_counted():
    few = FewOfAKind(most=3, within_s=10.0)

    def line(at, event="slow request"):
        record = logging.LogRecord("zesty_cell", logging.WARNING, "", 0, event, (), None)
        record.created = at
        return record

    assert [few.filter(line(at)) for at in (0, 1, 2, 3, 4)] == [True, True, True, False, False]
    assert few.filter(line(4, "start"))
    later = line(10.5)
    assert few.filter(later)
    assert later.fields == {"left_out_before": 2}
    assert few.filter(line(21.0))


def test_an_upload_that_breaks_off_is_a_line_and_no_trace(tmp_path, monkeypatch):
    app = create_app(tmp_path / "one.sqlite")
    told = Told()
    logger = logging.getLogger("zesty_cell")
    logger.addHandler(told)
    monkeypatch.setattr(logger, "level", logging.INFO)
    logger.manager._clear_cache()
    try:
        with serving(app) as address:
            for path in ("/backup/restore", "/hangar/crafts/new", "/field/entries"):
                with closing(socket.create_connection(address)) as broken:
                    head = f"POST {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 5000\r\n"
                    kind = "Content-Type: multipart/form-data; boundary=x\r\n\r\n--x\r\n"
                    broken.sendall((head + kind).encode())
                    time.sleep(0.1)
            time.sleep(0.3)
    finally:
        logger.removeHandler(told)
        app.state.database.close()
    assert told.traces == []
    assert told.lines.count("broken off") >= 1
