"""Changes a pilot may try on a sheet: a lighter craft, a warm pack, a finer propeller.

Each is a plain function from sheet to sheet, or ``None`` where it does not apply.  A sheet keeps the
names of those that are being tried; :func:`with_changes` makes the sheet that is flown.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from pydantic import ValidationError

from zesty_cell.core.asked.flying import STEP_S, Activity
from zesty_cell.core.asked.learned_factors import PackKind
from zesty_cell.core.asked.rebuilt import plain_pack
from zesty_cell.core.asked.sheet import ChangeKey, Sheet
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import ChemistryKey
from zesty_cell.core.parts.connectors import CONNECTORS
from zesty_cell.core.parts.craft import Craft, EstimatedSteady, PartsHover, RotorGeometry, SteadyPower, WingGeometry
from zesty_cell.core.parts.craft_load import efficiency_of, rotors_of
from zesty_cell.core.parts.on_sale import near_weight, next_size
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures

LIGHTER_KG, LIGHTER_SHARE = 0.050, 0.05
WARM_PACK_C = 28.0
BETTER_RESISTANCE = 0.7
LARGER_DIAMETER = 1.1
#: What a larger propeller turned slower gives a wing, where the disc is not what limits it [1].
WING_PROPELLER_GAIN = 0.04
LESS_AVIONICS = 0.7
#: Balanced propellers, straight motors, a quiet frame and calm gains, as a share of steady power [1].
WELL_TUNED = 0.97
LOWER_DOWN_M = 500.0
WARMER_AIR_K = 10.0
#: Chemistry to look at instead, at the same pack weight.
_OTHER: dict[ChemistryKey, ChemistryKey] = {
    "lipo": "liion_power",
    "lihv": "lipo",
    "liion_power": "lipo",
    "liion_energy": "liion_power",
    "lifepo4": "lipo",
    "nimh": "lifepo4",
}


@dataclass(frozen=True)
class Change:
    """One change.

    Attributes
    ----------
    key : ChangeKey
    apply : callable
        From a sheet to the changed sheet; None where it does not apply.
    title : callable
        What to do, of the sheet before the change.
    """

    key: ChangeKey
    apply: Callable[[Sheet], Sheet | None]
    title: Callable[[Sheet], Fact]

    @property
    def cost(self) -> Fact:
        """What it asks for besides what the figures show."""
        return fact(f"change.{self.key}.cost")


def _with_pack(sheet: Sheet, **change: object) -> Sheet:
    return sheet.model_copy(update={"pack": Pack.model_validate(plain_pack(sheet.pack).model_dump() | change)})


def _with_craft(sheet: Sheet, **change: object) -> Sheet:
    return sheet.model_copy(update={"craft": Craft.model_validate(sheet.craft.model_dump() | change)})


def lighter_by_kg(sheet: Sheet) -> float:
    """How much is taken off: 50 g, or a twentieth of a craft under a kilogram [kg], in round figures."""
    share_kg = LIGHTER_SHARE * (sheet.craft.dry_mass_kg + pack_figures(sheet.pack).mass_kg)
    if share_kg >= LIGHTER_KG:
        return LIGHTER_KG
    step = 0.010 if share_kg >= 0.02 else 0.001 if share_kg >= 0.002 else 0.0005
    return max(step, math.floor(share_kg / step) * step)


def _lighter(sheet: Sheet) -> Sheet | None:
    left_kg = sheet.craft.dry_mass_kg - lighter_by_kg(sheet)
    return _with_craft(sheet, dry_mass_kg=left_kg) if left_kg >= 0.003 else None


def _warm_pack(sheet: Sheet) -> Sheet | None:
    now_c = sheet.conditions.air_c if sheet.conditions.pack_c is None else sheet.conditions.pack_c
    if now_c > WARM_PACK_C - 3.0:
        return None
    return sheet.model_copy(update={"conditions": sheet.conditions.model_copy(update={"pack_c": WARM_PACK_C})})


def _gentler(sheet: Sheet) -> Sheet | None:
    """Half of each full-throttle burst flown steadily instead; without bursts, half of what is above steady."""
    activities = sheet.flying.activities
    if any(a.of == "full throttle" for a in activities):
        steady = sheet.flying.steady_activity()
        changed: list[Activity] = []
        for a in activities:
            half_s = round(0.5 * a.duration_s / STEP_S) * STEP_S
            if a.of == "full throttle" and 0.1 <= half_s < a.duration_s:
                changed.append(a.model_copy(update={"duration_s": round(a.duration_s - half_s, 1)}))
                changed.append(steady.model_copy(update={"duration_s": round(half_s, 1)}))
            else:
                changed.append(a)
    else:
        changed = [
            a.model_copy(update={"share": 1.0 + 0.5 * (a.share - 1.0)}) if a.share > 1.0 else a for a in activities
        ]
    if tuple(changed) == activities or len(changed) > 24:
        return None
    return sheet.model_copy(update={"flying": sheet.flying.model_copy(update={"activities": tuple(changed)})})


def better_plug(pack: Pack) -> str | None:
    """Key of the next plug class of half the resistance or less [Ω]; None for the best there is."""
    now_ohm = CONNECTORS[pack.connector].contact_ohm
    better = [
        c
        for c in CONNECTORS.values()
        if c.contact_ohm <= 0.65 * now_ohm
        and c.key.startswith("micro") is (pack.series == 1 and pack.connector == "micro_1s")
    ]
    return max(better, key=lambda c: c.contact_ohm).key if better else None


def _better_plug(sheet: Sheet) -> Sheet | None:
    key = better_plug(sheet.pack)
    if key is None:
        return None
    heavier_kg = CONNECTORS[key].mass_kg - CONNECTORS[sheet.pack.connector].mass_kg
    return _with_pack(sheet, connector=key, mass_kg=pack_figures(sheet.pack).mass_kg + max(heavier_kg, 0.0))


def _lower_resistance(sheet: Sheet) -> Sheet | None:
    ohm = pack_figures(sheet.pack).cell_resistance_ohm
    return _with_pack(sheet, cell_resistance_ohm=BETTER_RESISTANCE * ohm)


def _more_capacity(sheet: Sheet) -> Sheet | None:
    """The next size on sale; what is known of this pack goes on in proportion."""
    pack, figures = sheet.pack, pack_figures(sheet.pack)
    larger_ah, parallel = next_size(pack)
    more = larger_ah / pack.capacity_ah
    if figures.capacity_ah * more > 200.0 or parallel > 24:
        return None
    cells_kg = figures.cell_mass_kg * pack.cell_count
    return _with_pack(
        sheet,
        capacity_ah=figures.capacity_ah * more,
        parallel=parallel,
        # A larger cell resists less; more of the same in parallel are what they were.
        cell_resistance_ohm=figures.cell_resistance_ohm * (parallel / pack.parallel) / more,
        mass_kg=figures.mass_kg + (more - 1.0) * cells_kg,
        ratings=None,
        label_c=None,
    )


def _other_chemistry(sheet: Sheet) -> Sheet | None:
    """Another chemistry as it is sold, nearest in weight, in the cell count nearest to the same voltage."""
    pack, other = sheet.pack, chemistry_for(_OTHER[sheet.pack.chemistry])
    series = max(1, min(24, round(pack.series * chemistry_for(pack.chemistry).nominal_v / other.nominal_v)))
    figures = pack_figures(pack)
    cells_kg = figures.cell_mass_kg * pack.cell_count
    sold = near_weight(other.key, series=series, cells_kg=cells_kg)
    if sold is None:
        return None
    changed = Pack.model_validate(
        pack.model_dump()
        | {
            "chemistry": other.key,
            "series": series,
            "parallel": sold.parallel,
            "capacity_ah": sold.capacity_ah,
            "capacity_known": "maker",
            "mass_kg": figures.mass_kg + sold.cells_kg - cells_kg,
            "mass_known": "estimated",
            "cell_resistance_ohm": None,
            "quality": "good",
            "ratings": None,
            "label_c": None,
            "tests": {},
            "curve": None,
            "cell_size": None,
            "cell_mass_kg": None,
            "cell_name": None,
            "arrangement": "rows",
            "cycles": 0,
        }
    )
    landing = sheet.landing.model_copy(
        update={
            "rest_v": None if sheet.landing.rest_v is None else other.landing_rest_v,
            "loaded_v": None if sheet.landing.loaded_v is None else other.landing_loaded_v,
        }
    )
    return sheet.model_copy(update={"pack": changed, "landing": landing})


def _steady_times(sheet: Sheet, factor: float) -> Sheet:
    """Propulsive steady power times a factor [1], wherever it comes from; avionics are left alone."""
    source = sheet.craft.steady
    if isinstance(source, EstimatedSteady):
        mass_kg = sheet.craft.dry_mass_kg + pack_figures(sheet.pack).mass_kg
        efficiency = min(efficiency_of(sheet.craft, mass_kg=mass_kg) / factor, 0.8)
        shape: RotorGeometry | WingGeometry | PartsHover = source
        if isinstance(source, PartsHover) and sheet.craft.propulsion is not None:
            shape = rotors_of(sheet.craft.propulsion)
        changed: SteadyPower = shape.model_copy(update={"efficiency": efficiency})
    else:
        total_w = source.voltage_v * (
            source.current_a if source.source == "measured" else source.charge_ah * 3600.0 / source.duration_s
        )
        flying_w = max(total_w - sheet.craft.avionics_w, 0.1 * total_w)  # as steady_power_w() has it
        scale = (total_w - flying_w + factor * flying_w) / total_w
        what = "current_a" if source.source == "measured" else "charge_ah"
        changed = source.model_copy(update={what: getattr(source, what) * scale})
    return sheet.model_copy(update={"craft": sheet.craft.model_copy(update={"steady": changed})})


def _larger_propeller(sheet: Sheet) -> Sheet | None:
    """Ideal power goes with 1/√A: a tenth more diameter asks a tenth less (Leishman eq. 2.14).

    The pitch is taken to be chosen so that full throttle draws what it drew.
    """
    if sheet.craft.kind == "ducted fan":
        return None
    if sheet.craft.lifts_itself():
        return _steady_times(sheet, 1.0 / LARGER_DIAMETER)
    return _steady_times(sheet, 1.0 - WING_PROPELLER_GAIN)


def _less_avionics(sheet: Sheet) -> Sheet | None:
    if sheet.craft.avionics_w < 0.2:
        return None
    # Measured points hold the old electronics' power: what they were read with is taken off first.
    less_w = (1.0 - LESS_AVIONICS) * sheet.craft.avionics_w
    source = sheet.craft.steady
    changed = source
    if source.source == "measured":
        changed = source.model_copy(update={"current_a": max(source.current_a - less_w / source.voltage_v, 1e-3)})
    elif source.source == "charge":
        less_ah = less_w / source.voltage_v * source.duration_s / 3600.0
        changed = source.model_copy(update={"charge_ah": max(source.charge_ah - less_ah, 1e-4)})
    craft = sheet.craft.model_copy(update={"avionics_w": sheet.craft.avionics_w - less_w, "steady": changed})
    return sheet.model_copy(update={"craft": craft})


def _well_tuned(sheet: Sheet) -> Sheet | None:
    return _steady_times(sheet, WELL_TUNED)


def _lower_down(sheet: Sheet) -> Sheet | None:
    altitude_m = sheet.conditions.altitude_m - LOWER_DOWN_M
    if altitude_m < 0.0:
        return None
    return sheet.model_copy(update={"conditions": sheet.conditions.model_copy(update={"altitude_m": altitude_m})})


def _warmer_air(sheet: Sheet) -> Sheet | None:
    conditions = sheet.conditions
    if conditions.air_c > 35.0:
        return None
    update = {"air_c": conditions.air_c + WARMER_AIR_K}
    if conditions.pack_c is not None:
        update["pack_c"] = min(conditions.pack_c + WARMER_AIR_K, 55.0)
    return sheet.model_copy(update={"conditions": conditions.model_copy(update=update)})


#: Changes of the pack itself: they fall away where another pack is put in its place.
PACK_CHANGES: frozenset[ChangeKey] = frozenset(
    {"other_chemistry", "more_capacity", "lower_resistance", "better_plug"}
)


def _larger(sheet: Sheet) -> Fact:
    kind = sheet.craft.kind if sheet.craft.kind in ("multirotor", "helicopter") else "wing"
    if kind == "wing":
        return fact("change.larger_propeller.wing")
    return fact(f"change.larger_propeller.{kind}", larger_share=LARGER_DIAMETER - 1.0)


def _calmer(sheet: Sheet) -> Fact:
    bursts = any(a.of == "full throttle" for a in sheet.flying.activities)
    return fact("change.gentler.bursts" if bursts else "change.gentler.turns")


def _sold(sheet: Sheet) -> Fact:
    pack = sheet.pack
    return _size(pack, capacity_ah=pack.capacity_ah, parallel=pack.parallel)


def _size(pack: Pack, *, capacity_ah: float, parallel: int) -> Fact:
    chemistry = chemistry_for(pack.chemistry).short_name
    if parallel == 1:
        return fact("change.size", series=pack.series, capacity_ah=capacity_ah, chemistry=chemistry)
    return fact(
        "change.size.parallel", series=pack.series, parallel=parallel, capacity_ah=capacity_ah, chemistry=chemistry
    )


def next_size_on_sale(pack: Pack, /) -> Fact:
    """The next larger pack on sale, as it would stand on its label [Ah]."""
    capacity_ah, parallel = next_size(pack)
    return _size(pack, capacity_ah=capacity_ah, parallel=parallel)


#: Every change, in the order in which several are applied.
CHANGES: dict[ChangeKey, Change] = {
    c.key: c
    for c in (
        Change(
            "other_chemistry",
            _other_chemistry,
            lambda s: fact("change.other_chemistry", pack=_sold(_other_chemistry(s) or s)),
        ),
        Change(
            "more_capacity",
            _more_capacity,
            lambda s: fact("change.more_capacity", pack=next_size_on_sale(s.pack)),
        ),
        Change(
            "lower_resistance",
            _lower_resistance,
            lambda s: fact("change.lower_resistance", less_share=1.0 - BETTER_RESISTANCE),
        ),
        Change(
            "better_plug",
            _better_plug,
            lambda s: fact("change.better_plug", plug=CONNECTORS[better_plug(s.pack) or s.pack.connector].name),
        ),
        Change("lighter", _lighter, lambda s: fact("change.lighter", off_kg=lighter_by_kg(s))),
        Change("larger_propeller", _larger_propeller, _larger),
        Change("well_tuned", _well_tuned, lambda s: fact("change.well_tuned", less_share=1.0 - WELL_TUNED)),
        Change(
            "less_avionics",
            _less_avionics,
            lambda s: fact("change.less_avionics", less_w=(1.0 - LESS_AVIONICS) * s.craft.avionics_w),
        ),
        Change("gentler", _gentler, _calmer),
        Change(
            "warmer_air",
            _warmer_air,
            lambda s: fact("change.warmer_air", air_c=s.conditions.air_c + WARMER_AIR_K),
        ),
        Change("lower_down", _lower_down, lambda s: fact("change.lower_down", lower_m=LOWER_DOWN_M)),
        Change("warm_pack", _warm_pack, lambda s: fact("change.warm_pack", pack_c=WARM_PACK_C)),
    )
}


def changed(sheet: Sheet, *, key: ChangeKey) -> Sheet | None:
    """The sheet with one change; None where it does not apply, or leads out of what the model allows."""
    try:
        other = CHANGES[key].apply(sheet)
    except ValidationError:
        return None
    learned_factors = sheet.learned_factors
    if other is None or learned_factors is None or not learned_factors.knows(sheet.pack):
        return other
    if other.pack.chemistry != sheet.pack.chemistry:
        return other
    # The same pack, changed: what was learned of it goes on to hold.
    return other.model_copy(update={"by_log": learned_factors.model_copy(update={"kind": PackKind.of(other.pack)})})


def with_changes(sheet: Sheet) -> Sheet:
    """The sheet with what is being tried applied to it; what does not apply is passed over."""
    if not sheet.trying:
        return sheet
    flown = sheet.model_copy(update={"trying": ()})
    for key in CHANGES:
        if key in sheet.trying:
            flown = changed(flown, key=key) or flown
    return flown
