"""What may be typed: figures judged by what craft and pack already imply.

Impossible figures are refused at their field.  Improbable ones are asked back: they may be meant, and are then
taken.  The forms ask here; of flights and calibrations :mod:`zesty_cell.core.learn.plausibility` asks.  The limits
are rules of thumb of ours, wide enough for anything that flies; each has its reason beside it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.parts.air import STANDARD_GRAVITY_M_S2
from zesty_cell.core.parts.chemistry import Chemistry
from zesty_cell.core.parts.craft import Craft, MeasuredCharge, MeasuredFullThrottle, MeasuredPoint, RotorGeometry
from zesty_cell.core.parts.craft_load import disc_area_m2
from zesty_cell.core.parts.measured import measured_capacity_ah
from zesty_cell.core.parts.pack import Pack, cells_of

#: Weight over disc area of what hovers [N/m²]: large slow rotors to small fast ones, with room.
DISC_LOADING = (8.0, 450.0)
#: Electrical power in steady flight over all-up weight [W/kg]: gliders to ducted fans and indoor micros.
STEADY_W_KG = (8.0, 1200.0)
#: Pack energy over its weight [Wh/kg], improbable and impossible: nickel to the best lithium-ion, with room.
PACK_WH_KG, PACK_WH_KG_NEVER = (35.0, 320.0), (8.0, 600.0)
#: Resistance of a cell times its capacity [mΩ·Ah], improbable and impossible.
OHM_AH, OHM_AH_NEVER = (1.8, 320.0), (0.5, 800.0)
#: Label's C beyond which it is asked back [1/h].
MOST_C = 250.0
#: A label over the capacity that was measured [1].
LABEL_OVER_MEASURED = 1.5
#: Two voltages of one craft belong to one cell count where they are this near [1].
SAME_CELLS = 1.45
#: What a cell may read over full and still be a cell of that chemistry [V].
OVER_FULL_V = 0.03


@dataclass(frozen=True)
class Doubt:
    """A figure that cannot be, or hardly can.

    Attributes
    ----------
    key : str
        Stable name; a pilot who says “it is so” sends it back.
    field : str
        Dotted path of the field it stands beside.
    impossible : bool
        Refused; else asked back.
    why : Fact
        What is doubted, and what may have been meant.
    """

    key: str
    field: str
    impossible: bool
    why: Fact


def _outside(value: float, bounds: tuple[float, float]) -> bool:
    return not bounds[0] <= value <= bounds[1]


def craft_doubts(craft: Craft, /) -> tuple[Doubt, ...]:
    """What of a craft cannot be or hardly can [kg, A, V, W/kg, N/m²]."""
    found: list[Doubt] = []
    steady, full = craft.steady, craft.full_throttle
    steady_w: float | None = None
    if isinstance(steady, MeasuredPoint | MeasuredCharge):
        at = f"steady.{steady.source}"
        mass_kg = steady.all_up_mass_kg
        if mass_kg <= craft.dry_mass_kg:
            found.append(Doubt(
                "weight_under_dry", f"{at}.all_up_mass_kg", True,
                fact("doubt.weight_under_dry", dry_mass_kg=craft.dry_mass_kg),
            ))  # fmt: skip
        if isinstance(steady, MeasuredPoint):
            amps, place = steady.current_a, f"{at}.current_a"
        else:
            amps, place = steady.charge_ah * 3600.0 / steady.duration_s, f"{at}.charge_ah"
        steady_w = amps * steady.voltage_v
        if _outside(steady_w / mass_kg, STEADY_W_KG):
            low = steady_w / mass_kg < STEADY_W_KG[0]
            hint = fact("doubt.hint.whole_craft" if low else "doubt.hint.amps")
            found.append(Doubt(
                "steady_power", place, False,
                fact(
                    "doubt.steady_power",
                    amps=amps, volts=steady.voltage_v, w_per_kg=steady_w / mass_kg, hint=hint,
                ),
            ))  # fmt: skip
        if _outside(steady.voltage_v / full.voltage_v, (1 / SAME_CELLS, SAME_CELLS)):
            found.append(Doubt(
                "other_cells", f"full_throttle.{full.source}.voltage_v", False,
                fact("doubt.other_cells", volts=full.voltage_v, steady_volts=steady.voltage_v),
            ))  # fmt: skip
        maximum_v = craft.limits.maximum_v
        if maximum_v is not None and steady.voltage_v > maximum_v:
            found.append(Doubt(
                "over_maximum", "limits.maximum_v", True,
                fact("doubt.over_maximum", volts=steady.voltage_v),
            ))  # fmt: skip
    if isinstance(steady, RotorGeometry):
        found += _rotor_doubts(craft, steady)
    if isinstance(full, MeasuredFullThrottle) and steady_w is not None:
        found += _full_throttle_doubts(craft, full, steady_w)
    return tuple(found)


def _rotor_doubts(craft: Craft, steady: RotorGeometry) -> list[Doubt]:
    found: list[Doubt] = []
    mass_kg = 1.4 * craft.dry_mass_kg
    loading = mass_kg * STANDARD_GRAVITY_M_S2 / disc_area_m2(steady)
    if _outside(loading, DISC_LOADING):
        size_m = steady.rotor_diameter_m
        hint = (
            fact("doubt.hint.inches", inches=100.0 * size_m, size_cm=254.0 * size_m) if loading > DISC_LOADING[1]
            else fact("doubt.hint.centimetres", size_cm=10.0 * size_m)
        )  # fmt: skip
        found.append(Doubt(
            "rotor_size", "steady.rotor.rotor_diameter_m", False,
            fact("doubt.rotor_size", rotors=steady.rotor_count, size_m=size_m, mass_kg=mass_kg, hint=hint),
        ))  # fmt: skip
    return found


def _full_throttle_doubts(craft: Craft, full: MeasuredFullThrottle, steady_w: float) -> list[Doubt]:
    found: list[Doubt] = []
    ratio = full.current_a * full.voltage_v / steady_w
    place, count = "full_throttle.measured.current_a", craft.limits.motor_count
    if ratio <= 1.0:
        found.append(Doubt(
            "full_under_steady", place, True,
            fact("doubt.full_under_steady", steady_w=steady_w, full_w=full.current_a * full.voltage_v),
        ))  # fmt: skip
    elif craft.lifts_itself() and ratio < 1.9:
        each_a = full.current_a if count > 1 else None
        found.append(Doubt(
            "full_too_low", place, False,
            (
                fact("doubt.full_too_low", thrust=ratio ** (2 / 3))
                if each_a is None
                else fact(
                    "doubt.full_too_low.one_motor", thrust=ratio ** (2 / 3), motors=count, all_a=count * each_a
                )
            ),
        ))  # fmt: skip
    elif ratio > 45.0:
        found.append(Doubt(
            "full_too_high", place, False,
            fact("doubt.full_too_high", times=ratio),
        ))  # fmt: skip
    return found


def pack_doubts(pack: Pack, /) -> tuple[Doubt, ...]:
    """What of a pack cannot be or hardly can [Wh/kg, mΩ·Ah, 1/h]."""
    found: list[Doubt] = []
    chemistry = cells_of(pack)
    if pack.mass_kg is not None:
        density = pack.capacity_ah * chemistry.nominal_v * pack.series / pack.mass_kg
        if _outside(density, PACK_WH_KG):
            found.append(Doubt(
                "energy_density", "mass_kg", _outside(density, PACK_WH_KG_NEVER),
                fact(
                    "doubt.energy_density",
                    capacity_ah=pack.capacity_ah, series=pack.series, mass_kg=pack.mass_kg, wh_per_kg=density,
                ),
            ))  # fmt: skip
    if pack.cell_resistance_ohm is not None:
        product = 1000.0 * pack.cell_resistance_ohm * pack.capacity_ah / pack.parallel
        if _outside(product, OHM_AH):
            usual = chemistry.resistance_capacity_ohm_ah["ordinary"] / (pack.capacity_ah / pack.parallel)
            found.append(Doubt(
                "resistance", "cell_resistance_ohm", _outside(product, OHM_AH_NEVER),
                fact("doubt.resistance", ohm=pack.cell_resistance_ohm, usual_ohm=usual),
            ))  # fmt: skip
    if pack.parallel_harness and pack.parallel == 1:
        found.append(Doubt(
            "harness", "parallel", True,
            fact("doubt.harness"),
        ))  # fmt: skip
    if pack.label_c is not None and pack.label_c > MOST_C:
        found.append(Doubt(
            "label_c", "label_c", False, fact("doubt.label_c", claimed=pack.label_c)
        ))  # fmt: skip
    continuous_a = 0.0 if pack.ratings is None else pack.ratings.continuous_a
    if continuous_a > MOST_C * pack.capacity_ah:
        found.append(Doubt(
            "rating", "ratings.continuous_a", False,
            fact("doubt.rating", amps=continuous_a, times=continuous_a / pack.capacity_ah),
        ))  # fmt: skip
    if pack.tests.capacity is not None:
        true_ah = measured_capacity_ah(test=pack.tests.capacity, chemistry=chemistry)
        if pack.capacity_ah > LABEL_OVER_MEASURED * true_ah or true_ah > LABEL_OVER_MEASURED * pack.capacity_ah:
            found.append(Doubt(
                "label_over_measured", "tests.capacity.charge_ah", False,
                fact("doubt.label_over_measured", capacity_ah=pack.capacity_ah, true_ah=true_ah),
            ))  # fmt: skip
    return tuple(found)


def landing_volts_doubt(volts: float, /, *, chemistry: Chemistry, field: str) -> Doubt | None:
    """A landing voltage that cells of a chemistry are spoilt at, or do not have when full [V a cell]."""
    if volts < chemistry.hard_floor_v:
        why = fact("doubt.landing_volts.under", floor_v=chemistry.hard_floor_v, chemistry=chemistry.short_name)
    elif volts > chemistry.full_v:
        why = fact("doubt.landing_volts.over", volts=volts, chemistry=chemistry.short_name, full_v=chemistry.full_v)
    else:
        return None
    return Doubt("landing_volts", field, True, why)


def landing_doubts(sheet: Sheet, /) -> tuple[Doubt, ...]:
    """What of a sheet's landing voltages cannot be with its cells [V a cell]."""
    rule, chemistry = sheet.landing, cells_of(sheet.pack)
    asked = [
        landing_volts_doubt(volts, chemistry=chemistry, field=f"landing.{name}")
        for name, volts in (("rest_v", rule.rest_v), ("loaded_v", rule.loaded_v))
        if volts is not None
    ]
    return tuple(doubt for doubt in asked if doubt is not None)


def sheet_doubts(sheet: Sheet, /) -> tuple[Doubt, ...]:
    """What of a whole sheet cannot be or hardly can: craft, pack and landing; fields are its paths."""
    return (
        *(replace(d, field=f"craft.{d.field}") for d in craft_doubts(sheet.craft)),
        *(replace(d, field=f"pack.{d.field}") for d in pack_doubts(sheet.pack)),
        *landing_doubts(sheet),
    )


def cell_volts_doubt(volts: float, /, *, pack: Pack, field: str) -> Doubt | None:
    """A voltage of a cell that no cell of a pack has [V]; says so where it is the pack's."""
    chemistry, series = cells_of(pack), pack.series
    low_v, high_v = 0.8 * chemistry.hard_floor_v, chemistry.full_v + OVER_FULL_V
    if low_v <= volts <= high_v:
        return None
    if series > 1 and low_v <= volts / series <= high_v:
        return Doubt(
            "pack_volts", field, True,
            fact("doubt.pack_volts", volts=volts, cell_v=volts / series),
        )  # fmt: skip
    if series > 1 and low_v <= volts * series <= high_v:
        return Doubt(
            "cell_volts", field, True, fact("doubt.cell_volts", volts=volts * series, pack=pack.name, series=series)
        )  # fmt: skip
    why = (
        fact("doubt.no_such_cell.under", volts_v=volts, pack=pack.name)
        if volts < low_v
        else fact("doubt.no_such_cell.over", volts_v=volts, full_v=chemistry.full_v)
    )
    return Doubt("no_such_cell", field, True, why)


def pack_volts_doubt(volts: float, /, *, pack: Pack, field: str) -> Doubt | None:
    """A voltage of a pack that this one does not have [V]; says so where it is one cell's."""
    chemistry, series = cells_of(pack), pack.series
    low_v, high_v = 0.8 * chemistry.hard_floor_v, chemistry.full_v + OVER_FULL_V
    if low_v * series <= volts <= high_v * series:
        return None
    if series > 1 and low_v <= volts <= high_v:
        why = fact("doubt.not_this_pack.one_cell", volts=volts, pack_v=volts * series)
    elif volts > high_v * series:
        why = fact("doubt.not_this_pack.over", volts=volts, full_v=chemistry.full_v * series, pack=pack.name)
    else:
        why = fact("doubt.not_this_pack.under", volts=volts, pack=pack.name, series=series)
    return Doubt("not_this_pack", field, True, why)
