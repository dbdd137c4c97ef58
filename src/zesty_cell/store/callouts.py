"""Callout plans: at most one for a sheet or a craft, with what was last printed and last loaded."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.store import records
from zesty_cell.store.documents import plain, read, to_document
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.tables import CalloutsRow, SheetRow


def plan_of(row: CalloutsRow) -> CalloutPlan:
    """The core's plan of a row."""
    return read(CalloutPlan, row.document)


@dataclass(frozen=True)
class Owner:
    """Whose a plan is: of a sheet, or of a craft whatever pack it flies; exactly one of both."""

    sheet_id: int | None = None
    craft_id: int | None = None


def of(session: Session, owner: Owner) -> CalloutsRow | None:
    """The plan kept for a sheet, or for a craft; None where none was."""
    query = select(CalloutsRow).where(
        CalloutsRow.sheet_id == owner.sheet_id,
        CalloutsRow.craft_id == owner.craft_id,
        CalloutsRow.deleted_at.is_(None),
    )
    return session.scalars(query.order_by(CalloutsRow.id)).first()


def for_sheet(session: Session, sheet: SheetRow) -> CalloutsRow | None:
    """The plan a sheet is flown with: its own, else its craft's; None where neither is kept."""
    either = or_(CalloutsRow.sheet_id == sheet.id, CalloutsRow.craft_id == sheet.craft_id)
    query = select(CalloutsRow).where(either, CalloutsRow.deleted_at.is_(None))
    return session.scalars(query.order_by(CalloutsRow.sheet_id.is_(None), CalloutsRow.id)).first()


def owner_of(row: CalloutsRow) -> Owner:
    """Whose a kept plan is."""
    return Owner(sheet_id=row.sheet_id, craft_id=row.craft_id)


def keep(session: Session, plan: CalloutPlan, *, owner: Owner, version: int) -> CalloutsRow:
    """Store a plan, provided nobody changed it since ``version``; 0 for one that is new.

    Raises
    ------
    EditConflictError
    """
    row = of(session, owner)
    if row is None:
        row = CalloutsRow(sheet_id=owner.sheet_id, craft_id=owner.craft_id)
        session.add(row)
    elif row.version != version:
        raise EditConflictError("callouts", row.name)
    row.name, row.document = plan.name, to_document(plan)
    session.flush()
    session.refresh(row)
    return row


def replace(session: Session, plan: CalloutPlan, *, owner: Owner, version: int) -> int | None:
    """Store a plan in place of another, which :func:`restore` brings back by the number returned.

    Raises
    ------
    EditConflictError
        When the other was changed since ``version``.
    """
    old = of(session, owner)
    if old is None:
        keep(session, plan, owner=owner, version=0)
        return None
    if old.version != version:
        raise EditConflictError("callouts", old.name)
    delete(session, old)
    new = keep(session, plan, owner=owner, version=0)
    new.printed, new.loaded = old.printed, old.loaded
    session.flush()
    return old.id


def copy(session: Session, *, from_sheet: int, to_sheet: int) -> None:
    """Give a copied sheet a copy of the plan the other has of its own; not printed, not loaded."""
    row = of(session, Owner(sheet_id=from_sheet))
    if row is not None:
        keep(session, plan_of(row), owner=Owner(sheet_id=to_sheet), version=0)


def delete(session: Session, row: CalloutsRow) -> None:
    """Delete a plan; :func:`restore` undoes it."""
    records.delete(session, row)


def restore(session: Session, callouts_id: int) -> CalloutsRow:
    """Undo a delete; a plan written meanwhile gives way."""
    row = session.get(CalloutsRow, callouts_id)
    newer = None if row is None else of(session, owner_of(row))
    if newer is not None and newer.id != callouts_id:
        records.delete(session, newer)
    return records.restore(session, CalloutsRow, callouts_id)


def mark(session: Session, row: CalloutsRow, *, printed: bool = False, loaded: bool = False) -> None:
    """Remember the plan as it is as printed, or as loaded to the transmitter."""
    if printed:
        row.printed = row.document
    if loaded:
        row.loaded = row.document
    session.flush()


def _in_order(document: Any) -> Any:
    """A plan's document with its profiles by key: from each pack's page its own stands first."""
    return document and plain(document) | {"profiles": sorted(document["profiles"], key=lambda p: str(p["key"]))}


def is_stale(row: CalloutsRow) -> tuple[str, ...]:
    """What the plan has changed since: “printed”, “loaded”."""
    held = {"printed": row.printed, "loaded": row.loaded}
    now = _in_order(row.document)
    return tuple(what for what, then in held.items() if then is not None and _in_order(then) != now)
