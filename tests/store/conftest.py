"""A database of its own for each test."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from zesty_cell.store.database import Database


@pytest.fixture
def database(tmp_path: Path) -> Iterator[Database]:
    """An empty one."""
    database = Database(tmp_path / "store.sqlite")
    yield database
    database.close()
