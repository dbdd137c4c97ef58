"""The bench transmitter: a stand-in that runs a callout plan as a transmitter would.  See docs/formats.md.

Plain JSON over loopback.  It has limits, as real ones do, and says which; it holds what it was last given
and can be asked for it, so that a value it took otherwise is seen.
"""

from __future__ import annotations

import threading
from typing import Annotated, Any, Literal

import numpy as np
from fastapi import FastAPI, HTTPException, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from zesty_cell.core.callouts.conditions import POSITIONS, SWITCHES, Position, SwitchName
from zesty_cell.core.callouts.engine import Engine, Event, Frames
from zesty_cell.core.callouts.fit import Capabilities, fit
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.sensors import RECEIVED
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.plan_json import read_plan, write_plan_json
from zesty_cell.guard import LOOPBACK_HOSTS, Guard
from zesty_cell.ports import DEFAULT_BENCH_PORT

LIMITS = Capabilities(name="The bench transmitter")
_MOST_FRAMES = 20_000
#: The largest plan, and the most frames at once, as JSON [bytes].
_MOST_PLAN_BYTES, _MOST_FRAME_BYTES = 1_000_000, 6_000_000
#: So much of what it said is kept.
_MOST_SAID = 20_000
Finite = Annotated[float, Field(allow_inf_nan=False)]


class Frame(BaseModel):
    """One moment: telemetry as received, ``None`` where nothing was; throttle and arming as the sticks are."""

    model_config = ConfigDict(extra="forbid")
    t_s: Finite
    pack_v: Finite | None = None
    cell_v: Finite | None = None
    receiver_v: Finite | None = None
    used_ah: Finite | None = None
    current_a: Finite | None = None
    throttle: Annotated[float, Field(ge=0, le=1)] = 0.0
    armed: bool = False


class Feed(BaseModel):
    """Frames in the order of their time."""

    model_config = ConfigDict(extra="forbid")
    frames: Annotated[list[Frame], Field(max_length=_MOST_FRAMES)]


class Said(BaseModel):
    """A callout or a vibration."""

    number: int
    t_s: float
    kind: Literal["rule", "time", "last", "end", "profile", "wrong profile"]
    key: str
    say: str
    vibrate: str | None
    value: float | None


class Fed(BaseModel):
    """What a feed brought about."""

    events: list[Said]
    profile: str | None
    timers_s: dict[str, float]


class _Transmitter:
    """The device: one plan, its engine, its switches, what it has said."""

    def __init__(self, limits: Capabilities) -> None:
        self.limits = limits
        self.lock = threading.Lock()
        self.plan: CalloutPlan | None = None
        self.engine: Engine | None = None
        self.switches = np.full(len(SWITCHES), POSITIONS["up"], dtype=np.int8)
        self.said: list[Said] = []

    def refusals(self, plan: CalloutPlan) -> list[str]:
        """What of a plan it cannot hold."""
        able = self.limits
        words = []
        for name, have, most in (
            ("rules", len(plan.rules), able.rules),
            ("timers", len(plan.timers), able.timers),
            ("profiles", len(plan.profiles), able.profiles),
        ):
            if have > most:
                words.append(f"{have} {name} are more than the {most} it holds.")
        for rule in plan.rules:
            if len(rule.conditions) > able.conditions:
                words.append(f"“{rule.name}” has more than {able.conditions} conditions.")
            if rule.hold_s > able.most_hold_s:
                words.append(f"“{rule.name}” is held longer than {able.most_hold_s:g} s.")
            if rule.say is not None and len(rule.say) > able.words_length:
                words.append(f"“{rule.name}” says more than {able.words_length} letters.")
        return words

    def hold(self, plan: CalloutPlan) -> None:
        # Values between its steps are taken to the nearest without a word: reading back shows it.
        self.plan = fit(plan=plan, able=self.limits).plan
        self.engine, self.said = Engine(self.plan), []

    def feed(self, feed: Feed) -> Fed:
        if self.engine is None:
            raise HTTPException(409, "It holds no plan yet.")
        if not feed.frames:
            return Fed(events=[], profile=self.engine.profile, timers_s=self.engine.timers_s)
        events = [self._note(e) for e in self.engine.feed(_frames(feed.frames, self.switches)).events]
        return Fed(events=events, profile=self.engine.profile, timers_s=self.engine.timers_s)

    def _note(self, event: Event) -> Said:
        said = Said(
            number=len(self.said),
            t_s=event.time_s,
            kind=event.kind,
            key=event.key,
            say=event.say,
            vibrate=event.vibrate,
            value=event.value,
        )
        if len(self.said) < _MOST_SAID:
            self.said.append(said)
        return said


def _frames(rows: list[Frame], switches: np.ndarray[Any, np.dtype[np.int8]]) -> Frames:
    def column(name: str) -> np.ndarray[Any, np.dtype[np.float64]]:
        return np.array([np.nan if getattr(r, name) is None else getattr(r, name) for r in rows], dtype=np.float64)

    return Frames(
        time_s=column("t_s"),
        **{name: column(name) for name in RECEIVED},
        throttle=column("throttle"),
        armed=np.array([r.armed for r in rows], dtype=np.int8),
        switches=np.tile(switches, (len(rows), 1)),
    )


def _most_bytes(path: str) -> int:
    return _MOST_FRAME_BYTES if path == "/frames" else _MOST_PLAN_BYTES


def create_transmitter(limits: Capabilities = LIMITS) -> FastAPI:
    """The stand-in as an application of its own."""
    app = FastAPI(title="Zesty Cell bench transmitter", docs_url=None, redoc_url=None)
    # It changes what it holds for whoever asks: only this machine, and no page of another site, may.
    app.add_middleware(Guard, hosts=LOOPBACK_HOSTS | {"testserver"}, most_bytes=_most_bytes)
    device = _Transmitter(limits)

    @app.get("/capabilities")
    def capabilities() -> Capabilities:
        """What it can hold, and in which steps."""
        return device.limits

    @app.put("/plan", status_code=204)
    async def load(request: Request) -> None:
        """Take a plan, the open JSON; it replaces the one held, and starts as if switched on."""
        try:
            plan = read_plan(await request.body())
        except FileFormatError as error:
            raise HTTPException(422, str(error)) from error
        refused = device.refusals(plan)
        if refused:
            raise HTTPException(409, " ".join(refused))
        with device.lock:
            device.hold(plan)

    @app.get("/plan")
    def held() -> Response:
        """The plan it holds."""
        if device.plan is None:
            raise HTTPException(404, "It holds no plan yet.")
        return Response(write_plan_json(device.plan), media_type="application/json")

    @app.post("/switches", status_code=204)
    def switch(positions: dict[SwitchName, Position]) -> None:
        """Put switches into positions."""
        with device.lock:
            for name, position in positions.items():
                device.switches[SWITCHES.index(name)] = POSITIONS[position]

    @app.post("/restart", status_code=204)
    def restart() -> None:
        """Switch it off and on again."""
        with device.lock:
            device.said = []
            if device.engine is not None:
                device.engine.restart()

    @app.post("/frames")
    def feed(frames: Feed) -> Fed:
        """Telemetry in, callouts and vibrations out."""
        with device.lock:
            return device.feed(frames)

    @app.get("/events")
    def events(after: int = -1) -> list[Said]:
        """Everything said since it was switched on, after an event's number."""
        with device.lock:
            return device.said[after + 1 :]

    return app


def serve(*, port: int = DEFAULT_BENCH_PORT) -> None:
    """Run the stand-in on loopback until it is ended."""
    import uvicorn

    from zesty_cell.connections import Bounded

    uvicorn.run(
        create_transmitter(), host="127.0.0.1", port=port, log_level="warning", server_header=False, http=Bounded
    )
