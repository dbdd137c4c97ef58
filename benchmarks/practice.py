"""The land-now trainer: every drill won and lost by scripted pilots, and how fast a decision is answered."""

from __future__ import annotations

import time

import numpy as np

from benchmarks.timing import Row
from zesty_cell.core.practice.course import Decision
from zesty_cell.core.practice.drills import DRILLS, drill
from zesty_cell.core.practice.flown import play
from zesty_cell.core.practice.score import score, scripted
from zesty_cell.web.practice.shown import played_json
from zesty_cell.words.face import Face, Reader

_SEEDS = 200
_PILOTS = ("first word", "never", "timer only", "ideal")


def _scores() -> dict[str, np.ndarray]:
    """Points of the four pilots on every drill; arrays of shape (seeds, pilots)."""
    return {
        key: np.array([[score(scripted(drill(key, seed=s), p)) for p in _PILOTS] for s in range(_SEEDS)])
        for key in DRILLS
    }


def _answers_ms() -> list[float]:
    face, took = Face(Reader()), []
    for k, key in enumerate(DRILLS):
        scenario = drill(key, seed=900 + k)
        play(scenario, ())  # it was begun before anything is decided
        for at_s in (20.0, 120.0, 200.0):
            for action in ("gentler", "home"):
                began = time.perf_counter()
                played = play(scenario, (Decision.model_validate({"at_s": at_s, "action": action}),))
                played_json(played, face, from_s=at_s)
                took.append(1000.0 * (time.perf_counter() - began))
    return took


def practice() -> list[Row]:
    """Twelve drills with 200 truths each, by four pilots."""
    scores = _scores()
    every = np.concatenate(list(scores.values()))
    by_drill = {key: of.mean(axis=0) for key, of in scores.items()}
    measured = f"{len(DRILLS)} drills, {_SEEDS} truths each"
    ideal, never = every[:, 3], every[:, 1]
    between = np.array([[m[0], m[2]] for m in by_drill.values()])
    low, high = between.min(axis=0), between.max(axis=0)
    lowest = [min(m[0], m[2]) for m in by_drill.values()]
    ordered = bool(np.all(every[:, 1] <= every[:, [0, 2]].min(axis=1)) and np.all(every.max(axis=1) == every[:, 3]))
    took = _answers_ms()
    p95 = float(np.percentile(took, 95))
    return [
        Row("Who knows the truth", f"{ideal.min()} points at least", "over 90", bool(ideal.min() > 90), measured),
        Row("Who never turns", f"{never.max()} points at most", "under 20", bool(never.max() < 20), measured),
        Row("Who never turns is last, who knows is first", "always" if ordered else "not always", "always", ordered,
            measured),
        Row("First word and timer only, means by drill",
            f"first word {low[0]:.0f} to {high[0]:.0f}, timer only {low[1]:.0f} to {high[1]:.0f}; the one that a "
            f"drill deceives {min(lowest):.0f} to {max(lowest):.0f}",
            "", True, measured),
        Row("A decision answered", f"{np.median(took):.0f} ms, 95 of 100 within {p95:.0f} ms", "100 ms",
            p95 <= 100.0, "the rest of the flight flown, heard, and written for the page"),
    ]  # fmt: skip
