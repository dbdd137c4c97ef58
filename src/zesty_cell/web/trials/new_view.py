"""A new test: what it takes is worked out as one types, before a run is flown."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from pydantic import ValidationError
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.trials.power import needed_for, power, sees
from zesty_cell.core.trials.question import Trial, TrialPlan
from zesty_cell.core.trials.told import fewer, planned, takes
from zesty_cell.services.to_fly import ToFly
from zesty_cell.services.trials import scatter_for, times_of
from zesty_cell.store import trials
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CraftRow
from zesty_cell.web.http import NOT_STORED, PostedForm, Store, page, preferences_of, say, whole_number
from zesty_cell.web.http.forms import words_of
from zesty_cell.web.trials import form as fields
from zesty_cell.web.trials.form import TrialForm, first_form, read_trial

#: So many pairs are an afternoon's work.
_AFTERNOON = 8
#: So many packs are proposed, and flown at most.
_AT_FIRST, _MOST_PACKS = 2, 8

router = APIRouter(prefix="/tests", include_in_schema=False)


@router.get("/new")
def new_test(request: Request, session: Store, craft: Annotated[str, Query(max_length=12)] = "") -> HTMLResponse:
    """The form of a new test."""
    return _form(request, session, first_form(preferences_of(request).units, craft_id=whole_number(craft)))


def _packs(session: Session, to_fly: ToFly, craft: CraftRow | None, form: dict[str, str]) -> list[str]:
    """Names of the packs that were chosen; of a craft that was just chosen instead of another, the first two."""
    chosen = {row.id: row.name for row in PACKS.all(session) if form.get(f"pack-{row.id}")}
    own = [] if craft is None else [choice.row for choice in to_fly.packs_told(craft)]
    kept = [row.name for row in own if row.id in chosen]
    if chosen and not kept:
        return [row.name for row in own[:_AT_FIRST]]
    return kept[:_MOST_PACKS]


def _chosen(crafts: list[CraftRow], craft_id: int) -> CraftRow | None:
    return next((c for c in crafts if c.id == craft_id), crafts[0] if crafts else None)


def _form(
    request: Request, session: Session, read: TrialForm, *, worked: tuple[Fact, ...] = (), status: int = 200
) -> HTMLResponse:
    to_fly = ToFly(session)
    craft = _chosen(to_fly.crafts, read.craft_id)
    packs = [] if craft is None else [choice.row for choice in to_fly.packs_told(craft)]
    context: dict[str, Any] = {
        "read": read, "crafts": to_fly.crafts, "craft": craft, "packs": packs, "fields": fields,
        "at": fields.at_field(read.measure), "matters": fields.matters_field(read.measure), "worked": worked,
        "chosen": set(read.plan["packs"]) if "packs" in read.plan else {p.name for p in packs[:_AT_FIRST]},
    }  # fmt: skip
    return page(request, "test_new.html", context, status=status)


def _planned(session: Session, read: TrialForm, craft_id: int) -> tuple[TrialPlan | None, tuple[Fact, ...]]:
    """The plan, and what is to be said of it; the form's errors where it is none."""
    if read.question is None or read.errors:
        return None, ()
    scatter = scatter_for(session, craft_id, read.question)
    needed = needed_for(scatter, read.question)
    pairs = read.pairs or needed.pairs
    # Where the answer is long, what an afternoon could see stands beside it.
    shorter = pairs if read.pairs else min(_AFTERNOON, needed.pairs)
    try:
        plan = TrialPlan(pairs=pairs, scatter=scatter.sigma, scatter_counts=min(scatter.counts, 1000), **read.plan)
    except ValidationError as error:
        for problem in error.errors(include_url=False, include_input=False):
            read.errors.setdefault(str(problem["loc"][0]), words_of(problem))
        return None, ()
    said = list(planned(needed, scatter, question=read.question))
    if shorter != needed.pairs:
        seen = needed.of_pair * sees(pairs=shorter, counts=scatter.counts)
        chance = power(needed.effect, pairs=shorter, counts=scatter.counts)
        said.append(fewer(shorter, sees=seen, power=chance, question=read.question))
    flight_s, charge_s, change_s = times_of(session, craft_id, differs=read.question.differs)
    said.append(takes(plan, flight_s=flight_s, charge_s=charge_s, change_s=change_s))
    return plan, tuple(said)


@router.post("/new")
def make_test(request: Request, session: Store, form: PostedForm) -> Response:
    """Work out what a test takes; make it where that was asked for."""
    craft_id = whole_number(form.get("craft", ""))
    to_fly = ToFly(session)
    craft = next((c for c in to_fly.crafts if c.id == craft_id), None)
    read = read_trial(form, packs=_packs(session, to_fly, craft, form), craft_id=craft_id)
    making = form.get("action") == "save"
    if craft is None:
        read.errors["craft"] = fact("typed.trial.craft")
        return _form(request, session, read, status=422 if making else 200)
    plan, said = _planned(session, read, craft_id)
    if not making or plan is None or read.question is None:
        return _form(request, session, read, worked=said, status=422 if making else 200)
    name = form.get("name", "").strip()[:80] or f"{read.question.a} or {read.question.b}"[:80]
    try:
        trial = Trial(name=name, craft=CRAFTS.fetch(session, craft_id).name, question=read.question, plan=plan)
        row = trials.add(session, trial, craft_id=craft_id)
        session.commit()
    except ValidationError as error:
        read.errors["name"] = words_of(error.errors(include_url=False)[0])
        return _form(request, session, read, worked=said, status=422)
    except OperationalError:
        session.rollback()
        read.errors[""] = NOT_STORED
        return _form(request, session, read, worked=said, status=503)
    return say(RedirectResponse(f"/tests/{row.id}", 303), fact("said.trial.planned", name=name))
