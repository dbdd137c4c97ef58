"""What the pages about a sheet's callouts work on."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends

from zesty_cell.services.sheet_plan import SheetPlan
from zesty_cell.web.http import Store


class Desk(SheetPlan):
    """A sheet with its forecast and its plan, and where its pages are."""

    @property
    def address(self) -> str:
        """Where this page is."""
        return f"/callouts/{self.sheet_row.id}"


def _desk(session: Store, sheet_id: int) -> Desk:
    return Desk(session, sheet_id)


DeskOf = Annotated[Desk, Depends(_desk)]
