"""Killed in the middle, again and again: what was acknowledged is there, and the database is whole."""

from __future__ import annotations

import json
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from http.client import HTTPException
from pathlib import Path

from tests.sheets import sheet

from benchmarks.soak.house import club_file
from benchmarks.soak.server import Running, as_json, ask, form, start, upload, wait_for
from benchmarks.timing import Row
from zesty_cell.formats.sheet_json import write_sheet
from zesty_cell.store.backup import backup
from zesty_cell.store.database import Database, _upgrade, revision_in, tables_at
from zesty_cell.store.wholeness import faults_of

KINDS = ("saves", "entries", "imports", "restores", "migrations")


@dataclass
class Found:
    """What came of it."""

    kills: Counter[str] = field(default_factory=Counter)
    acknowledged: Counter[str] = field(default_factory=Counter)
    lost: list[str] = field(default_factory=list)
    unsound: list[str] = field(default_factory=list)


def _save(server: Running, said: set[str], number: int) -> None:
    name = f"saved {number}"
    body = write_sheet(sheet(name=name)).encode()
    if ask(f"{server.address}/api/sheets", body, {"Content-Type": "application/json"})[0] == 201:
        said.add(f"sheet {name}")


def _entry(server: Running, said: set[str], number: int) -> None:
    landed = datetime.now(UTC) - timedelta(hours=2 * number + 3)
    values = {"kind": "landed", "entry": f"entry-{number}", "sheet": "8", "pack": "1", "duration_s": "3:00",
              "landed_at": landed.isoformat(), "timer_s": "3:00", "sure": "long_flight short_flight"}  # fmt: skip
    status, _, raw = ask(f"{server.address}/field/entries", form(values), {"Accept": "application/json"})
    if status == 200 and as_json(raw).get("flight"):
        said.add(f"flight entry-{number}")


def _import(server: Running, said: set[str], number: int) -> None:
    first = datetime(1975 + 20 * (number // 1000), 1, 1, tzinfo=UTC) + timedelta(days=45 * (number % 1000))
    lines = [f"{first + timedelta(hours=3 * k):%Y-%m-%d %H:%M},Heron,Pomelo 1,5:00" for k in range(300)]
    data = "\n".join(["landed at,craft,pack,flew", *lines]).encode()
    body, headers = upload({"zone": "UTC"}, name="file", file_name="f.csv", data=data)
    where = ask(f"{server.address}/log/import", body, headers)[1].get("location", "/nowhere")
    for _ in range(200):
        page = ask(server.address + where)[2]
        if b'data-running="yes"' not in page:
            break
    ask(server.address + where, form({}))
    for _ in range(200):
        page = ask(server.address + where)[2]
        if b"joined the log" in page:
            said.add(f"import {first:%Y-%m-%d}")
            return


_WORK: dict[str, Callable[[Running, set[str], int], None]] = {
    "saves": _save, "entries": _entry, "imports": _import, "restores": _save,
}  # fmt: skip


def _has(paths: list[Path], said: set[str]) -> set[str]:
    """What of it is in one of some databases."""
    there: set[str] = set()
    for path in paths:
        with closing(sqlite3.connect(path)) as held:
            there |= {f"sheet {name}" for (name,) in held.execute("SELECT name FROM sheet")}
            there |= {f"flight {entry}" for (entry,) in held.execute("SELECT entry FROM flight")}
            for one in said:
                if one.startswith("import "):
                    first = one.removeprefix("import ")
                    day = datetime.fromisoformat(first)
                    asked = "SELECT count(*) FROM flight WHERE landed_at >= ? AND landed_at < ?"
                    span = (f"{day:%Y-%m-%d %H:%M:%S}", f"{day + timedelta(days=40):%Y-%m-%d %H:%M:%S}")
                    if held.execute(asked, span).fetchone()[0] == 300:
                        there.add(one)
    return there


def _served(kind: str, folder: Path, found: Found, chance: random.Random) -> None:
    """One kill of a server at its work; of a restore while others save."""
    database = folder / "club.sqlite"
    shutil.copy(club_file(), database)
    server, said, restore = start(database, folder / "server.log"), set[str](), None
    if not wait_for(server.address, server.process):
        found.unsound.append(f"{kind}: it did not start")
        return

    _WORK[kind](server, said, 99)  # the first takes long: its room is opened then

    def work(who: int) -> None:
        for k in range(10_000):
            try:
                _WORK[kind](server, said, 1000 * who + k)
            except (OSError, ValueError, HTTPException):  # refused, reset, or cut off within the answer
                return

    workers = [threading.Thread(target=work, args=(who,)) for who in range(2)]
    for worker in workers:
        worker.start()
    time.sleep(chance.uniform(0.1, 0.9))
    if kind == "restores":
        file = folder / "restored.backup"
        backup(club_file(), file)
        command = [sys.executable, "-m", "zesty_cell", "restore", str(file), "--database", str(database)]
        restore = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        time.sleep(chance.uniform(0.5, 3.0))
        restore.send_signal(signal.SIGKILL)
        restore.wait(20)
        time.sleep(0.1)
    server.process.send_signal(signal.SIGKILL)
    server.process.wait(20)
    for worker in workers:
        worker.join(60)
    found.acknowledged[kind] += len(said)
    kept = list(folder.glob("*.before-restore-*.backup"))
    found.lost += sorted(said - _has([database, *kept], said))
    found.unsound += [f"{kind}: {path.name}: {f.words()}" for path in (database, *kept) for f in faults_of(path)]


def _migrated(folder: Path, found: Found, chance: random.Random) -> None:
    """One kill of a start that brings an older database forward."""
    database = folder / "old.sqlite"
    version = f"{chance.randrange(1, 10):04d}"
    _upgrade(database, version)
    server = start(database, folder / "server.log")
    time.sleep(chance.uniform(0.2, 2.5))
    server.process.send_signal(signal.SIGKILL)
    server.process.wait(20)
    with closing(sqlite3.connect(database)) as held:
        revision = revision_in(held)
        if revision is None or tables_at(held) != tables_at(revision):
            found.unsound.append(f"migrations: left between {version} and {revision}")
    Database(database).close()
    found.unsound += [f"migrations: {f.words()}" for f in faults_of(database)]


def run(*, many: int = 200, seed: int = 1) -> Found:
    """So many kills, the kinds in turn, two at once."""
    found = Found()
    club_file()

    def one(k: int) -> None:
        kind, chance = KINDS[k % len(KINDS)], random.Random(f"{seed} {k}")
        with tempfile.TemporaryDirectory(prefix="zesty-cell-soak-", ignore_cleanup_errors=True) as made:
            if kind == "migrations":
                _migrated(Path(made), found, chance)
            else:
                _served(kind, Path(made), found, chance)
        found.kills[kind] += 1

    with ThreadPoolExecutor(2) as two:
        for done in [two.submit(one, k) for k in range(many)]:
            done.result()
    return found


def kills(*, many: int = 200) -> list[Row]:
    """As a row of the report."""
    found = run(many=many)
    kinds = ", ".join(f"{count} {kind}" for kind, count in sorted(found.kills.items()))
    return [
        Row(
            what=f"{found.kills.total()} kills in the middle: {kinds}",
            measured=f"{len(found.lost)} of {found.acknowledged.total()} acknowledged writes lost, "
            f"{len(found.unsound)} databases not whole",
            asked="0 and 0",
            met=not found.lost and not found.unsound and min(found.acknowledged[k] for k in _WORK) > 0,
            inside="the command line's own server under two writers, kill -9; what zesty-cell check looks at, then "
            "all that was acknowledged",
        )
    ]


if __name__ == "__main__":
    print(json.dumps(run(many=int(sys.argv[1])).__dict__, indent=1, default=list))
