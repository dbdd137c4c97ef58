"""Keeping a plan: stored and shown, or shown with what is in the way."""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.fact import Words, fact
from zesty_cell.store import callouts as store
from zesty_cell.store.errors import EditConflictError
from zesty_cell.web.callouts import plan_form
from zesty_cell.web.callouts.desk import Desk
from zesty_cell.web.callouts.shown import plan_refused
from zesty_cell.web.http import say
from zesty_cell.web.http.forms import words_of


def keep_plan(
    request: Request,
    session: Session,
    desk: Desk,
    plan: CalloutPlan,
    read: plan_form.ReadPlan,
    words: Words,
    *,
    undo: bool = False,
) -> Response:
    """Store a plan and show it; whatever is in the way, what was typed stays on the page."""
    try:
        # What a step adds is copied in: nothing is kept that could not be read again.
        plan = CalloutPlan.model_validate(plan.model_dump())
        old = None
        if undo:
            old = store.replace(session, plan, owner=desk.owner, version=read.version)
        else:
            store.keep(session, plan, owner=desk.owner, version=read.version)
        session.commit()
    except ValidationError as error:
        return plan_refused(request, desk, read, words_of(error.errors()[0]), 422)
    except EditConflictError:
        session.rollback()
        trouble = fact("typed.plan.saved_elsewhere")
        return plan_refused(request, desk, read, trouble, 409)
    except (StaleDataError, OperationalError):
        session.rollback()
        trouble = fact("typed.not_stored.save")
        return plan_refused(request, desk, read, trouble, 503)
    way_back = f"{desk.address}/undelete/{old}" if old is not None else None
    # Who works on the rules goes on seeing them.
    return say(RedirectResponse(f"{desk.address}?rules=open", 303), words, undo=way_back or "")
