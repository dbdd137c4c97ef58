"""The answers to a fixed set of questions are what they were; see answers.py."""

from __future__ import annotations

import math
import re

import pytest

from tests.core.answers import KEPT, PARTS

_NUMBER = re.compile(r"-?(?:inf|nan|\d+(?:\.\d+)?(?:e[-+]?\d+)?)")
#: Other processors round the last digits otherwise [1].
_ALIKE = 1e-4


def _alike(one, other):
    """Whether two lines say the same words, and the same figures as near as processors are to each other."""
    if one == other:
        return True
    figures = [[float(n) for n in _NUMBER.findall(line)] for line in (one, other)]
    if _NUMBER.sub("#", one) != _NUMBER.sub("#", other) or len(figures[0]) != len(figures[1]):
        return False
    return all(math.isclose(a, b, rel_tol=_ALIKE, abs_tol=1e-9) for a, b in zip(*figures, strict=True))


@pytest.fixture(scope="module")
def kept():
    parts = KEPT.read_text().split("# ")[1:]
    return {head: lines for head, _, lines in (part.partition("\n") for part in parts)}


@pytest.mark.parametrize("part", PARTS, ids=lambda part: part.__name__)
def test_the_answers_are_what_they_were(part, kept):
    said, were = list(part()), kept[part.__name__].splitlines()
    moved = [f"was {a}\nis  {b}" for a, b in zip(were, said, strict=False) if not _alike(a, b)]
    assert not moved, "\n".join(
        [f"{len(moved)} answers moved; `python -m tests.core.answers` keeps them", *moved[:3]]
    )
    assert len(said) == len(were)
