"""Shared by all tests: an application over a fresh database, and Hypothesis made repeatable."""

from __future__ import annotations

import gc
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from fastapi import FastAPI
from hypothesis import settings
from starlette.testclient import TestClient

from zesty_cell.demo.club import load_club
from zesty_cell.demo.discharges import load_discharges
from zesty_cell.demo.log import load_log, load_telemetry
from zesty_cell.store.database import Database
from zesty_cell.web.app import connect, create_app

settings.register_profile("repeatable", derandomize=True, deadline=None)
settings.load_profile("repeatable")


def pytest_collection_finish(session: pytest.Session) -> None:
    """Keep the collector away from all that was imported and collected: a fifth of the suite's time is saved."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 20)


@pytest.fixture(scope="session")
def routed_app(tmp_path_factory: pytest.TempPathFactory) -> FastAPI:
    """The application with its routes, made once: each test connects it to a file of its own."""
    app = create_app(tmp_path_factory.mktemp("routed") / "never-used.sqlite")
    app.state.database.close()
    return app


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


@pytest.fixture(scope="session")
def season_file(club_file: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The same with the flights of its season, made once."""
    path = tmp_path_factory.mktemp("season") / "club.sqlite"
    shutil.copy(club_file, path)
    database = Database(path)
    with database.session() as session:
        load_log(session)
    database.close()
    return path


@pytest.fixture
def app(routed_app: FastAPI, club_file: Path, tmp_path: Path) -> Iterator[FastAPI]:
    """The application over its own copy of the made-up club."""
    path = tmp_path / "club.sqlite"
    shutil.copy(club_file, path)
    connect(routed_app, path)
    yield routed_app
    routed_app.state.database.close()


@pytest.fixture
def fly_season(app: FastAPI, season_file: Path) -> Callable[[], None]:
    """Called, the club has flown its season; what the test stored before is gone."""

    def fly() -> None:
        database = app.state.database
        database.close()
        for beside in database.path.parent.glob(f"{database.path.name}-*"):
            beside.unlink()
        shutil.copy(season_file, database.path)

    return fly


@pytest.fixture(scope="session")
def drawer_file(club_file: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The same with the discharge runs of its drawer, made once."""
    path = tmp_path_factory.mktemp("drawer") / "club.sqlite"
    shutil.copy(club_file, path)
    database = Database(path)
    with database.session() as session:
        assert load_discharges(session) == 14
        assert load_discharges(session) == 0
    database.close()
    return path


@pytest.fixture
def drawer(app: FastAPI, drawer_file: Path) -> None:
    """The club has its drawer of discharge runs."""
    app.state.database.close()
    shutil.copy(drawer_file, app.state.database.path)


@pytest.fixture
def client(app: FastAPI) -> Iterator[TestClient]:
    """A browser-like client on the club."""
    plain = {"accept-encoding": "identity"}  # packing every page and unpacking it again is not what is tested
    with TestClient(
        app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000), follow_redirects=False, headers=plain
    ) as test_client:
        yield test_client
