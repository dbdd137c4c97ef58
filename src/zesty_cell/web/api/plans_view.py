"""The callout plan of a sheet: as it is kept, and as it would be written now."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from zesty_cell.core.callouts.profiles import not_told_apart
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.formats.plan_json import PlanDocument, plain_plan, plan_document
from zesty_cell.services.advice import advise
from zesty_cell.services.plans import plan_now
from zesty_cell.store import callouts, sheets
from zesty_cell.store.errors import MissingRecordError
from zesty_cell.web.api import given
from zesty_cell.web.http import Store

router = APIRouter(prefix="/api", tags=["callout plans"])


class StoredPlan(BaseModel):
    """The plan that a sheet is flown with.

    ``version`` is 0, and ``id`` null, where none is kept: then it is ``written`` now.  ``of`` says whether it is
    kept for the sheet alone, or for its craft whatever pack it flies; ``differs`` whether it would be written
    otherwise today.
    """

    id: int | None
    version: int
    of: Literal["sheet", "craft"]
    differs: bool
    plan: PlanDocument
    written: PlanDocument


class ChangedPlan(BaseModel):
    """A plan with the version it was read at; 0 for the first that is kept."""

    version: Annotated[int, Field(ge=0, le=2**31)]
    plan: PlanDocument


def _now(session: Session, sheet_id: int) -> StoredPlan:
    row = sheets.fetch(session, sheet_id)
    try:
        now = plan_now(session, row, advise(session, row))
    except OutOfRangeError as error:
        raise given.out_of_range(error, at=("sheet",)) from error
    kept = now.row
    return StoredPlan(
        id=None if kept is None else kept.id,
        version=0 if kept is None else kept.version,
        of="craft" if kept is not None and kept.craft_id is not None else "sheet",
        differs=bool(now.differs),
        plan=plan_document(now.plan if kept is None else callouts.plan_of(kept)),
        written=plan_document(now.written),
    )


@router.get("/sheets/{sheet_id}/plan", responses=given.MISSING)
def get_plan(session: Store, sheet_id: given.RecordId) -> StoredPlan:
    """The plan of a sheet."""
    return _now(session, sheet_id)


@router.put("/sheets/{sheet_id}/plan", responses=given.MISSING | given.UNREADABLE | given.CONFLICT)
def put_plan(session: Store, sheet_id: given.RecordId, change: ChangedPlan) -> StoredPlan:
    """Keep a plan, provided the one that is kept is still at the version given; printed cards then say so."""
    row = sheets.fetch(session, sheet_id)
    plan = plain_plan(change.plan)
    alike = not_told_apart(plan)
    if alike is not None:
        raise given.refuse([(f"plan.{alike[0]}", alike[1], "not_told_apart")])
    kept = callouts.for_sheet(session, row)
    owner = callouts.Owner(sheet_id=sheet_id) if kept is None else callouts.owner_of(kept)
    callouts.keep(session, plan, owner=owner, version=change.version)
    return _now(session, sheet_id)


@router.delete("/sheets/{sheet_id}/plan", status_code=204, responses=given.MISSING)
def delete_plan(session: Store, sheet_id: given.RecordId) -> None:
    """Let go of the plan that is kept; undone by POST to /api/plans/{id}/undelete."""
    row = callouts.for_sheet(session, sheets.fetch(session, sheet_id))
    if row is None:
        raise MissingRecordError("plan kept for this sheet", sheet_id)
    callouts.delete(session, row)


@router.post("/plans/{plan_id}/undelete", status_code=204, responses=given.MISSING)
def undelete_plan(session: Store, plan_id: given.RecordId) -> None:
    """Undo a delete; a plan written meanwhile gives way."""
    callouts.restore(session, plan_id)
