"""Starting crafts: what is usual for a kind of craft and its size, where its pilot has measured nothing yet.

Every figure is a guess with a width (``Assumed``), so that a first answer is wide and honest.  Sizes, weights and
packs are what such craft commonly have; reasons and sources are in docs/physics.md, "Starting crafts", and a test
holds their hover, full throttle and flight time to what pilots would call usual.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final, Literal

from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.chemistry import ChemistryKey, amid_flight_v
from zesty_cell.core.parts.craft import (
    Assumed,
    Craft,
    CraftKind,
    EstimatedFullThrottle,
    RotorGeometry,
    SteadyPower,
    WingGeometry,
)
from zesty_cell.core.parts.estimates import Cooling
from zesty_cell.core.parts.label_pack import usual_leads
from zesty_cell.core.parts.pack import Pack

StartKey = Literal[
    "micro", "small_quad", "freestyle", "long_range", "lifter", "plane", "flying_wing", "jet", "helicopter"
]
Carries = Literal["nothing", "camera", "film"]
CARRIES: Final[tuple[Carries, ...]] = ("nothing", "camera", "film")
Manner = Literal["gentle", "mixed", "hard"]

#: Widths of what nobody has said, one standard deviation, relative: weight without pack, size, electronics, and
#: full throttle beyond what any estimate of it is unsure by [1].
ASSUMED_WEIGHT, ASSUMED_SIZE, ASSUMED_ELECTRONICS, ASSUMED_FULL = 0.15, 0.05, 0.40, 0.20
#: The same for a weight that a pilot gave from memory, and not from a scale [1].
SAID_WEIGHT = 0.04
#: A craft weighs at least this share of the whole without its pack [1].
_LEAST_DRY = 0.15


@dataclass(frozen=True)
class Kind:
    """A kind of starting craft: what is usual at its usual size, and how it goes with size.

    Attributes
    ----------
    size_m : tuple of float
        Least, usual and most: diameter of one propeller or the main rotor, or a wing's span [m].
    dry_kg, grows : float
        Without pack at the usual size [kg], and the power of size with which that grows [1].
    capacity_ah : float
        Of the usual pack at the usual size [Ah]; its energy grows like the weight.
    series : tuple of (float, int)
        Cells of the usual pack, by the size up to which [m].
    over_steady : float
        Full throttle in flight over steady power [1].
    electronics_w, camera_kg : tuple of float
        By what it carries, in the order of ``CARRIES``: [W], and what the cameras weigh beyond the usual [kg].
    efficiency : float or None
        Disc to battery, where such craft differ from what is usual for their size [1].
    aspect, lift, glide : float
        Span² over area, lift coefficient in cruise, and lift over drag, of a wing [1]; the last None: usual.
    patterns : dict of Manner to str
        Keys of the flying patterns that are meant by a manner of flying.
    """

    key: StartKey
    kind: CraftKind
    size_m: tuple[float, float, float]
    dry_kg: float
    grows: float
    chemistry: ChemistryKey
    capacity_ah: float
    series: tuple[tuple[float, int], ...]
    over_steady: float
    electronics_w: tuple[float, float, float]
    camera_kg: tuple[float, float, float]
    motor_resistance_ohm: float
    speed_m_s: float
    patterns: dict[Manner, str]
    rotors: int = 4
    efficiency: float | None = None
    aspect: float = 6.0
    lift: float = 0.5
    glide: float | None = None
    cooling: Cooling = "airflow"

    def is_wing(self) -> bool:
        """Whether its size is a span."""
        return self.kind in ("wing", "ducted fan")


_ANY = float("inf")
KINDS: Final[dict[StartKey, Kind]] = {
    k.key: k
    for k in (
        Kind(
            key="micro", kind="multirotor", size_m=(0.025, 0.031, 0.051), dry_kg=0.020, grows=2.0,
            chemistry="lihv", capacity_ah=0.30, series=((0.045, 1), (_ANY, 2)), over_steady=2.9,
            electronics_w=(0.4, 1.6, 4.0), camera_kg=(-0.003, 0.0, 0.008),
            motor_resistance_ohm=0.06, speed_m_s=3.0,
            patterns={"gentle": "gentle_hover", "mixed": "indoor_laps", "hard": "freestyle"},
        ),
        Kind(
            key="small_quad", kind="multirotor", size_m=(0.051, 0.076, 0.102), dry_kg=0.115, grows=2.0,
            chemistry="lipo", capacity_ah=0.65, series=((0.058, 3), (_ANY, 4)), over_steady=10.0,
            electronics_w=(0.8, 4.0, 7.0), camera_kg=(-0.008, 0.0, 0.030),
            motor_resistance_ohm=0.03, speed_m_s=13.0,
            patterns={"gentle": "cruise", "mixed": "freestyle", "hard": "race"},
        ),
        Kind(
            key="freestyle", kind="multirotor", size_m=(0.114, 0.130, 0.152), dry_kg=0.440, grows=2.0,
            chemistry="lipo", capacity_ah=1.3, series=((_ANY, 6),), over_steady=13.0,
            electronics_w=(1.5, 7.0, 9.0), camera_kg=(-0.020, 0.0, 0.080),
            motor_resistance_ohm=0.012, speed_m_s=20.0,
            patterns={"gentle": "cruise", "mixed": "freestyle", "hard": "race"},
        ),
        Kind(
            key="long_range", kind="multirotor", size_m=(0.152, 0.178, 0.229), dry_kg=0.620, grows=2.0,
            chemistry="lipo", capacity_ah=3.0, series=((_ANY, 6),), over_steady=7.0,
            electronics_w=(2.0, 8.0, 10.0), camera_kg=(-0.020, 0.0, 0.100),
            motor_resistance_ohm=0.02, speed_m_s=15.0,
            patterns={"gentle": "long_range", "mixed": "cruise", "hard": "freestyle"},
        ),
        Kind(
            key="lifter", kind="multirotor", size_m=(0.254, 0.381, 0.762), dry_kg=2.6, grows=2.0,
            chemistry="lipo", capacity_ah=10.0, series=((0.50, 6), (_ANY, 12)), over_steady=3.2,
            electronics_w=(4.0, 12.0, 20.0), camera_kg=(-0.05, 0.0, 0.500),
            motor_resistance_ohm=0.012, speed_m_s=10.0,
            patterns={"gentle": "long_range", "mixed": "gentle_hover", "hard": "camera_work"},
        ),
        Kind(
            key="plane", kind="wing", size_m=(0.50, 1.20, 2.40), dry_kg=0.90, grows=2.2,
            chemistry="lipo", capacity_ah=2.2, series=((0.75, 2), (1.6, 3), (_ANY, 6)), over_steady=6.0,
            electronics_w=(1.0, 5.0, 8.0), camera_kg=(0.0, 0.03, 0.10),
            motor_resistance_ohm=0.03, speed_m_s=14.0, aspect=6.0, lift=0.5, cooling="still air",
            patterns={"gentle": "long_range", "mixed": "cruise", "hard": "aerobatics"},
        ),
        Kind(
            key="flying_wing", kind="wing", size_m=(0.50, 0.90, 1.80), dry_kg=0.60, grows=2.2,
            chemistry="lipo", capacity_ah=2.6, series=((0.65, 3), (_ANY, 4)), over_steady=7.0,
            electronics_w=(1.0, 6.0, 8.0), camera_kg=(-0.03, 0.0, 0.10),
            motor_resistance_ohm=0.025, speed_m_s=19.0, aspect=4.0, lift=0.30, glide=5.5, cooling="still air",
            patterns={"gentle": "long_range", "mixed": "cruise", "hard": "aerobatics"},
        ),
        Kind(
            key="jet", kind="ducted fan", size_m=(0.55, 0.90, 1.50), dry_kg=0.90, grows=2.2,
            chemistry="lipo", capacity_ah=3.2, series=((0.70, 3), (1.0, 4), (_ANY, 6)), over_steady=2.6,
            electronics_w=(1.5, 5.0, 8.0), camera_kg=(0.0, 0.03, 0.10),
            motor_resistance_ohm=0.012, speed_m_s=28.0, aspect=4.5, lift=0.25, cooling="still air",
            patterns={"gentle": "cruise", "mixed": "aerobatics", "hard": "jet"},
        ),
        Kind(
            key="helicopter", kind="helicopter", size_m=(0.25, 0.97, 1.60), dry_kg=1.25, grows=2.2,
            chemistry="lipo", capacity_ah=3.0, series=((0.40, 2), (0.60, 3), (1.20, 6), (_ANY, 12)),
            over_steady=4.0, electronics_w=(4.0, 6.0, 8.0), camera_kg=(0.0, 0.03, 0.10),
            motor_resistance_ohm=0.012, speed_m_s=15.0, rotors=1, efficiency=0.20, cooling="still air",
            patterns={"gentle": "gentle_hover", "mixed": "heli_sport", "hard": "hard_3d"},
        ),
    )
}  # fmt: skip


def kind_like(craft: Craft, /) -> Kind:
    """The kind that a craft is most like: of what flies as it does, the nearest in weight."""
    alike = [kind for kind in KINDS.values() if kind.kind == craft.kind]
    return min(alike, key=lambda kind: abs(math.log(craft.dry_mass_kg / kind.dry_kg)))


def usual_pack(kind: Kind, /, *, size_m: float | None = None) -> Pack:
    """The pack that a craft of this size [m] usually flies."""
    size = kind.size_m[1] if size_m is None else size_m
    series = next(cells for most_m, cells in kind.series if size <= most_m)
    usual_series = next(cells for most_m, cells in kind.series if kind.size_m[1] <= most_m)
    energy = math.pow(size / kind.size_m[1], kind.grows) * kind.capacity_ah * usual_series
    capacity_ah = float(f"{min(max(energy / series, 0.05), 60.0):.2g}")
    plug, copper_mm2, length_m = usual_leads(chemistry=kind.chemistry, series=series, capacity_ah=capacity_ah)
    return Pack(
        name="Usual pack",
        chemistry=kind.chemistry,
        series=series,
        capacity_ah=capacity_ah,
        quality="micro" if series == 1 and capacity_ah < 1.0 else "ordinary",
        connector=plug,
        lead_area_mm2=copper_mm2,
        lead_length_m=length_m,
    )


def usual_dry_kg(kind: Kind, /, *, size_m: float, carries: Carries) -> float:
    """Weight without pack of a craft of this size [m] with what it carries [kg]."""
    larger = math.pow(size_m / kind.size_m[1], kind.grows)
    extra = kind.camera_kg[CARRIES.index(carries)]
    # A camera weighs the same on a large craft; on a small one there is a smaller one.
    return kind.dry_kg * larger + extra * min(larger, 1.0)


def usual_ready_kg(kind: Kind, /, *, size_m: float, carries: Carries, pack_kg: float) -> tuple[float, float, float]:
    """What a craft of this size [m] usually weighs with its pack: low, middle, high [kg], one sigma either way."""
    dry_kg = usual_dry_kg(kind, size_m=size_m, carries=carries)
    return (
        (1.0 - ASSUMED_WEIGHT) * dry_kg + pack_kg,
        dry_kg + pack_kg,
        (1.0 + ASSUMED_WEIGHT) * dry_kg + pack_kg,
    )


def _steady(kind: Kind, size_m: float) -> SteadyPower:
    if kind.is_wing():
        return WingGeometry(
            wing_area_m2=size_m * size_m / kind.aspect, lift_coefficient=kind.lift, lift_over_drag=kind.glide
        )
    return RotorGeometry(rotor_count=kind.rotors, rotor_diameter_m=size_m, efficiency=kind.efficiency)


def starting_craft(
    kind: Kind,
    /,
    *,
    name: str,
    pack_kg: float,
    pack: Pack,
    size_m: float | None = None,
    ready_kg: float | None = None,
    carries: Carries = "camera",
) -> Craft:
    """A craft of a kind, built for a pack, with everything that is not said assumed.

    Parameters
    ----------
    pack_kg : float
        Weight of the pack [kg].
    pack : Pack
        Its cells say at which voltage full throttle is estimated.
    size_m : float, optional
        Of one propeller or the rotor, or the span [m]; usual for the kind by default.
    ready_kg : float, optional
        With the pack, as its pilot said it [kg]; usual for the size by default.
    """
    size = kind.size_m[1] if size_m is None else size_m
    larger = size / kind.size_m[1]
    dry_kg, weight_sigma = usual_dry_kg(kind, size_m=size, carries=carries), ASSUMED_WEIGHT
    if ready_kg is not None:
        dry_kg, weight_sigma = max(ready_kg - pack_kg, _LEAST_DRY * ready_kg), SAID_WEIGHT
    volts = amid_flight_v(CHEMISTRIES[pack.chemistry], series=pack.series)
    return Craft(
        name=name,
        kind=kind.kind,
        dry_mass_kg=float(f"{dry_kg:.4g}"),
        # Small ones carry smaller cameras; large ones the same.
        avionics_w=round(kind.electronics_w[CARRIES.index(carries)] * min(larger, 1.0), 2),
        steady=_steady(kind, size),
        full_throttle=EstimatedFullThrottle(power_over_steady=kind.over_steady, voltage_v=round(volts, 2)),
        motor_resistance_ohm=kind.motor_resistance_ohm,
        # Larger ones of a kind fly faster: speed goes with the root of size where the wing loading goes with it.
        cruise_speed_m_s=round(kind.speed_m_s * math.sqrt(larger), 1),
        pack_cooling=kind.cooling,
        assumed=Assumed(
            weight=weight_sigma,
            size=ASSUMED_SIZE if size_m is None else 0.0,
            electronics=ASSUMED_ELECTRONICS,
            full_throttle=ASSUMED_FULL,
        ),
    )
