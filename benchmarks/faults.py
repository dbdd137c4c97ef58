"""Hidden faults: what a pilot notices, and what is found of it with so many checks."""

from __future__ import annotations

import time
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from benchmarks.timing import Row
from zesty_cell.core.faults.case import NOTHING
from zesty_cell.core.faults.next_check import is_sure, worth_making
from zesty_cell.core.faults.reckoned import Seen, reckon
from zesty_cell.standins.faulty import FaultyPilot
from zesty_cell.standins.faulty_rig import FAULTS

#: Fourteen that every pilot meets; the stand-in has some more, told of beside them.
_FOURTEEN = (
    "tired_pack", "weak_cell", "cold", "plug_or_lead", "undercharged", "label", "propeller_too_much", "bent_or_dry",
    "weight_grown", "wind", "cell_count", "hold_short", "voltage_scale", "current_scale",
)  # fmt: skip
_SEEDS, _FIRST_SEED = 50, 9000
#: Nobody makes more.
_MOST_CHECKS = 15


@dataclass(frozen=True)
class _Found:
    """How a search for a fault ended: causes in their order, nothing among them, and the checks made."""

    order: tuple[str, ...]
    causes: tuple[str, ...]
    checks: int


def _search(fault: str, *, seed: int, kept: bool) -> _Found:
    pilot = FaultyPilot(fault, seed=seed)
    signs = pilot.signs()
    known = pilot.in_the_log() if kept else {}
    asked = set(known)
    checks = 0
    while True:
        now = reckon(Seen(signs, known))
        ahead = () if is_sure(now) or checks >= _MOST_CHECKS else worth_making(now, known=asked, signs=set())
        if not ahead:
            break
        asked.add(ahead[0].reading)
        checks += 1
        outcome = pilot.read(ahead[0].reading)
        if outcome is not None:
            known[ahead[0].reading] = outcome
    causes = tuple(r.cause for r in now.ranked)
    above = sum(r.chance > now.nothing for r in now.ranked)
    return _Found((*causes[:above], NOTHING, *causes[above:]), causes, checks)


def _all(faults: Iterable[str], *, kept: bool) -> dict[str, list[_Found]]:
    return {f: [_search(f, seed=_FIRST_SEED + k, kept=kept) for k in range(_SEEDS)] for f in faults}


def _shares(found: dict[str, list[_Found]]) -> tuple[float, float, float]:
    """True cause before all else, among the first three causes, and checks a search [1, 1, checks]."""
    each = [(fault, one) for fault, of in found.items() for one in of]
    first = float(np.mean([one.order[0] == fault for fault, one in each]))
    three = float(np.mean([fault in one.causes[:3] for fault, one in each]))
    return first, three, float(np.mean([one.checks for _, one in each]))


def faults() -> list[Row]:
    """Fourteen hidden faults and healthy craft, each with 50 seeds, with and without a log."""
    rows = []
    for kept, words in (
        (True, "sheet, plan and log kept, so that some is known"),
        (False, "nothing kept: every reading asked"),
    ):
        found = _all(_FOURTEEN, kept=kept)
        first, three, checks = _shares(found)
        worst = min(found, key=lambda f: _shares({f: found[f]})[0])
        worst_first = _shares({worst: found[worst]})[0]
        others = _shares(_all([f for f in FAULTS if f not in _FOURTEEN], kept=kept))
        healthy = [_search("", seed=_FIRST_SEED + k, kept=kept) for k in range(_SEEDS)]
        well = float(np.mean([one.order[0] == NOTHING for one in healthy]))
        measured = f"14 faults of a world that is not the table, 50 seeds each; {words}"
        rows += [
            Row("Hidden fault named first", f"{100 * first:.0f} %; least: {worst}, {100 * worst_first:.0f} %",
                "70 %", first >= 0.70, measured),
            Row("Hidden fault among the first three", f"{100 * three:.0f} %", "95 %", three >= 0.95, measured),
            Row("Checks made", f"{checks:.1f} on average", "4", checks <= 4.0, measured),
            Row("Healthy ones with nothing found", f"{100 * well:.0f} %", "90 %", well >= 0.90, measured),
            Row(f"{len(FAULTS) - len(_FOURTEEN)} further faults", f"{100 * others[0]:.0f} % first, "
                f"{100 * others[1]:.0f} % among three, {others[2]:.1f} checks", "", True, measured),
        ]  # fmt: skip
    began = time.perf_counter()
    for k in range(20):
        now = reckon(Seen(frozenset({"flights_shorter", "pack_hot"}), {"air": "cold" if k % 2 else "mild"}))
        worth_making(now, known={"air"}, signs=set())
    took_ms = 1000.0 * (time.perf_counter() - began) / 20
    rows.append(
        Row(
            "Causes ranked, next checks weighed",
            f"{took_ms:.1f} ms",
            "50 ms",
            took_ms <= 50.0,
            "352 sets, 27 checks",
        )
    )
    return rows
