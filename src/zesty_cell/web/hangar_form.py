"""Forms of crafts and packs: which fields, and how they become the core's models."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from zesty_cell.core.chemistries import CHEMISTRIES
from zesty_cell.core.craft import Craft
from zesty_cell.core.pack import CONNECTORS, Pack
from zesty_cell.web.forms import Field, FormState, build, get, read_fields, texts_of
from zesty_cell.web.units import (
    AREA,
    CAPACITY,
    COUNT,
    CURRENT,
    DURATION,
    LENGTH,
    MASS,
    MILLIOHM,
    POWER,
    RATE,
    RATIO,
    SHARE,
    SPEED,
    VOLTAGE,
    WIRE,
    System,
)


@dataclass(frozen=True)
class Choice:
    """A choice between several sets of fields, such as where steady power comes from."""

    path: str
    legend: str
    why: str
    options: tuple[tuple[str, str, tuple[Field, ...]], ...]


@dataclass(frozen=True)
class Section:
    """A titled group of fields, or a choice."""

    title: str
    fields: tuple[Field, ...] = ()
    choice: Choice | None = None
    note: str = ""


def _pairs(*keys: str) -> tuple[tuple[str, str], ...]:
    return tuple((k, k) for k in keys)


_WEIGHT_THEN = "All-up weight then"
STEADY = Choice(
    "steady.source",
    "Where does its steady power come from?",
    "One measured point beats any estimate: the range on the sheet narrows to a third.",
    (
        (
            "measured",
            "Current read in hover or cruise",
            (
                Field("steady.measured.current_a", "Current", CURRENT, required=True),
                Field("steady.measured.voltage_v", "Pack voltage then", VOLTAGE, required=True),
                Field("steady.measured.all_up_mass_kg", _WEIGHT_THEN, MASS, required=True),
            ),
        ),
        (
            "charge",
            "Charge put back after a steady flight",
            (
                Field("steady.charge.charge_ah", "Charge put back", CAPACITY, required=True),
                Field("steady.charge.duration_s", "Flight time", DURATION, required=True),
                Field("steady.charge.voltage_v", "Mean pack voltage", VOLTAGE, required=True),
                Field("steady.charge.all_up_mass_kg", _WEIGHT_THEN, MASS, required=True),
            ),
        ),
        (
            "rotor",
            "Estimate from propellers or rotor",
            (
                Field("steady.rotor.rotor_count", "Propellers or rotors", COUNT, required=True),
                Field("steady.rotor.rotor_diameter_m", "Diameter", LENGTH, required=True),
                Field("steady.rotor.efficiency", "Efficiency, disc to battery", SHARE, hint="45"),
            ),
        ),
        (
            "wing",
            "Estimate from the wing",
            (
                Field("steady.wing.wing_area_m2", "Wing area", AREA, required=True),
                Field("steady.wing.lift_coefficient", "Lift coefficient in cruise", RATIO, hint="0.5"),
                Field("steady.wing.lift_over_drag", "Lift over drag", RATIO, hint="8"),
                Field("steady.wing.efficiency", "Efficiency, thrust to battery", SHARE, hint="50"),
            ),
        ),
    ),
)
FULL = Choice(
    "full_throttle.source",
    "Full throttle",
    "Read it from telemetry in a short climb. Propellers off whenever a powered craft is on the bench.",
    (
        (
            "measured",
            "Current read at full throttle",
            (
                Field("full_throttle.measured.current_a", "Current, whole craft", CURRENT, required=True),
                Field("full_throttle.measured.voltage_v", "Pack voltage then, loaded", VOLTAGE, required=True),
            ),
        ),
        (
            "estimated",
            "Estimate",
            (
                Field("full_throttle.estimated.power_over_steady", "Times steady power", RATIO, required=True),
                Field("full_throttle.estimated.voltage_v", "At this pack voltage", VOLTAGE, required=True),
            ),
        ),
    ),
)
CRAFT_SECTIONS = (
    Section(
        "The craft",
        (
            Field("name", "Name", kind="text", required=True),
            Field(
                "kind",
                "Kind",
                kind="choice",
                required=True,
                options=_pairs("multirotor", "wing", "ducted fan", "helicopter"),
            ),
            Field("description", "In a few words", kind="text"),
            Field("dry_mass_kg", "Dry weight, without pack", MASS, required=True),
            Field("avionics_w", "Video, camera, receiver", POWER, hint="3"),
            Field("cruise_speed_m_s", "Cruise speed", SPEED),
            Field("motor_resistance_ohm", "Wiring and motors", MILLIOHM, hint="10"),
            Field(
                "pack_cooling",
                "The pack sits in",
                kind="choice",
                required=True,
                options=(("airflow", "the airflow"), ("still air", "still air"), ("enclosed", "a closed bay")),
            ),
        ),
    ),
    Section("Steady flight", choice=STEADY),
    Section("Full throttle", choice=FULL),
    Section(
        "Limits",
        (
            Field("limits.motor_a", "Motors, all together", CURRENT),
            Field("limits.esc_a", "ESC, all together", CURRENT),
            Field("limits.esc_cutoff_v_per_cell", "ESC cutoff, a cell", VOLTAGE),
            Field("limits.maximum_v", "Highest pack voltage", VOLTAGE),
            Field("limits.weight_class_name", "Weight class to watch", kind="text"),
            Field("limits.weight_class_kg", "Its limit, all-up", MASS),
        ),
        note="Leave empty what you do not know: a check appears for each that you give. Weight classes are for "
        "your local rules to decide.",
    ),
)
_KNOWN = (("maker", "the label or maker"), ("measured", "a measurement"), ("estimated", "an estimate"))
PACK_SECTIONS = (
    Section(
        "The pack",
        (
            Field("name", "Name", kind="text", required=True),
            Field(
                "chemistry",
                "Chemistry",
                kind="choice",
                required=True,
                options=tuple((c.key, c.name) for c in CHEMISTRIES.values()),
            ),
            Field("series", "Cells in series (S)", COUNT, required=True),
            Field("parallel", "In parallel (P)", COUNT, hint="1"),
            Field("capacity_ah", "Capacity, whole pack", CAPACITY, required=True),
            Field("capacity_known", "Capacity comes from", kind="choice", required=True, options=_KNOWN),
            Field("cycles", "Cycles flown", COUNT, hint="0"),
        ),
    ),
    Section(
        "Weight and resistance",
        (
            Field("mass_kg", "Weight with leads and plug", MASS, hint="estimate"),
            Field("mass_known", "Weight comes from", kind="choice", options=_KNOWN),
            Field("cell_resistance_ohm", "Resistance of one cell, 25 °C", MILLIOHM, hint="estimate"),
            Field(
                "quality",
                "If estimated, it is",
                kind="choice",
                required=True,
                options=(
                    ("good", "a good pack"),
                    ("ordinary", "an ordinary pack"),
                    ("micro", "a tiny or tired pack"),
                ),
            ),
        ),
        note="Resistance as a one-second, two-current test gives it, not the 1 kHz figure of a data sheet.",
    ),
    Section(
        "Rating",
        (
            Field("label_c", "C rating on the label", RATE),
            Field("ratings.continuous_a", "or in amps: continuous", CURRENT),
            Field("ratings.one_minute_a", "for one minute", CURRENT),
            Field("ratings.ten_second_a", "for ten seconds", CURRENT),
        ),
        note="Labels are optimistic. The sheet shows the honest current beside them.",
    ),
    Section(
        "Leads and plug",
        (
            Field(
                "connector",
                "Plug",
                kind="choice",
                required=True,
                options=tuple((c.key, c.name) for c in CONNECTORS.values()),
            ),
            Field(
                "parallel_harness",
                "Flown as",
                kind="choice",
                options=(("False", "one pack"), ("True", "two packs in a parallel harness")),
            ),
            Field("lead_length_m", "Length of the leads", LENGTH, hint="10"),
            Field("lead_area_mm2", "Copper", WIRE, hint="3.3"),
        ),
    ),
)
NEW_CRAFT: dict[str, Any] = {
    "kind": "multirotor",
    "pack_cooling": "airflow",
    "steady": {"source": "measured"},
    "full_throttle": {"source": "measured"},
}
NEW_PACK: dict[str, Any] = {
    "chemistry": "lipo",
    "capacity_known": "maker",
    "mass_known": "measured",
    "quality": "ordinary",
    "connector": "large_60a",
    "parallel_harness": False,
    "parallel": 1,
}


def _all_fields(sections: tuple[Section, ...]) -> list[Field]:
    fields = [f for s in sections for f in s.fields]
    return fields + [f for s in sections if s.choice for _, _, own in s.choice.options for f in own]


def _nest(values: Mapping[str, Any]) -> dict[str, Any]:
    """From the entity's shape to the form's: each choice's fields under its own source."""
    nested = dict(values)
    for choice in ("steady", "full_throttle"):
        if choice in nested:
            source = nested[choice]["source"]
            nested[choice] = {"source": source, source: nested[choice]}
    return nested


def first_texts(sections: tuple[Section, ...], values: Mapping[str, Any], system: System) -> dict[str, str]:
    """What a form holds when it is opened."""
    nested = _nest(values)
    texts = texts_of(_all_fields(sections), nested, system)
    for section in sections:
        if section.choice:
            texts[section.choice.path] = get(nested, section.choice.path) or section.choice.options[0][0]
    return texts


def _read(sections: tuple[Section, ...], form: Mapping[str, str]) -> tuple[list[Field], dict[str, Any], FormState]:
    """Read the plain fields and those of the options chosen."""
    fields = [f for s in sections for f in s.fields]
    chosen: dict[str, str] = {}
    for section in sections:
        if section.choice:
            source = form.get(section.choice.path, "")
            chosen[section.choice.path.partition(".")[0]] = source
            fields += [f for key, _, own in section.choice.options if key == source for f in own]
    values, state = read_fields(fields, form)
    for name, source in chosen.items():
        values[name] = {"source": source[:20], **values.get(name, {}).get(source, {})}
    return fields, values, state


#: Where an error of a choice as a whole is shown.
_SOURCES = {"steady": "steady.source", "full_throttle": "full_throttle.source"}


def read_craft(form: Mapping[str, str]) -> tuple[Craft | None, FormState]:
    """A craft from its form."""
    fields, values, state = _read(CRAFT_SECTIONS, form)
    return build(Craft, values, fields, state, groups=_SOURCES), state


def read_pack(form: Mapping[str, str]) -> tuple[Pack | None, FormState]:
    """A pack from its form; rating tiers only when all three are given."""
    fields, values, state = _read(PACK_SECTIONS, form)
    tiers = values.get("ratings", {})
    if tiers and len(tiers) < 3:
        missing = next(k for k in ("continuous_a", "one_minute_a", "ten_second_a") if k not in tiers)
        state.errors[f"ratings.{missing}"] = "Give all three tiers, or none."
    return build(Pack, values, fields, state, groups={"ratings": "ratings.continuous_a", "": "mass_kg"}), state
