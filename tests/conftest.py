"""Shared by all tests: an application over a fresh database, and Hypothesis made repeatable."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi import FastAPI
from hypothesis import settings
from starlette.testclient import TestClient

from zesty_cell.demo.club import load_club
from zesty_cell.demo.log import load_telemetry
from zesty_cell.store.database import Database
from zesty_cell.web.app import create_app

settings.register_profile("repeatable", derandomize=True, deadline=None)
settings.load_profile("repeatable")


@pytest.fixture
def empty_app(tmp_path: Path) -> Iterator[FastAPI]:
    """The application over an empty database."""
    app = create_app(tmp_path / "test.sqlite")
    yield app
    app.state.database.close()


@pytest.fixture(scope="session")
def club_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A database file with the made-up club, made once."""
    path = tmp_path_factory.mktemp("club") / "club.sqlite"
    database = Database(path)
    with database.session() as session:
        load_club(session)
        load_telemetry(session)
    database.close()
    return path


@pytest.fixture
def app(club_file: Path, tmp_path: Path) -> Iterator[FastAPI]:
    """The application over its own copy of the made-up club."""
    path = tmp_path / "club.sqlite"
    shutil.copy(club_file, path)
    app = create_app(path)
    yield app
    app.state.database.close()


@pytest.fixture
def client(app: FastAPI) -> Iterator[TestClient]:
    """A browser-like client on the club."""
    with TestClient(app, base_url="http://127.0.0.1", follow_redirects=False) as test_client:
        yield test_client
