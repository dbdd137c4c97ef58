"""The callouts page of a sheet: sentences, ladder, findings, dry run, bad days."""

from __future__ import annotations

from typing import Annotated, Any, get_args

from fastapi import APIRouter, Form, Query, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from zesty_cell.core.callouts.dry_run import ODDITIES
from zesty_cell.core.callouts.plain import plain_form
from zesty_cell.core.callouts.profiles import not_told_apart
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.schools import SCHOOLS
from zesty_cell.core.callouts.score import BAD_DAYS, OWN_DAY, score_plan
from zesty_cell.core.callouts.several import keep_packs
from zesty_cell.core.callouts.tune import tunable, tune
from zesty_cell.core.callouts.update import brought_up_to_date
from zesty_cell.core.parts.craft import Craft, Shown
from zesty_cell.formats.csv_table import MOST_BYTES
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.espeak import SPEEDS, VOICES
from zesty_cell.formats.plan_json import read_plan, write_plan_json
from zesty_cell.formats.voices_wav import RATES_HZ
from zesty_cell.services.plans import plan_now
from zesty_cell.store import callouts as store
from zesty_cell.store import logs as log_store
from zesty_cell.store import sheets as sheet_store
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.web.callouts import dry, plan_form
from zesty_cell.web.callouts.changes import STEPS
from zesty_cell.web.callouts.desk import Desk, DeskOf
from zesty_cell.web.callouts.overruled import changed_words
from zesty_cell.web.callouts.runs import choose_run
from zesty_cell.web.callouts.transmitter import BenchTransmitter, TransmitterError
from zesty_cell.web.drawing.ladder import ladder
from zesty_cell.web.drawing.run_trace import run_trace
from zesty_cell.web.drawing.tune_chart import in_flights, tune_chart
from zesty_cell.web.http.database import Store
from zesty_cell.web.http.forms import FormState, words_of
from zesty_cell.web.http.messages import say
from zesty_cell.web.http.posted import PostedForm
from zesty_cell.web.http.preferences import preferences_of
from zesty_cell.web.http.templating import page
from zesty_cell.words.landing import landing_words
from zesty_cell.words.sensors import sensor_words
from zesty_cell.words.units import read_number

#: What a transmitter may show, in words.
SHOWN_WORDS: dict[Shown, str] = {"volts": "the pack’s volts", "charge": "charge used", "cells": "its lowest cell"}


def shown_words(shows: tuple[Shown, ...] | None) -> str:
    """What a transmitter shows, in a few words."""
    words = [SHOWN_WORDS[what] for what in shows or ()]
    return " and ".join((", ".join(words[:-1]), words[-1])) if len(words) > 1 else words[0] if words else "nothing"


router = APIRouter(prefix="/callouts", include_in_schema=False)
DAYS = (OWN_DAY, *BAD_DAYS)


@router.get("")
def callouts(session: Store) -> Response:
    """The callouts of the sheet changed last."""
    rows = sorted(sheet_store.all_sheets(session), key=lambda r: r.updated_at, reverse=True)
    return RedirectResponse(f"/callouts/{rows[0].id}" if rows else "/sheets", 303)


def _context(
    request: Request,
    desk: Desk,
    read: plan_form.ReadPlan | None = None,
    *,
    conflict: str = "",
    oddity: str = "",
    days: bool = False,
) -> dict[str, Any]:
    view = preferences_of(request)
    plan = desk.plan
    if read is not None and read.plan is not None:
        plan = read.plan
    texts = read.state.texts if read else plan_form.first_texts(plan, version=desk.version) if plan else {}
    context: dict[str, Any] = {
        "desk": desk,
        "sheet": desk.sheet,
        "flown_words": landing_words(desk.sheet),
        "plan": plan,
        "texts": texts,
        "errors": read.state.errors if read else {},
        "conflict": conflict,
        "mended": "",
        "schools": SCHOOLS,
        "oddities": ODDITIES,
        "oddity": oddity,
        "logs": log_store.of_craft(desk.session, desk.sheet_row.craft_id),
        "log_error": "",
        "log_limit": MOST_BYTES,
        "form": plan_form,
        "shown_choices": SHOWN_WORDS.items(),
        "shown_words": shown_words(desk.sheet.craft.shows),
        "packs": PACKS.all(desk.session),
        "saved": desk.row is not None and plan == desk.plan and (read is None or read.plan is not None),
        "stale": store.is_stale(desk.row) if desk.row else (),
        "bad_days": None,
        "can_save_over": False,
        "report": None,
        "tune": None,
        "tunable": () if plan is None else [r.key for r in plan.rules if tunable(plan, r.key, series=desk.series)],
        "voices": VOICES,
        "speeds": SPEEDS,
        "rates": RATES_HZ,
        "findings": (),
        "run": None,
        "ladder": None,
    }
    if plan is None or desk.result is None or desk.written is None:
        return context
    chosen = choose_run(desk.session, oddity, plan=plan, result=desk.result)
    run = chosen.run
    findings = desk.findings(plan)
    school = next((s for s in SCHOOLS if s.school == plan.school), None)
    return context | {
        "result": desk.result,
        "school": school,
        "sensor": sensor_words(desk.sensor, sensor="current"),
        "written": desk.written,
        "changed": changed_words(plan=plan, written=desk.written.plan, result=desk.result),
        "findings": findings,
        "now": plan_now(desk.session, desk.sheet_row, desk.own_advice),
        "to_mend": sum(f.severity != "note" for f in findings),
        "ladder": ladder(plan, desk.result, as_pack=view.volts == "pack"),
        "chosen": chosen,
        "oddity": chosen.key,
        "run": run,
        "trace": run_trace(run, plan, series=desk.sheet.pack.series),
        "flights": desk.result.range.landing_s.size,
        "plain": plain_form(plan=plan, result=desk.result),
        "spent": dry.spent(run, plan),
        "heard": dry.heard(run, plan),
        "player": dry.player(run, plan, series=desk.series),
        "days": DAYS,
        "bad_days": [_day(desk, plan, k) for k in range(len(DAYS))] if days else None,
    }


def _day(desk: Desk, plan: CalloutPlan, index: int) -> Any:
    [one] = score_plan(plan=plan, sheet=desk.sheet, days=(DAYS[index],))
    return one


@router.get("/{sheet_id}")
def show(
    request: Request,
    desk: DeskOf,
    run: Annotated[str, Query(max_length=20)] = "",
    days: Annotated[str, Query(max_length=5)] = "",
) -> HTMLResponse:
    """The plan of a sheet; ``run`` names an oddity to run it on, ``days`` scores it at once."""
    context = _context(request, desk, oddity=run, days=bool(days))
    return page(request, "callouts.html", context, status=422 if desk.trouble else 200)


def log_refused(request: Request, session: Session, sheet_id: int, reason: str) -> Response:
    """The page with what is wrong with a log beside where it was chosen."""
    context = _context(request, Desk(session, sheet_id)) | {"log_error": reason}
    return page(request, "callouts.html", context, status=422)


def _keep(
    request: Request,
    session: Session,
    desk: Desk,
    plan: CalloutPlan,
    read: plan_form.ReadPlan,
    words: str,
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
        return _refused(request, desk, read, words_of(error.errors()[0]), 422)
    except EditConflictError:
        session.rollback()
        trouble = "These callouts were saved from another tab since you opened them. Yours are still here."
        return _refused(request, desk, read, trouble, 409)
    except (StaleDataError, OperationalError):
        session.rollback()
        trouble = "This could not be stored just now. What you typed is still here: save it again."
        return _refused(request, desk, read, trouble, 503)
    way_back = f"{desk.address}/undelete/{old}" if old is not None else None
    return say(RedirectResponse(desk.address, 303), words, undo=way_back or "")


def _refused(request: Request, desk: Desk, read: plan_form.ReadPlan, trouble: str, status: int) -> Response:
    context = _context(request, desk, read, conflict=trouble) | {"can_save_over": status == 409}
    return page(request, "callouts.html", context, status=status)


@router.post("/{sheet_id}")
def change(request: Request, session: Store, desk: DeskOf, form: PostedForm) -> Response:
    """Look at a change, keep it, or let one step be done: the same form either way."""
    if desk.plan is None or desk.result is None:
        return page(request, "callouts.html", _context(request, desk), status=422)
    read = plan_form.read_plan_form(form, desk.plan)
    action, _, what = form.get("action", "look").partition(":")
    if action == "school":
        school = next((s.school for s in SCHOOLS if s.school == what), None)
        if school is not None:
            error = (read.plan or desk.plan).current_error
            plan = desk.write(school, error).plan
            plan = keep_packs(plan, of=read.plan or desk.plan)
            return _keep(request, session, desk, plan, read, f"Written anew: {what}.", undo=True)
    if read.plan is None:
        return page(request, "callouts.html", _context(request, desk, read), status=422)
    if action == "over":  # seen that another tab saved, and mine is to stay
        read.version = desk.version
    if action in ("save", "over"):
        return _keep(request, session, desk, read.plan, read, "Saved.")
    if action in ("load", "there"):
        return _at_the_transmitter(request, session, desk, read, action)
    if action == "tune":
        context = _context(request, desk, read, oddity=form.get("run", ""))
        return page(request, "callouts.html", context | {"tune": _tuned(desk, read.plan, what, form)})
    step = STEPS.get(action)
    if step is not None:
        changed, words = step(read.plan, what, desk, form)
        if changed is not None and action == "mend":
            # Looked at like any edit: nothing is kept until it is saved.
            texts = plan_form.first_texts(changed, version=read.version)
            read = plan_form.ReadPlan(changed, FormState(texts=texts, units=read.state.units), read.version)
            context = _context(request, desk, read, oddity=form.get("run", ""))
            return page(request, "callouts.html", context | {"mended": words})
        if changed is not None:
            return _keep(request, session, desk, changed, read, words, undo=action in ("remove", "unpack"))
    context = _context(request, desk, read, oddity=form.get("run", ""))
    return page(request, "callouts.html", context)


def _at_the_transmitter(
    request: Request, session: Session, desk: Desk, read: plan_form.ReadPlan, action: str
) -> Response:
    """Load the plan to the bench transmitter and read it back; run it there on what the page shows."""
    bench: BenchTransmitter = request.app.state.bench
    plan, oddity = read.plan, read.state.texts.get("run", "")
    if plan is None or desk.result is None:
        return Response(status_code=404)
    report: dict[str, Any] = {"loaded": None, "said": None, "same": None, "trouble": ""}
    try:
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
    except TransmitterError as error:
        report["trouble"] = str(error)
    except EditConflictError:
        session.rollback()
        report["trouble"] = "It is loaded, but these callouts were saved from another tab since: reload them here."
    context = _context(request, desk, read, oddity=oddity) | {"report": report}
    return page(request, "callouts.html", context)


def _tuned(desk: Desk, plan: CalloutPlan, key: str, form: dict[str, str]) -> dict[str, Any] | None:
    rule = plan.rule(key)
    if rule is None or tunable(plan, key, series=desk.series) is None:
        return None
    limits, error = [], ""
    for name, usual in (("most_false", 2.0), ("most_late", 5.0)):
        try:
            value = read_number(form[name]) if form.get(name) else usual
        except ValueError as problem:
            value, error = usual, str(problem)
        limits.append(min(max(value, 0.0), 100.0) / 100.0)
    most_false, most_late = limits
    tuned = tune(plan=plan, key=key, sheet=desk.sheet, most_false=most_false, most_late=most_late)
    return {
        "rule": rule,
        "tuned": tuned,
        "chart": tune_chart(tuned, most_false=most_false, most_late=most_late),
        "now": tuned.setting(tuned.now),
        "best": tuned.setting(tuned.best),
        "words": {
            name: [in_flights(float(share[place]), tuned.flights) for share in (tuned.early, tuned.late)]
            for name, place in (("now", tuned.now), ("best", tuned.best))
        },
        "most_false": f"{100 * most_false:g}",
        "most_late": f"{100 * most_late:g}",
        "error": error,
    }


@router.post("/{sheet_id}/anew")
def write_anew(session: Store, desk: DeskOf) -> Response:
    """Let go of the kept plan: the school writes it from the forecast again; with undo."""
    if desk.row is None:
        return RedirectResponse(desk.address, 303)
    store.delete(session, desk.row)
    undo = f"{desk.address}/undelete/{desk.row.id}"
    return say(RedirectResponse(desk.address, 303), "Your changes are out; the forecast wrote it anew.", undo=undo)


@router.post("/{sheet_id}/up-to-date")
def up_to_date(session: Store, desk: DeskOf, form: PostedForm) -> Response:
    """Bring a kept plan to what the sheet and its flights say now; with undo."""
    back = {"card": f"/sheets/{desk.sheet_row.id}/card", "field": "/field", "callouts": desk.address}.get(
        form.get("back", ""), f"/sheets/{desk.sheet_row.id}"
    )
    if desk.row is None or desk.plan is None or desk.written is None:
        return RedirectResponse(back, 303)
    plan = brought_up_to_date(desk.plan, written=desk.written.plan)
    old = store.replace(session, plan, owner=desk.owner, version=desk.row.version)
    undo = "" if old is None else f"{desk.address}/undelete/{old}"
    return say(RedirectResponse(back, 303), "The plan is up to date.", undo=undo)


@router.post("/{sheet_id}/shows")
def shows(session: Store, desk: DeskOf, form: PostedForm) -> Response:
    """Keep what the transmitter shows of this craft: asked once, and it decides what leads."""
    told = tuple(what for what in get_args(Shown) if form.get(f"shows.{what}"))
    row = desk.sheet_row.craft
    craft = CRAFTS.thing(row)
    CRAFTS.change(session, row.id, row.version, Craft.model_validate(craft.model_dump() | {"shows": told}))
    return say(RedirectResponse(desk.address, 303), "Kept with the craft.")


@router.post("/{sheet_id}/all-packs")
def all_packs(session: Store, desk: DeskOf) -> Response:
    """From now on one plan for the craft, whatever pack it flies; the sheet's own gives way, with undo."""
    if desk.result is None or desk.for_craft or desk.plan is None:
        return RedirectResponse(desk.address, 303)
    own, owner = desk.row, store.Owner(craft_id=desk.sheet_row.craft_id)
    if own is not None:
        store.delete(session, own)
    if store.of(session, owner) is None:
        desk.owner = owner
        plan = desk.write(desk.school, desk.plan.current_error).plan
        store.keep(session, plan, owner=owner, version=0)
    undo = f"{desk.address}/undelete/{own.id}" if own is not None else f"{desk.address}/anew"
    words = f"One plan for all packs of {desk.sheet.craft.name}."
    return say(RedirectResponse(desk.address, 303), words, undo=undo)


@router.post("/{sheet_id}/own")
def own(session: Store, desk: DeskOf) -> Response:
    """A plan of the sheet's own, written for its pack; the craft's stays for the others."""
    if desk.result is None or not desk.for_craft or desk.plan is None:
        return RedirectResponse(desk.address, 303)
    desk.owner = store.Owner(sheet_id=desk.sheet_row.id)
    plan = desk.write(desk.school, desk.plan.current_error).plan
    row = store.keep(session, plan, owner=desk.owner, version=0)
    undo = f"{desk.address}/drop/{row.id}"
    return say(RedirectResponse(desk.address, 303), "A plan of its own for this sheet.", undo=undo)


@router.post("/{sheet_id}/drop/{callouts_id}")
def drop(session: Store, desk: DeskOf, callouts_id: int) -> Response:
    """Undo :func:`own`: the sheet goes back to its craft's plan."""
    if desk.row is not None and desk.row.id == callouts_id:
        store.delete(session, desk.row)
    return say(RedirectResponse(desk.address, 303), "Back to the plan for all packs.")


@router.post("/{sheet_id}/undelete/{callouts_id}")
def undelete(session: Store, sheet_id: int, callouts_id: int) -> Response:
    """Undo :func:`write_anew`."""
    store.restore(session, callouts_id)
    return say(RedirectResponse(f"/callouts/{sheet_id}", 303), "Your plan is back.")


@router.post("/{sheet_id}/day/{index}")
def bad_day(request: Request, desk: DeskOf, index: int, form: PostedForm) -> Response:
    """One row of the bad days, for the plan as it is being typed."""
    if desk.plan is None or desk.result is None or not 0 <= index < len(DAYS):
        return Response(status_code=404)
    plan = plan_form.read_plan_form(form, desk.plan).plan or desk.plan
    return page(request, "_callout_day.html", {"score": _day(desk, plan, index), "k": index})


@router.post("/{sheet_id}/printed", status_code=204)
def printed(session: Store, desk: DeskOf) -> Response:
    """Remember the plan as it was printed; one that is only written from the sheet is kept by that."""
    row = desk.row
    if row is None and desk.plan is not None:
        row = store.keep(session, desk.plan, owner=desk.owner, version=0)
    if row is not None:
        store.mark(session, row, printed=True)
    return Response(status_code=204)


@router.get("/{sheet_id}/export")
def export(desk: DeskOf) -> Response:
    """The plan as open JSON."""
    if desk.plan is None:
        return Response(status_code=404)
    names = f'attachment; filename="callouts-{desk.sheet_row.id}.json"'
    return Response(
        write_plan_json(desk.plan), media_type="application/json", headers={"Content-Disposition": names}
    )


@router.post("/{sheet_id}/import")
def bring_in(request: Request, session: Store, desk: DeskOf, file: Annotated[UploadFile, Form()]) -> Response:
    """Take a plan from a file for this sheet."""
    try:
        plan = read_plan(file.file.read())
        alike = not_told_apart(plan)
        if alike is not None:
            raise FileFormatError(f"{alike[0]}: {alike[1]}")
    except FileFormatError as error:
        context = _context(request, desk, conflict=str(error))
        return page(request, "callouts.html", context, status=422)
    asked = plan_form.ReadPlan(
        plan, FormState(texts=plan_form.first_texts(plan, version=desk.version), units="metric"), desk.version
    )
    return _keep(request, session, desk, plan, asked, "Loaded.", undo=True)
