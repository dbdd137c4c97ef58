"""What a button does at the bench transmitter."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fastapi import Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from zesty_cell.core.fact import fact
from zesty_cell.store import callouts as store
from zesty_cell.store.errors import EditConflictError
from zesty_cell.web.callouts import plan_form
from zesty_cell.web.callouts.desk import Desk
from zesty_cell.web.callouts.runs import choose_run
from zesty_cell.web.callouts.shown import plan_context
from zesty_cell.web.callouts.transmitter import NoTransmitterError, TransmitterError, bench_of
from zesty_cell.web.http import page

#: One that was just started answers within this [s].
_STARTS_WITHIN_S = 10.0


def at_the_transmitter(
    request: Request, session: Session, desk: Desk, read: plan_form.ReadPlan, action: str
) -> Response:
    """Load the plan to the bench transmitter and read it back; run it there on what the page shows."""
    bench = bench_of(request)
    plan, oddity = read.plan, read.state.texts.get("run", "")
    if plan is None or desk.result is None:
        return Response(status_code=404)
    start: Callable[[], None] | None = getattr(request.app.state, "start_bench", None)
    report: dict[str, Any] = {"loaded": None, "said": None, "same": None, "trouble": "", "can_start": False}
    try:
        if action == "start" and start is not None:
            start()
            bench.wait_for(_STARTS_WITHIN_S)
        report["loaded"] = loaded = bench.load(plan)
        # Only what came back as it went counts as loaded.
        if not loaded.differences:
            row = store.keep(session, plan, owner=desk.owner, version=read.version)
            store.mark(session, row, loaded=True)
            session.commit()
            desk.row, desk.plan = row, plan
            read.state.texts["version"] = str(row.version)
        if action == "there":
            here = choose_run(session, oddity, plan=loaded.plan, result=desk.result).run
            report["said"] = said = bench.run(here.frames)
            mine = [(round(e.time_s, 3), e.key, e.say) for e in here.ran.events]
            report["same"] = [(round(s.t_s, 3), s.key, s.say) for s in said] == mine
    except NoTransmitterError as error:
        report |= {"trouble": error.why, "can_start": start is not None}
    except TransmitterError as error:
        report["trouble"] = error.why
    except EditConflictError:
        session.rollback()
        report["trouble"] = fact("typed.plan.loaded_elsewhere")
    context = plan_context(request, desk, read, oddity=oddity) | {"report": report}
    return page(request, "callouts.html", context)
