"""What the pack builder draws beside the pack: its resistance by part."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.parts.pack_figures import PackFigures


@dataclass(frozen=True)
class Part:
    """One part of the resistance on the bar, of a hundred."""

    key: str
    name: str
    x: float
    width: float
    milliohm: float
    share: float


def resistance_parts(figures: PackFigures) -> list[Part]:
    """The pack's resistance by part, in the order of the current: cells, links, leads, plug, adapter."""
    whole = figures.resistance_ohm
    parts, x = [], 0.0
    for key, name, ohm in (
        ("cells", "cells", figures.cells_ohm),
        ("links", "links", figures.links_ohm),
        ("leads", "leads", figures.leads_ohm),
        ("plug", "plug", figures.connector_ohm),
        ("adapter", "adapters", figures.adapter_ohm),
    ):
        if ohm <= 0.0:
            continue
        share = ohm / whole
        parts.append(Part(key=key, name=name, x=x, width=100.0 * share, milliohm=1000.0 * ohm, share=share))
        x += 100.0 * share
    return parts


def dominant(parts: list[Part]) -> Part:
    """The part that matters most."""
    return max(parts, key=lambda p: p.share)
