"""Run every benchmark, print the report, and keep it in docs/benchmarks.md."""

from __future__ import annotations

import os
import platform
import sys
from collections.abc import Callable, Sequence
from datetime import UTC, datetime

from benchmarks import (
    callouts,
    choosing,
    claims,
    core,
    discharge,
    faults,
    laps,
    learning,
    log,
    narrowing,
    peer,
    phone,
    practice,
    server,
    start,
    trials,
    world,
)
from benchmarks.report import table, write_figures
from benchmarks.timing import Row

HEAD = """# Benchmarks

Written by `make bench`, which runs them again and replaces this page, or by `make bench PART="…"`, which
replaces one part. Each line says what lies inside the measured region; inputs are built outside it and
code is warmed first. Ratios are taken in the same minute on the same machine. Absolute times on a
shared machine wander by a factor of two from one minute to the next; accuracies and ratios do not.

"""


PARTS: dict[str, Callable[[], list[Row]]] = {
    "Accuracy": core.accuracy,
    "Against an independent integrator": core.integrated,
    "Speed of the core": core.speed,
    "Choosing a pack": choosing.choosing,
    "Callouts": callouts.callouts,
    "The forecast that learns": learning.learning,
    "In a world that is not ours": world.world,
    "Callouts in that world": claims.claims,
    "Beside a general battery-model library": peer.compare,
    "The hangar": choosing.hangar,
    "The log": log.log,
    "What to measure next": narrowing.narrowing,
    "Fair tests": trials.trials,
    "Discharge runs": discharge.discharge,
    "What is off": faults.faults,
    "Practice": practice.practice,
    "Laps": laps.laps,
    "The first minute": start.first_minute,
    "The phone's day": phone.phone,
    "The server": server.run,
}


def main(wanted: Sequence[str]) -> int:
    """Measure all parts of the page, or those named; 1 when a figure is not met, 2 for a part there is none of."""
    unknown = [title for title in wanted if title not in PARTS]
    if unknown:
        print(f"No such part: {', '.join(unknown)}. There are: {', '.join(PARTS)}.")
        return 2
    measured: dict[str, str] = {}
    met = True
    for title in wanted or PARTS:
        print(f"{title} …", flush=True)
        rows = PARTS[title]()
        for row in rows:
            print(f"  {'ok' if row.met else 'NO'}  {row.what}: {row.measured} (asked: {row.asked})", flush=True)
        met &= all(row.met for row in rows)
        when = f"Measured {datetime.now(UTC):%Y-%m-%d}.\n\n"
        measured[title] = when + table(rows)
    machine = f"{os.cpu_count()} cores ({platform.machine()}), Python {platform.python_version()}.\n"
    write_figures(HEAD + machine, measured, tuple(PARTS))
    return 0 if met else 1


if __name__ == "__main__":
    raise SystemExit(main(sys.argv[1:]))
