"""Two hundred sheets, plans and logs give the figures they gave; see two_hundred.py."""

from __future__ import annotations

import math

from tests.core.two_hundred import KEPT, LOGS, PLANS, SHEETS, lines

#: Other processors round the last digits otherwise [1].
_ALIKE = 1e-9


def _same(one: str, other: str) -> bool:
    if one == other:
        return True
    try:
        return math.isclose(float(one), float(other), rel_tol=_ALIKE, abs_tol=1e-12)
    except ValueError:
        return False


def test_every_figure_is_what_it_was():
    kept, now = KEPT.read_text().splitlines(), list(lines())
    assert len(kept) == len(now) == SHEETS + PLANS + LOGS
    moved = [
        b
        for a, b in zip(kept, now, strict=True)
        if len(a.split()) != len(b.split()) or not all(map(_same, a.split(), b.split()))
    ]
    assert not moved, f"{len(moved)} cases moved, the first: {moved[0][:120]}"
