"""Run every hostile day, print what came of it, and keep it in docs/benchmarks.md."""

from __future__ import annotations

import os
import platform
import sys
from collections.abc import Callable
from datetime import UTC, datetime

from benchmarks.report import table, write_soak
from benchmarks.soak.cases import cases
from benchmarks.soak.crowd import burst, crowd
from benchmarks.soak.files import files
from benchmarks.soak.guesses import guesses
from benchmarks.soak.hostile import hostile
from benchmarks.soak.kills import kills
from benchmarks.timing import Row

HEAD = """Written by `make soak` on {when}, {cores} cores ({machine}), Python {python}: some twenty-five minutes
of requests, files, kills and a crowd that the application has to outlive.
"""
WORK: dict[str, Callable[[], list[Row]]] = {
    "hostile": hostile, "cases": cases, "files": files, "kills": kills, "guesses": guesses,
    "burst": burst, "crowd": crowd,
}  # fmt: skip


def main(names: list[str]) -> int:
    """Run those named, or all; only all are kept.  Returns 1 when a figure is not met."""
    rows: list[Row] = []
    for name in names or WORK:
        print(f"{name} …", flush=True)
        found = WORK[name]()
        for row in found:
            print(f"  {'ok' if row.met else 'NO'}  {row.what}: {row.measured} (asked: {row.asked})", flush=True)
        rows += found
    if not names:
        head = HEAD.format(
            when=f"{datetime.now(UTC):%Y-%m-%d}", cores=os.cpu_count(), machine=platform.machine(),
            python=platform.python_version(),
        )  # fmt: skip
        write_soak(f"{head}\n{table(rows)}")
    return 0 if all(row.met for row in rows) else 1


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
