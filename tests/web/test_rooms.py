"""Pages that are not needed for the first are imported when somebody asks for them."""

from __future__ import annotations

import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor

from fastapi.testclient import TestClient

from zesty_cell.web import rooms
from zesty_cell.web.app import create_app
from zesty_cell.web.http import quiet
from zesty_cell.web.rooms import ROOMS

_FIRST = """
import sys
from pathlib import Path
from zesty_cell.web.app import create_app
from zesty_cell.web.http import quiet
create_app(Path(sys.argv[1]))
print(*sorted(name for name in sys.modules if name.startswith("zesty_cell.web.")))
"""


def test_the_first_page_waits_for_no_other(tmp_path):
    made = subprocess.run(
        [sys.executable, "-c", _FIRST, str(tmp_path / "one.sqlite")], capture_output=True, text=True, check=True
    )
    loaded = set(made.stdout.split())
    assert "zesty_cell.web.sheet.view" in loaded
    late = {f"zesty_cell.web.{name}" for modules in ROOMS.values() for name in modules}
    assert loaded & late == set()


def test_many_may_knock_at_once_and_each_is_answered(tmp_path):
    app = create_app(tmp_path / "one.sqlite")
    paths = [
        "/hangar",
        "/field",
        "/backup",
        "/calibrate",
        "/api/sheets",
        "/log",
        "/hangar/health",
        "/hangar/packs/new",
    ]
    with (
        TestClient(app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000)) as client,
        ThreadPoolExecutor(8) as pool,
    ):
        answers = list(pool.map(lambda path: client.get(path).status_code, paths * 3))
        assert answers == [200] * len(answers)
        assert client.get("/hangarr").status_code == 404
        assert client.get("/hangar/nothing/here/at/all").status_code == 404
        assert client.delete("/hangar").status_code == 405
    app.state.database.close()


def test_rooms_are_opened_in_quiet_moments_alone(tmp_path, monkeypatch):
    """Behind the first answer, but not while somebody is being answered, nor right after."""
    monkeypatch.setattr(quiet, "QUIET_S", 0.3)
    app = create_app(tmp_path / "one.sqlite")
    opened, wait = [], app.state.quiet.wait

    def waited():
        wait()
        opened.append(app.state.quiet.is_now())

    monkeypatch.setattr(app.state.quiet, "wait", waited)
    with TestClient(app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000)) as client:
        until = time.monotonic() + 1.0
        while time.monotonic() < until:
            assert client.get("/sheets").status_code == 200
        assert opened == []
        for thread in threading.enumerate():
            if thread.name == "rooms":
                thread.join(30)
    assert len(opened) == sum(map(len, ROOMS.values()))
    assert all(opened)
    app.state.database.close()


def test_nothing_waits_for_a_quiet_moment_for_ever():
    busy = quiet.Quiet()
    assert busy.is_now()
    busy.began()
    began = time.monotonic()
    busy.wait(0.2)
    assert 0.2 <= time.monotonic() - began < 2.0
    busy.ended()
    assert not busy.is_now()


def test_a_room_that_could_not_be_opened_is_told_of_and_opened_at_the_next_knock(tmp_path, monkeypatch, caplog):
    app = create_app(tmp_path / "one.sqlite")
    really, tries = rooms.import_module, []

    def fails_once(name):
        tries.append(name)
        if tries.count("zesty_cell.web.field.view") == 1 and name.endswith("field.view"):
            raise RuntimeError("not now")
        return really(name)

    monkeypatch.setattr(rooms, "import_module", fails_once)
    with TestClient(app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000)) as client:
        assert client.get("/sheets").status_code == 200  # everything is opened behind it
        for thread in threading.enumerate():
            if thread.name == "rooms":
                thread.join(20)
        assert [r.fields["room"] for r in caplog.records if r.getMessage() == "room not opened"] == ["field"]
        assert client.get("/field").status_code == 200
    app.state.database.close()
