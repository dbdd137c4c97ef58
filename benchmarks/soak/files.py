"""Hostile files over every place that takes one: none may take long, or room, or be taken and then not be shown."""

from __future__ import annotations

import json
import random
import shutil
import sqlite3
import struct
import tempfile
import time
import zlib
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from benchmarks.soak.house import club_file
from benchmarks.soak.server import Running, ask, running, upload
from benchmarks.timing import Row

#: Where files are taken: address, the name of the field, what goes with it.
DOORS = (
    ("/telemetry", "file", {"sheet": "8"}),
    ("/callouts/8/logs", "file", {}),
    ("/log/1/telemetry", "file", {}),
    ("/log/import", "file", {"zone": "UTC"}),
    ("/sheets/import", "file", {}),
    ("/callouts/8/import", "file", {}),
    ("/callouts/8/voices/landnow/own-voice", "wav", {}),
    ("/tests/import", "file", {}),
    ("/tests/discharges/new", "file", {"pack": "8", "part": "whole"}),
    ("/tests/thrust/file", "file", {"on_bench": "1"}),
    ("/tests/1/thrust/file", "file", {"on_bench": "1", "slot": "1", "version": "1"}),
    ("/tests/discharges/pack/8/curve/import", "file", {"version": "1"}),
    ("/backup/restore", "file", {}),
)
_LARGE = 22_000_000
MOST_S, MOST_MB = 5.0, 400.0


def _repeated(line: bytes, size: int = _LARGE) -> bytes:
    return line * (size // len(line))


def _csv(rows: int, columns: int, cell: str = "1.5") -> bytes:
    names = ",".join(["time", *(f"c{k}" for k in range(columns - 1))])
    rest = f",{cell}" * (columns - 1)
    return (names + "\n" + "\n".join(f"{k / 10:.1f}{rest}" for k in range(rows))).encode()


def _flights(rows: int) -> bytes:
    lines = (f"20{k % 20:02d}-0{k % 9 + 1}-1{k % 10} 1{k % 10}:00,Heron,Pomelo 1,5:00" for k in range(rows))
    return ("landed at,craft,pack,flew\n" + "\n".join(lines)).encode()


def _wav(
    *, channels: int = 1, rate: int = 32_000, bits: int = 16, claims: int = 2**31, data: bytes = b"\x00" * 4000
) -> bytes:
    a_frame = channels * bits // 8
    fmt = struct.pack("<HHIIHH", 1, channels, rate, rate * a_frame % 2**32, a_frame, bits)
    said = struct.pack("<I", claims)
    return b"RIFF" + said + b"WAVEfmt " + struct.pack("<I", 16) + fmt + b"data" + said + data


def _backup(*changes: str, packed: bytes | None = None) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "b.sqlite"
        shutil.copy(club_file(), path)
        with sqlite3.connect(path) as made:
            made.execute("PRAGMA foreign_keys=OFF")
            for change in changes:
                made.execute(change)
            if packed is not None:
                made.execute("UPDATE log SET packed = ?", (packed,))
        made.execute("PRAGMA journal_mode=DELETE")
        made.close()
        return path.read_bytes()


def hostile_files() -> Iterator[tuple[str, bytes]]:
    """Files of every bad kind we can think of, with a name for each."""
    yield "empty", b""
    yield "NUL", b"\x00" * 1000
    yield "line ends", _repeated(b"\n")
    yield "carriage returns", _repeated(b"\r")
    yield "quotes", _repeated(b'"')
    yield "quoted pairs", _repeated(b'"",')
    yield "one line", _repeated(b"1,")
    yield "one word", _repeated(b"x")
    yield "two columns", b"t,v\n" + _repeated(b"1,2\n")
    yield "spaces", b"a,b\n" + _repeated(b" , \n")
    yield "a million lines", _csv(1_000_000, 2)
    yield "as many lines as are taken", _csv(249_000, 6)
    yield "as many columns", _csv(20_000, 200)
    yield "201 columns", _csv(2_000, 201)
    yield "many cells", _csv(100_000, 40, "1")
    yield "wide numbers", _csv(2_000, 4, "9" * 400)
    yield "time goes back", b"time,volts\n" + b"".join(b"%d,%d\n" % (k % 7, 16) for k in range(200_000))
    yield "formulas", _csv(50_000, 8, "=1+1")
    yield "utf-16", "time,volts\n1,16\n2,15\n".encode("utf-16")
    yield "no utf-8", b"time,volts\n" + b"\xff\xfe\xfd" * 5_000_000
    yield "uneven", b"a,b\n1,2\n" + _repeated(b"1,2,3\n", 5_000_000)
    yield "commas and points", b"a;b\n" + _repeated(b"1,5;2,5\n", 1_500_000)
    yield "flights", _flights(49_000)
    yield "too many flights", _flights(60_000)
    yield "senseless flights", b"landed at,craft,pack,flew\n" + _repeated(b"x,y,z,w\n", 1_000_000)
    yield "deep JSON", b"[" * 900_000
    yield "deep objects", b'{"a":' * 150_000
    yield "wide JSON", json.dumps({f"k{k}": k for k in range(60_000)}).encode()
    yield "long name", json.dumps({"format": "zesty-cell/sheet", "name": "x" * 900_000}).encode()
    yield "a number", b"1" * 900_000
    yield "sound that claims more", _wav()
    yield "sound of 999 channels", _wav(channels=999, data=b"\x00" * 8_000_000)
    yield "slow sound", _wav(rate=1, claims=8_000_000, data=b"\x00" * 8_000_000)
    yield "fast sound", _wav(rate=2**31, claims=8_000_000, data=b"\x00" * 8_000_000)
    yield "sound of 7 bits", _wav(bits=7)
    yield "sound without samples", _wav(claims=0, data=b"")
    yield "packed", zlib.compress(b"\x00" * 50_000_000)
    yield "SQLite's first word", b"SQLite format 3\x00" + b"\x00" * 4000
    yield "SQLite and noise", b"SQLite format 3\x00" + random.Random(1).randbytes(2_000_000)
    yield "a packed log that unpacks to a gigabyte", _backup(packed=zlib.compress(b"\x00" * 1_000_000_000))
    yield "a table less", _backup("DROP TABLE log_fit")
    yield "a trigger", _backup("CREATE TRIGGER t AFTER INSERT ON sheet BEGIN DELETE FROM flight; END")
    yield "a view over all", _backup("CREATE VIEW v AS SELECT a.id FROM flight a, flight b, flight c, flight d")
    yield "a flight of nobody's pack", _backup("UPDATE flight SET pack_id = 9999")
    yield "an unknown standing", _backup("UPDATE pack SET standing = 'borrowed' WHERE id = 3")
    yield "junk documents", _backup("UPDATE flight SET document = '[]' WHERE id = 7")
    yield "a deep document", _backup(f"UPDATE pack SET document = '{'[' * 900}{']' * 900}' WHERE id = 1")
    yield "many rows", _backup(
        "INSERT INTO field_entry (entry, taken_at, answer) WITH RECURSIVE n(k) AS (SELECT 1 UNION ALL SELECT k + 1 "
        "FROM n WHERE k < 250000) SELECT 'e' || k, '2026-11-01 10:00:00', '{}' FROM n"
    )  # fmt: skip
    yield "a newer one", _backup("UPDATE alembic_version SET version_num = '9999'")


@dataclass
class Found:
    """What came of it."""

    sent: int = 0
    slowest_s: float = 0.0
    slowest: str = ""
    peak_mb: float = 0.0
    broken: list[str] = field(default_factory=list)
    taken: int = 0


def _spoilt(data: bytes, chance: random.Random) -> bytes:
    """A good file, damaged somewhere."""
    out = bytearray(data)
    for _ in range(chance.choice((1, 3, 40))):
        k = chance.randrange(max(len(out), 1))
        way = chance.randrange(3)
        if way == 0:
            out[k : k + 1] = chance.randbytes(1)
        elif way == 1:
            del out[k : k + chance.randrange(1, 200)]
        else:
            out[k:k] = chance.choice((b"\x00", b'"', b",", b"\n", b"9" * 30, b"\xff", b"{", b"}"))
        if not out:
            break
    return bytes(out)


def _good(server: Running) -> list[bytes]:
    """Files as the application itself writes them."""
    found = [
        ask(server.address + path)[2] for path in ("/sheets/8/export", "/callouts/8/export", "/log/flights.csv")
    ]
    found += [_csv(600, 5), _backup(), _wav(claims=4000)]
    return found


def _send(server: Running, found: Found, what: str, data: bytes, door: tuple[str, str, dict[str, str]]) -> None:
    path, name, values = door
    body, headers = upload(values, name=name, file_name="file", data=data)
    began = time.perf_counter()
    try:
        status, answered, _ = ask(server.address + path, body, headers)
    except OSError:  # cut off while it was still being sent: refused by its size
        status, answered = 413, {}
    took = time.perf_counter() - began
    found.sent += 1
    label = f"{what} to {path}"
    if took > found.slowest_s:
        found.slowest_s, found.slowest = took, label
    if status >= 500 and status != 503:
        found.broken.append(f"{status} {label}")
    where = answered.get("location", "")
    if status == 303 and where:
        found.taken += 1
        began = time.perf_counter()
        status, _, page = ask(server.address + where)
        until = time.perf_counter() + 20
        while b'data-running="yes"' in page and time.perf_counter() < until:
            time.sleep(0.05)
            status, _, page = ask(server.address + where)
        took = time.perf_counter() - began
        if took > found.slowest_s:
            found.slowest_s, found.slowest = took, f"the page of {label}"
        if status >= 500:
            found.broken.append(f"{status} the page of {label}")


def run(*, many: int = 200, seed: int = 1) -> Found:
    """Send them, each kind to every door in turn, then good ones that were damaged."""
    found, chance = Found(), random.Random(seed)
    with running() as server:
        for page in ("/sheets/8", "/callouts/8", "/log", "/hangar"):
            ask(server.address + page)
        idle = server.memory_mb()
        server.reset_peak()
        kinds = list(hostile_files())
        for k, (what, data) in enumerate(kinds):
            for door in (DOORS[k % len(DOORS)], DOORS[(k + 3) % len(DOORS)]):
                _send(server, found, what, data, door)
        good = _good(server)
        while found.sent < many:
            _send(server, found, "a damaged one", _spoilt(chance.choice(good), chance), chance.choice(DOORS))
        for page in ("/sheets", "/callouts/8", "/log", "/hangar", "/hangar/health", "/field", "/calibrate"):
            status = ask(server.address + page)[0]
            if status >= 500:
                found.broken.append(f"{status} {page} afterwards")
        found.peak_mb = server.memory_mb("VmHWM") - idle
        if server.unforeseen():
            found.broken.append(f"{server.unforeseen()} unforeseen lines in the log")
    return found


def files(*, many: int = 200) -> list[Row]:
    """As a row of the report."""
    found = run(many=many)
    met = found.slowest_s <= MOST_S and found.peak_mb <= MOST_MB and not found.broken
    return [
        Row(
            what=f"{found.sent} hostile files over {len(DOORS)} places that take one",
            measured=f"the slowest {found.slowest_s:.1f} s ({found.slowest}), {found.peak_mb:.0f} MB above the "
            f"idle server's at the peak, {len(found.broken)} broken",
            asked=f"{MOST_S:g} s, {MOST_MB:g} MB, none",
            met=met,
            inside="sent, answered, and its page read where it was taken; every main page read afterwards",
        )
    ]
