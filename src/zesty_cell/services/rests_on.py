"""What an answer rests on, as something that is other as soon as any of it changes."""

from __future__ import annotations

from collections.abc import Hashable

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zesty_cell.store.tables import CalibrationRow, FlightRow, LogFitRow, LogRow, SheetRow

Counted = type[FlightRow] | type[LogRow] | type[CalibrationRow] | type[SheetRow]


def versions_by_craft(session: Session, table: Counted) -> dict[int, Hashable]:
    """What there is of each craft, by its number: how many, their versions, the latest change."""
    query = select(table.craft_id, func.count(), func.sum(table.version), func.max(table.updated_at))
    found = session.execute(query.where(table.deleted_at.is_(None)).group_by(table.craft_id))
    return {craft_id or 0: tuple(counts) for craft_id, *counts in found}


def fits_kept(session: Session) -> int:
    """How many fits of logs are kept: they are made and unmade with their logs, never changed."""
    return session.execute(select(func.count()).select_from(LogFitRow)).scalar_one()
