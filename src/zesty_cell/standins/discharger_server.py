"""The stand-in discharger as a process of its own: told over loopback, it discharges a hidden pack at once."""

from __future__ import annotations

from typing import Annotated

from fastapi import FastAPI
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from zesty_cell.core.parts.pack import Pack
from zesty_cell.guard import LOOPBACK_HOSTS, Guard
from zesty_cell.ports import DEFAULT_DISCHARGER_PORT
from zesty_cell.standins.discharger import Discharger, HiddenPack, Mode, Setting

_MOST_BYTES = 100_000
_Step = tuple[Annotated[float, Field(gt=0, le=3600)], Annotated[float, Field(gt=0, le=50_000)]]


class Order(BaseModel):
    """A pack as its label has it, which one of its kind (``seed``), and what to do to it.

    ``pattern`` are seconds and watts, over and over [s, W]; the run ends at ``cutoff_v`` of the whole pack [V].
    """

    model_config = ConfigDict(extra="forbid")
    pack: Pack
    seed: Annotated[int, Field(ge=0, le=1_000_000)] = 1
    mode: Mode = "current"
    amps: Annotated[float, Field(gt=0, le=2000)] = 1.0
    watts: Annotated[float, Field(gt=0, le=50_000)] = 10.0
    pattern: Annotated[tuple[_Step, ...], Field(max_length=50)] = ((10.0, 50.0), (20.0, 15.0))
    cutoff_v: Annotated[float, Field(gt=0, le=120)]
    every_s: Annotated[float, Field(ge=0.1, le=30)] = 1.0
    air_c: Annotated[float, Field(ge=-20, le=50)] = 20.0


def create_discharger(*, seed: int = 7) -> FastAPI:
    """The stand-in as an application of its own; ``seed`` is the instrument's, its errors stay."""
    app = FastAPI(title="Zesty Cell discharger", docs_url=None, redoc_url=None)
    # What it is asked to do takes its time: only this machine, and no page of another site, may ask.
    app.add_middleware(Guard, hosts=LOOPBACK_HOSTS | {"testserver"}, most_bytes=lambda _path: _MOST_BYTES)

    @app.post("/runs")
    def run(order: Order) -> Response:
        """Discharge a pack of this kind, full and rested, and give what was recorded as CSV."""
        setting = Setting(
            mode=order.mode, amps=order.amps, watts=order.watts, pattern=order.pattern, cutoff_v=order.cutoff_v,
            every_s=order.every_s,
        )  # fmt: skip
        text = Discharger(seed=seed).csv(HiddenPack(order.pack, seed=order.seed), setting, air_c=order.air_c)
        return Response(text, media_type="text/csv; charset=utf-8")

    return app


def serve(*, port: int = DEFAULT_DISCHARGER_PORT) -> None:
    """Run the stand-in on loopback until it is ended."""
    import uvicorn

    from zesty_cell.connections import Bounded

    uvicorn.run(
        create_discharger(), host="127.0.0.1", port=port, log_level="warning", server_header=False, http=Bounded
    )
