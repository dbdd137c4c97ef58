"""Run every benchmark, print the report, and keep it in docs/benchmarks.md."""

from __future__ import annotations

import os
import platform
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

Written by `make bench`, which runs them again and replaces this page. Each line says what lies inside
the measured region; inputs are built outside it and code is warmed first. Ratios are taken in the same
minute on the same machine. Absolute times on a shared machine wander by a factor of two from one
minute to the next; accuracies and ratios do not.

"""


def main() -> int:
    """Returns 1 when a figure is not met."""
    parts: list[tuple[str, list[Row]]] = []
    for title, work in (
        ("Accuracy", core.accuracy),
        ("Against an independent integrator", core.integrated),
        ("Speed of the core", core.speed),
        ("Choosing a pack", choosing.choosing),
        ("Callouts", callouts.callouts),
        ("The forecast that learns", learning.learning),
        ("In a world that is not ours", world.world),
        ("Callouts in that world", claims.claims),
        ("Beside a general battery-model library", peer.compare),
        ("The hangar", choosing.hangar),
        ("The log", log.log),
        ("What to measure next", narrowing.narrowing),
        ("Fair tests", trials.trials),
        ("Discharge runs", discharge.discharge),
        ("What is off", faults.faults),
        ("Practice", practice.practice),
        ("Laps", laps.laps),
        ("The first minute", start.first_minute),
        ("The phone's day", phone.phone),
        ("The server", server.run),
    ):
        print(f"{title} …", flush=True)
        rows = work()
        for row in rows:
            print(f"  {'ok' if row.met else 'NO'}  {row.what}: {row.measured} (asked: {row.asked})", flush=True)
        parts.append((title, rows))
    when = datetime.now(UTC).strftime("%Y-%m-%d")
    machine = (
        f"Measured {when}, {os.cpu_count()} cores ({platform.machine()}), Python {platform.python_version()}.\n\n"
    )
    report = HEAD + machine + "\n".join(f"## {title}\n\n{table(rows)}" for title, rows in parts)
    write_figures(report)
    return 0 if all(row.met for _, rows in parts for row in rows) else 1


if __name__ == "__main__":
    raise SystemExit(main())
