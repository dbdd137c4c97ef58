"""The callouts page of a sheet: sentences, ladder, findings, dry run, bad days."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zesty_cell.core.callouts.schools import SCHOOLS
from zesty_cell.core.callouts.several import keep_packs
from zesty_cell.core.fact import fact
from zesty_cell.store import sheets as sheet_store
from zesty_cell.web.callouts import plan_form
from zesty_cell.web.callouts.at_transmitter import at_the_transmitter
from zesty_cell.web.callouts.changes import STEPS
from zesty_cell.web.callouts.desk import DeskOf
from zesty_cell.web.callouts.judged import DAYS, day_scored
from zesty_cell.web.callouts.keeping import keep_plan
from zesty_cell.web.callouts.shown import plan_context
from zesty_cell.web.callouts.tuning import tuned_rule
from zesty_cell.web.http import FormState, PostedForm, Store, page

router = APIRouter(prefix="/callouts", include_in_schema=False)


@router.get("")
def callouts(session: Store) -> Response:
    """The callouts of the sheet changed last."""
    rows = sorted(sheet_store.all_sheets(session), key=lambda r: r.updated_at, reverse=True)
    return RedirectResponse(f"/callouts/{rows[0].id}" if rows else "/sheets", 303)


@router.get("/{sheet_id}")
def show(
    request: Request,
    desk: DeskOf,
    run: Annotated[str, Query(max_length=20)] = "",
    days: Annotated[str, Query(max_length=5)] = "",
    rules: Annotated[str, Query(max_length=5)] = "",
) -> HTMLResponse:
    """The plan of a sheet; ``run`` names an oddity to run it on, ``days`` scores it, ``rules`` opens its rules."""
    context = plan_context(request, desk, oddity=run, days=bool(days)) | {"rules_open": bool(rules)}
    return page(request, "callouts.html", context, status=422 if desk.trouble else 200)


@router.post("/{sheet_id}")
def change(request: Request, session: Store, desk: DeskOf, form: PostedForm) -> Response:
    """Look at a change, keep it, or let one step be done: the same form either way."""
    if desk.plan is None or desk.result is None:
        return page(request, "callouts.html", plan_context(request, desk), status=422)
    read = plan_form.read_plan_form(form, desk.plan)
    action, _, what = form.get("action", "look").partition(":")
    if action == "school":
        school = next((s.school for s in SCHOOLS if s.school == what), None)
        if school is not None:
            error = (read.plan or desk.plan).current_error
            plan = desk.write(school, error).plan
            plan = keep_packs(plan, of=read.plan or desk.plan)
            return keep_plan(request, session, desk, plan, read, fact("said.plan.written", what=what), undo=True)
    if read.plan is None:
        return page(request, "callouts.html", plan_context(request, desk, read), status=422)
    if action == "over":  # seen that another tab saved, and mine is to stay
        read.version = desk.version
    if action in ("save", "over"):
        return keep_plan(request, session, desk, read.plan, read, fact("said.saved"))
    if action in ("load", "there", "start"):
        return at_the_transmitter(request, session, desk, read, action)
    if action == "tune":
        context = plan_context(request, desk, read, oddity=form.get("run", ""))
        return page(request, "callouts.html", context | {"tune": tuned_rule(desk, read.plan, what, form)})
    step = STEPS.get(action)
    if step is not None:
        changed, words = step(read.plan, what, desk, form)
        if changed is not None and action == "mend":
            # Looked at like any edit: nothing is kept until it is saved.
            texts = plan_form.first_texts(changed, version=read.version)
            read = plan_form.ReadPlan(changed, FormState(texts=texts, units=read.state.units), read.version)
            context = plan_context(request, desk, read, oddity=form.get("run", ""))
            return page(request, "callouts.html", context | {"mended": words})
        if changed is not None:
            return keep_plan(request, session, desk, changed, read, words, undo=action in ("remove", "unpack"))
    context = plan_context(request, desk, read, oddity=form.get("run", ""))
    return page(request, "callouts.html", context)


@router.post("/{sheet_id}/day/{index}")
def bad_day(request: Request, desk: DeskOf, index: int, form: PostedForm) -> Response:
    """One row of the bad days, for the plan as it is being typed."""
    if desk.plan is None or desk.result is None or not 0 <= index < len(DAYS):
        return Response(status_code=404)
    plan = plan_form.read_plan_form(form, desk.plan).plan or desk.plan
    return page(request, "_callout_day.html", {"score": day_scored(desk, plan, index), "k": index})
