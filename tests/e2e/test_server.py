"""The server as a process: killed in the middle of saves, it comes back with every acknowledged one."""

from __future__ import annotations

import http.client
import json
import threading
import urllib.request

import pytest

from tests.e2e.conftest import running
from tests.sheets import sheet
from zesty_cell.formats.sheet_json import write_sheet

pytestmark = pytest.mark.e2e


def _post(address: str, name: str) -> int:
    body = write_sheet(sheet(name=name)).encode()
    request = urllib.request.Request(f"{address}/api/sheets", body, {"Content-Type": "application/json"})
    with urllib.request.urlopen(request, timeout=10) as response:
        return int(json.load(response)["id"])


def test_kill_in_the_middle_of_saves_loses_no_acknowledged_one(tmp_path):
    database, acknowledged = tmp_path / "killed.sqlite", {}

    def save_on(address: str, client: int) -> None:
        for k in range(10_000):
            name = f"client {client}, save {k}"
            try:
                acknowledged[name] = _post(address, name)
            except (OSError, http.client.HTTPException):  # refused, reset, or cut off within the answer
                return

    with running("serve", database) as (address, process):
        clients = [threading.Thread(target=save_on, args=(address, k)) for k in range(3)]
        for client in clients:
            client.start()
        while len(acknowledged) < 30:
            clients[0].join(0.01)
        process.kill()
        for client in clients:
            client.join()
    with running("serve", database) as (address, _), urllib.request.urlopen(f"{address}/api/sheets") as response:
        kept = {row["name"]: row["id"] for row in json.load(response)}
    assert len(acknowledged) >= 30
    assert acknowledged.items() <= kept.items()
