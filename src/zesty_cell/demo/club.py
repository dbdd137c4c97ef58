"""Crafts, packs and sheets of the Saltmarsh flyers.  All of it is invented; birds fly, citrus powers."""

from __future__ import annotations

from sqlalchemy.orm import Session

from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Conditions, Sheet
from zesty_cell.core.parts.cell import CellModel, CellSize, Ratings
from zesty_cell.core.parts.craft import (
    Craft,
    EstimatedFullThrottle,
    Limits,
    MeasuredCharge,
    MeasuredFullThrottle,
    MeasuredPoint,
    WingGeometry,
)
from zesty_cell.core.parts.ownership import Keeping
from zesty_cell.core.parts.pack import Pack
from zesty_cell.store import sheets
from zesty_cell.store.hangar import CELLS, CRAFTS, PACKS

CRAFT_LIST = (
    Craft(
        name="Heron",
        kind="multirotor",
        description="7-inch quad",
        dry_mass_kg=0.618,
        avionics_w=7.0,
        steady=MeasuredPoint(
            current_a=8.9, voltage_v=21.3, all_up_mass_kg=1.063, read_by="meter", air_c=16.0, altitude_m=0.0
        ),
        full_throttle=MeasuredFullThrottle(current_a=72.0, voltage_v=21.0, where="flight"),
        motor_resistance_ohm=0.02,
        cruise_speed_m_s=14.0,
        shows=("volts", "charge"),
        limits=Limits(
            motor_count=4, motor_a=30.0, esc_a=40.0, esc_burst_a=50.0, esc_cutoff_v_per_cell=3.0, maximum_v=26.0
        ),
    ),
    Craft(
        name="Swift",
        kind="multirotor",
        description="5-inch freestyle quad",
        dry_mass_kg=0.43,
        avionics_w=6.0,
        steady=MeasuredPoint(current_a=5.4, voltage_v=23.2, all_up_mass_kg=0.645, air_c=14.0),
        full_throttle=MeasuredFullThrottle(current_a=136.0, voltage_v=20.3, where="bench", read_by="meter"),
        motor_resistance_ohm=0.012,
        cruise_speed_m_s=20.0,
        shows=("volts", "charge"),
        limits=Limits(
            motor_count=4, motor_a=40.0, esc_a=50.0, esc_burst_a=60.0, esc_cutoff_v_per_cell=3.0, maximum_v=26.0
        ),
    ),
    Craft(
        name="Wren",
        kind="multirotor",
        description="65 mm indoor micro",
        dry_mass_kg=0.0205,
        avionics_w=1.6,
        steady=MeasuredCharge(charge_ah=0.19, duration_s=250.0, voltage_v=3.72, all_up_mass_kg=0.0284),
        full_throttle=EstimatedFullThrottle(power_over_steady=2.9, voltage_v=3.5),
        motor_resistance_ohm=0.06,
        cruise_speed_m_s=3.0,
        shows=("volts", "charge"),
        limits=Limits(
            motor_count=4,
            esc_a=3.0,
            esc_burst_a=4.0,
            maximum_v=4.4,
            weight_class_name="indoor evening, 40 g",
            weight_class_kg=0.04,
        ),
    ),
    Craft(
        name="Plover",
        kind="wing",
        description="1.4 m cruising wing",
        dry_mass_kg=0.98,
        avionics_w=6.0,
        steady=MeasuredPoint(current_a=5.6, voltage_v=14.4, all_up_mass_kg=1.4, air_c=18.0),
        full_throttle=MeasuredFullThrottle(current_a=34.0, voltage_v=13.1, where="bench", read_by="meter"),
        motor_resistance_ohm=0.025,
        cruise_speed_m_s=15.0,
        pack_cooling="enclosed",
        shows=("volts", "charge", "cells"),
        limits=Limits(motor_a=35.0, esc_a=40.0, esc_burst_a=50.0, esc_cutoff_v_per_cell=2.8, maximum_v=17.0),
    ),
    Craft(
        name="Tern",
        kind="wing",
        description="aerobatic plane under 250 g",
        dry_mass_kg=0.196,
        avionics_w=0.8,
        steady=WingGeometry(wing_area_m2=0.085, lift_coefficient=0.4, lift_over_drag=6.0, efficiency=0.42),
        full_throttle=MeasuredFullThrottle(current_a=11.4, voltage_v=7.0, where="bench", read_by="meter"),
        motor_resistance_ohm=0.05,
        cruise_speed_m_s=10.0,
        limits=Limits(
            motor_a=12.0,
            esc_a=15.0,
            esc_cutoff_v_per_cell=3.0,
            weight_class_name="under 250 g",
            weight_class_kg=0.25,
        ),
    ),
    Craft(
        name="Skua",
        kind="ducted fan",
        description="70 mm ducted-fan jet",
        dry_mass_kg=1.16,
        avionics_w=2.0,
        steady=MeasuredPoint(current_a=22.0, voltage_v=22.4, all_up_mass_kg=1.67),
        full_throttle=MeasuredFullThrottle(current_a=70.0, voltage_v=20.6, where="bench", read_by="meter"),
        motor_resistance_ohm=0.012,
        cruise_speed_m_s=27.0,
        pack_cooling="still air",
        shows=("volts", "charge"),
        limits=Limits(motor_a=85.0, esc_a=100.0, esc_burst_a=120.0, esc_cutoff_v_per_cell=3.2, maximum_v=25.5),
    ),
    Craft(
        name="Kestrel",
        kind="helicopter",
        description="helicopter, 70 cm rotor",
        dry_mass_kg=0.74,
        avionics_w=4.0,
        steady=MeasuredPoint(current_a=11.5, voltage_v=15.1, all_up_mass_kg=1.08, read_by="meter", air_c=15.0),
        full_throttle=MeasuredFullThrottle(current_a=52.0, voltage_v=14.2, where="flight", read_by="meter"),
        motor_resistance_ohm=0.015,
        pack_cooling="still air",
        shows=("volts",),
        limits=Limits(motor_a=75.0, esc_a=80.0, esc_cutoff_v_per_cell=3.0, maximum_v=17.0),
    ),
)


def _individuals(pack: Pack, *variations: dict[str, object]) -> tuple[Pack, ...]:
    """Several of a type, numbered, each with its own history."""
    return tuple(
        Pack.model_validate(pack.model_dump() | {"name": f"{pack.name} {k}"} | variation)
        for k, variation in enumerate(variations, start=1)
    )


CELL_LIST = (
    CellModel(
        name="Pip 21-70",
        chemistry="liion_power",
        size=CellSize(form="round", length_m=0.0702, width_m=0.0213),
        capacity_ah=4.2,
        mass_kg=0.0695,
        resistance_ohm=0.0125,
        resistance_known="measured",
        ratings=Ratings(continuous_a=35.0, one_minute_a=45.0, ten_second_a=60.0),
    ),
    CellModel(
        name="Zest 18-65",
        chemistry="liion_energy",
        size=CellSize(form="round", length_m=0.0651, width_m=0.0184),
        capacity_ah=3.4,
        mass_kg=0.0475,
        resistance_ohm=0.034,
        ratings=Ratings(continuous_a=10.0, one_minute_a=12.0, ten_second_a=16.0),
    ),
    CellModel(
        name="Seed 18-65",
        chemistry="liion_power",
        size=CellSize(form="round", length_m=0.0651, width_m=0.0184),
        capacity_ah=2.6,
        mass_kg=0.0465,
        resistance_ohm=0.018,
        ratings=Ratings(continuous_a=25.0, one_minute_a=30.0, ten_second_a=38.0),
    ),
    CellModel(
        name="Rind 21-70",
        chemistry="liion_energy",
        size=CellSize(form="round", length_m=0.0702, width_m=0.0213),
        capacity_ah=5.0,
        mass_kg=0.0690,
        resistance_ohm=0.023,
        ratings=Ratings(continuous_a=15.0, one_minute_a=18.0, ten_second_a=25.0),
    ),
    CellModel(
        name="Leaf slice 1300",
        chemistry="lipo",
        size=CellSize(form="pouch", length_m=0.069, width_m=0.034, thickness_m=0.0068),
        capacity_ah=1.3,
        mass_kg=0.0295,
        quality="good",
    ),
    CellModel(
        name="Pith 26-65",
        chemistry="lifepo4",
        size=CellSize(form="round", length_m=0.0655, width_m=0.026),
        capacity_ah=2.5,
        mass_kg=0.076,
        resistance_ohm=0.0095,
        ratings=Ratings(continuous_a=50.0, one_minute_a=70.0, ten_second_a=100.0),
    ),
    CellModel(
        name="Blossom 18-65, no data yet",
        chemistry="liion_power",
        size=CellSize(form="round", length_m=0.0651, width_m=0.0184),
    ),
)
_PIP, _ZEST = CELL_LIST[0], CELL_LIST[1]

PACK_LIST = (
    *_individuals(
        Pack(
            name="Kumquat",
            chemistry="lihv",
            series=1,
            capacity_ah=0.3,
            label_c=30.0,
            mass_kg=0.0079,
            quality="micro",
            connector="micro_1s_low",
            lead_length_m=0.03,
            lead_area_mm2=0.3,
        ),
        {"cell_resistance_ohm": 0.061, "cycles": 40},
        {"cell_resistance_ohm": 0.064, "cycles": 44},
        {"cell_resistance_ohm": 0.104, "cycles": 210, "capacity_ah": 0.262, "capacity_known": "measured"},
    ),
    *_individuals(
        Pack(
            name="Yuzu",
            chemistry="lipo",
            series=2,
            capacity_ah=0.45,
            label_c=75.0,
            mass_kg=0.031,
            connector="small_15a",
            lead_length_m=0.05,
            lead_area_mm2=0.8,
        ),
        {"cycles": 22},
        {"cycles": 30},
    ),
    *_individuals(
        Pack(
            name="Satsuma",
            chemistry="lipo",
            series=6,
            capacity_ah=1.3,
            label_c=120.0,
            mass_kg=0.214,
            quality="good",
            connector="large_60a",
            lead_length_m=0.07,
            lead_area_mm2=3.3,
        ),
        {"cell_resistance_ohm": 0.0056, "cycles": 35},
        {"cell_resistance_ohm": 0.0060, "cycles": 52},
        {"cell_resistance_ohm": 0.0059, "cycles": 48},
    ),
    *_individuals(
        Pack(
            name="Tangelo",
            chemistry="lipo",
            series=4,
            capacity_ah=2.2,
            label_c=45.0,
            mass_kg=0.236,
            connector="large_60a",
            lead_length_m=0.10,
            lead_area_mm2=3.3,
        ),
        {"cycles": 60},
        {"cycles": 75},
    ),
    *_individuals(
        Pack(
            name="Pomelo",
            chemistry="liion_power",
            series=6,
            capacity_ah=4.2,
            mass_kg=0.445,
            cell_resistance_ohm=0.0125,
            cell_name=_PIP.name,
            cell_size=_PIP.size,
            cell_mass_kg=_PIP.mass_kg,
            arrangement="two layers",
            ratings=Ratings(continuous_a=35.0, one_minute_a=45.0, ten_second_a=60.0),
            connector="large_60a",
            lead_length_m=0.12,
            lead_area_mm2=3.3,
        ),
        {"cycles": 31},
        {"cycles": 12, "cell_resistance_ohm": 0.0122},
    ),
    Pack(
        name="Double Pomelo",
        chemistry="liion_power",
        series=6,
        parallel=2,
        capacity_ah=8.4,
        mass_kg=0.88,
        cell_resistance_ohm=0.0125,
        cell_name=_PIP.name,
        cell_size=_PIP.size,
        cell_mass_kg=_PIP.mass_kg,
        ratings=Ratings(continuous_a=70.0, one_minute_a=90.0, ten_second_a=120.0),
        connector="large_60a",
        lead_length_m=0.12,
        lead_area_mm2=3.3,
        cycles=9,
    ),
    Pack(
        name="Bergamot",
        chemistry="liion_energy",
        series=4,
        parallel=2,
        capacity_ah=6.8,
        mass_kg=0.415,
        cell_resistance_ohm=0.034,
        cell_name=_ZEST.name,
        cell_size=_ZEST.size,
        cell_mass_kg=_ZEST.mass_kg,
        ratings=Ratings(continuous_a=20.0, one_minute_a=24.0, ten_second_a=32.0),
        connector="large_60a",
        lead_length_m=0.15,
        lead_area_mm2=2.1,
        cycles=18,
    ),
    *_individuals(
        Pack(
            name="Clementine",
            chemistry="lipo",
            series=4,
            capacity_ah=1.55,
            label_c=100.0,
            mass_kg=0.182,
            quality="good",
            connector="large_60a",
            lead_length_m=0.08,
            lead_area_mm2=3.3,
        ),
        {"cycles": 26},
        {"cycles": 26},
    ),
    Pack(
        name="Clementine pair",
        chemistry="lipo",
        series=4,
        parallel=2,
        capacity_ah=3.1,
        label_c=100.0,
        mass_kg=0.376,
        parallel_harness=True,
        quality="good",
        connector="large_60a",
        lead_length_m=0.14,
        lead_area_mm2=3.3,
        cycles=26,
    ),
    *_individuals(
        Pack(
            name="Lime",
            chemistry="lipo",
            series=6,
            capacity_ah=3.3,
            label_c=60.0,
            mass_kg=0.512,
            connector="heavy_90a",
            lead_length_m=0.12,
            lead_area_mm2=5.3,
        ),
        {"cycles": 20, "cell_resistance_ohm": 0.0034},
    ),
)

#: Where a pack stands, by its name: flights, last rest voltage per cell, and whose it is.
_KEEPING: dict[str, Keeping] = {
    "Kumquat 1": Keeping(flights=40, rest_v_per_cell=4.33),
    "Kumquat 2": Keeping(flights=44, rest_v_per_cell=3.79),
    "Kumquat 3": Keeping(flights=210, rest_v_per_cell=3.71),
    "Yuzu 1": Keeping(flights=22, rest_v_per_cell=4.18),
    "Yuzu 2": Keeping(flights=30, rest_v_per_cell=3.83),
    "Satsuma 1": Keeping(flights=35, rest_v_per_cell=4.19),
    "Satsuma 2": Keeping(flights=52, rest_v_per_cell=4.19),
    "Satsuma 3": Keeping(flights=48, rest_v_per_cell=3.74, standing="lent", lent_to="the youth group"),
    "Tangelo 1": Keeping(flights=60, rest_v_per_cell=3.82),
    "Tangelo 2": Keeping(flights=75, rest_v_per_cell=3.81),
    "Pomelo 1": Keeping(flights=31, rest_v_per_cell=4.17),
    "Pomelo 2": Keeping(flights=12, rest_v_per_cell=3.52),
    "Double Pomelo": Keeping(flights=9, rest_v_per_cell=3.66),
    "Bergamot": Keeping(flights=18, rest_v_per_cell=4.15),
    "Clementine 1": Keeping(flights=26, rest_v_per_cell=3.84),
    "Clementine 2": Keeping(flights=26, rest_v_per_cell=3.84),
    "Clementine pair": Keeping(flights=26, rest_v_per_cell=4.19),
    "Lime 1": Keeping(flights=20, rest_v_per_cell=4.18),
}

#: Sheets as (name, craft, pack, pattern, conditions, landing rule).
SHEET_LIST: tuple[tuple[str, str, str, str, Conditions, LandingRule], ...] = (
    ("Skua on Lime, jet day", "Skua", "Lime 1", "jet", Conditions(air_c=21), LandingRule(home_s=30)),
    (
        "Kestrel on Clementine pair",
        "Kestrel",
        "Clementine pair",
        "heli_sport",
        Conditions(air_c=17),
        LandingRule(home_s=20),
    ),
    (
        "Tern on Yuzu, Sunday aerobatics",
        "Tern",
        "Yuzu 1",
        "aerobatics",
        Conditions(air_c=18),
        LandingRule(home_s=20, loaded_v=3.4, loaded_hold_s=3),
    ),
    (
        "Plover on Bergamot, along the dyke",
        "Plover",
        "Bergamot",
        "long_range",
        Conditions(air_c=9),
        LandingRule(charge_kept=0.25, home_s=180, headwind_m_s=4),
    ),
    (
        "Wren on Kumquat, clubhouse",
        "Wren",
        "Kumquat 1",
        "gentle_hover",
        Conditions(air_c=19),
        LandingRule(charge_kept=0.2, home_s=10),
    ),
    (
        "Heron on Satsuma, frosty morning",
        "Heron",
        "Satsuma 1",
        "cruise",
        Conditions(air_c=1, pack_c=4),
        LandingRule(home_s=45),
    ),
    (
        "Swift on Satsuma, harbour wall",
        "Swift",
        "Satsuma 2",
        "freestyle",
        Conditions(air_c=16),
        LandingRule(home_s=15),
    ),
    (
        "Heron on Pomelo, lighthouse run",
        "Heron",
        "Pomelo 1",
        "cruise",
        Conditions(air_c=12),
        LandingRule(home_s=90),
    ),
)


def load_club(session: Session) -> int:
    """Put the club into an empty database; does nothing in one that holds anything.

    Returns
    -------
    int
        Number of sheets added.
    """
    if CRAFTS.all(session) or PACKS.all(session) or sheets.all_sheets(session):
        return 0
    crafts = {craft.name: (craft, CRAFTS.add(session, craft)) for craft in CRAFT_LIST}
    cells = {cell.name: CELLS.add(session, cell) for cell in CELL_LIST}
    packs = {}
    for pack in PACK_LIST:
        cell_id = cells[pack.cell_name].id if pack.cell_name in cells else None
        packs[pack.name] = pack, PACKS.add(session, pack, keeping=_KEEPING[pack.name], cell_id=cell_id)
    for name, craft_name, pack_name, pattern, conditions, landing in SHEET_LIST:
        craft, craft_row = crafts[craft_name]
        pack, pack_row = packs[pack_name]
        sheet = Sheet(
            name=name, craft=craft, pack=pack, flying=PATTERNS[pattern], conditions=conditions, landing=landing
        )
        sheets.add(session, sheet, craft_id=craft_row.id, pack_id=pack_row.id)
    return len(SHEET_LIST)
