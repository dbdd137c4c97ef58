"""Talking to the bench transmitter: load, read back, compare, run; whatever it does, in words."""

from __future__ import annotations

import http.client
import json
import math
import time
from dataclasses import dataclass
from typing import Any

from fastapi import Request
from pydantic import ValidationError

from zesty_cell.core.callouts.conditions import POSITIONS, SWITCHES
from zesty_cell.core.callouts.engine import Frames
from zesty_cell.core.callouts.fit import Capabilities, Difference, differences, fit
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.sensors import RECEIVED
from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Fact, Words, fact
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.plan_json import read_plan, write_plan_json
from zesty_cell.ports import DEFAULT_BENCH_PORT
from zesty_cell.web.http.kept import kept_by

#: It is on this machine: an answer that takes longer is none, however busy that is [s].
PATIENCE_S = 8.0
_MOST_BYTES = 4_000_000
_FRAMES_AT_ONCE = 4000
_POSITION_NAMES = {value: name for name, value in POSITIONS.items()}


class TransmitterError(ZestyCellError):
    """It is not there, refuses, breaks off, or answers with something else; the message says what to do."""


class NoTransmitterError(TransmitterError):
    """None is there."""


@dataclass(frozen=True)
class Loaded:
    """A plan that went to the transmitter and was read back.

    Attributes
    ----------
    able : Capabilities
    plan : CalloutPlan
        As it was sent, fitted.
    notes : tuple of Fact
        What was rounded or left out beforehand.
    differences : tuple of Difference
        What it holds otherwise than it was sent.
    """

    able: Capabilities
    plan: CalloutPlan
    notes: tuple[Fact, ...]
    differences: tuple[Difference, ...]


@dataclass(frozen=True)
class Spoken:
    """Something the bench transmitter said."""

    t_s: float
    kind: str
    key: str
    say: str


class BenchTransmitter:
    """The stand-in at a port of this machine."""

    def __init__(self, port: int) -> None:
        self.port = port

    def _ask(self, method: str, path: str, body: str | None = None) -> bytes:
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=PATIENCE_S)
        try:
            headers = {"Content-Type": "application/json"} if body is not None else {}
            connection.request(method, path, None if body is None else body.encode(), headers)
            response = connection.getresponse()
            answer = response.read(_MOST_BYTES)
            status = response.status
        except ConnectionRefusedError as error:
            usual = self.port == DEFAULT_BENCH_PORT
            raise NoTransmitterError(
                fact("bench.none") if usual else fact("bench.none_at", port=self.port)
            ) from error
        except TimeoutError as error:
            raise TransmitterError(fact("bench.silent", patience_s=PATIENCE_S)) from error
        except (OSError, http.client.HTTPException) as error:
            raise TransmitterError(fact("bench.broke_off")) from error
        finally:
            connection.close()
        if status >= 400:
            raise TransmitterError(fact("bench.refused", why=_detail(answer, status)))
        return answer

    def _json(self, method: str, path: str, body: str | None = None) -> Any:
        try:
            return json.loads(self._ask(method, path, body))
        except ValueError as error:
            raise TransmitterError(fact("bench.another", port=self.port)) from error

    def capabilities(self) -> Capabilities:
        """What it can hold.

        Raises
        ------
        TransmitterError
        """
        try:
            return Capabilities.model_validate(self._json("GET", "/capabilities"))
        except ValidationError as error:
            raise TransmitterError(fact("bench.another", port=self.port)) from error

    def wait_for(self, seconds: float) -> None:
        """Wait until one that was just started answers.

        Raises
        ------
        TransmitterError
            When it does not within that time.
        """
        until = time.monotonic() + seconds
        while True:
            try:
                self.capabilities()
                return
            except NoTransmitterError:
                if time.monotonic() > until:
                    raise
                time.sleep(0.1)

    def load(self, plan: CalloutPlan) -> Loaded:
        """Fit a plan to it, send it, read it back and compare field by field.

        Raises
        ------
        TransmitterError
        """
        able = self.capabilities()
        fitted = fit(plan=plan, able=able)
        self._ask("PUT", "/plan", write_plan_json(fitted.plan))
        try:
            held = read_plan(self._ask("GET", "/plan"))
        except FileFormatError as error:
            raise TransmitterError(fact("bench.no_plan", why=error.why)) from error
        return Loaded(able, fitted.plan, fitted.notes, differences(sent=fitted.plan, held=held))

    def run(self, frames: Frames) -> list[Spoken]:
        """Switch it on anew, set its switches, feed it frames, and hear what it says.

        Raises
        ------
        TransmitterError
        """
        self._ask("POST", "/restart")
        if len(frames):
            positions = {n: _POSITION_NAMES[int(p)] for n, p in zip(SWITCHES, frames.switches[0], strict=True)}
            self._ask("POST", "/switches", json.dumps(positions))
        said: list[Spoken] = []
        for first in range(0, len(frames), _FRAMES_AT_ONCE):
            rows = [_frame(frames, k) for k in range(first, min(first + _FRAMES_AT_ONCE, len(frames)))]
            fed = self._json("POST", "/frames", json.dumps({"frames": rows}))
            said += [Spoken(e["t_s"], e["kind"], e["key"], e["say"]) for e in fed["events"]]
        return said


def _frame(frames: Frames, k: int) -> dict[str, Any]:
    row: dict[str, Any] = {
        "t_s": round(float(frames.time_s[k]), 6),
        "throttle": round(min(max(float(frames.throttle[k]), 0.0), 1.0), 4),
        "armed": bool(frames.armed[k]),
    }
    for name in RECEIVED:
        value = float(getattr(frames, name)[k])
        if not math.isnan(value):
            row[name] = value
    return row


def _detail(answer: bytes, status: int) -> Words:
    try:
        detail = json.loads(answer)["detail"]
    except (ValueError, KeyError, TypeError):
        return fact("bench.status", status=status)
    return detail if isinstance(detail, str) else fact("bench.not_taken")


def bench_of(request: Request) -> BenchTransmitter:
    """The bench transmitter that an application was told of."""
    return kept_by(request.app).thing("BenchTransmitter", lambda: BenchTransmitter(request.app.state.bench_port))
