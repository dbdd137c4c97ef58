"""The request's database session: one transaction, committed before the answer is sent."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, cast

from fastapi import Depends, Request
from sqlalchemy.orm import Session

from zesty_cell.store.database import Database


def database_of(request: Request) -> Database:
    """The application's database."""
    return cast(Database, request.app.state.database)


def _session(request: Request) -> Iterator[Session]:
    with database_of(request).session() as session:
        yield session


# "function" scope: committed when the handler returns, before a byte of the answer is sent, so that
# whatever was acknowledged is on disk.
Store = Annotated[Session, Depends(_session, scope="function")]
