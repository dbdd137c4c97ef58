"""Which part to change for what gets hot, by the chain from pack to propeller."""

from __future__ import annotations

from collections.abc import Set
from typing import Final, Literal

from zesty_cell.core.choose.chain import NEAR_LIMIT, Chain, Link, LinkKey
from zesty_cell.core.fact import Fact, fact

#: Signs for which the chain has something to say.
WARM: Final = frozenset({"pack_hot", "motors_cold", "motors_hot", "esc_hot"})
_PART: Final[dict[LinkKey, Literal["pack", "plug", "esc", "motors", "propeller"]]] = {
    "cells": "pack", "rating": "pack", "plug": "plug", "second_plug": "plug", "leads": "plug", "esc": "esc",
    "esc_burst": "esc", "motors": "motors", "propeller": "propeller",
}  # fmt: skip
_PACKS: Final = ("pack", "plug")


def part_to_change(chain: Chain, /, *, signs: Set[str]) -> Fact | None:
    """What to change first, of what is warm, with how much of its limit it carries; None where nothing is warm.

    A pack that lands hot while the motors stay cool is asked for more than it gives: the worst link before the
    motors is changed, though one behind them may be nearer to its limit.  Where no such link is near a limit,
    another pack of the same kind would land as hot: then the pack itself is to be measured.

    Parameters
    ----------
    signs : set of str
        As ticked.
    """
    if not signs & WARM:
        return None
    only_pack = "motors_cold" in signs or not signs & {"motors_hot", "esc_hot"}
    links = [n for n in chain.links if n.key in _PART and n.share is not None]
    asked = [n for n in links if (_PART[n.key] in _PACKS) == only_pack]
    worst = max(asked, key=_share, default=None)
    if worst is None:
        return None
    if _share(worst) <= NEAR_LIMIT:
        return fact("fault.change.none", part=worst.title, share=_share(worst))
    return fact(f"fault.change.{_PART[worst.key]}", part=worst.title, share=_share(worst))


def _share(link: Link) -> float:
    return 0.0 if link.share is None else link.share
