"""Plugs by class: contact resistance, rating, mass."""

from __future__ import annotations

from typing import Literal

from zesty_cell.core.entity import Entity


class ConnectorClass(Entity):
    """A plug pair by current rating: contact resistance of both poles [Ω] and mass of the pair [kg]."""

    key: str
    name: str
    rating_a: float
    contact_ohm: float
    mass_kg: float


#: Connector classes by size, not by trade name; contact resistance of a used pair, both poles.
CONNECTORS: dict[str, ConnectorClass] = {
    c.key: c
    for c in (
        ConnectorClass(key="micro_1s", name="1S micro pin, 5 A", rating_a=5, contact_ohm=0.020, mass_kg=0.0004),
        ConnectorClass(key="micro_1s_low", name="1S low-loss, 9 A", rating_a=9, contact_ohm=0.005, mass_kg=0.0005),
        ConnectorClass(key="small_15a", name="2 mm pin, 15 A", rating_a=15, contact_ohm=0.0032, mass_kg=0.002),
        ConnectorClass(key="medium_30a", name="2 mm flat, 30 A", rating_a=30, contact_ohm=0.0014, mass_kg=0.003),
        ConnectorClass(key="large_60a", name="3.5 mm pin, 60 A", rating_a=60, contact_ohm=0.0008, mass_kg=0.007),
        ConnectorClass(key="heavy_90a", name="4.5 mm pin, 90 A", rating_a=90, contact_ohm=0.0005, mass_kg=0.014),
        ConnectorClass(
            key="bullet_150a", name="5.5 mm pin, 150 A", rating_a=150, contact_ohm=0.0003, mass_kg=0.020
        ),
    )
}


ConnectorKey = Literal[
    "micro_1s", "micro_1s_low", "small_15a", "medium_30a", "large_60a", "heavy_90a", "bullet_150a"
]
