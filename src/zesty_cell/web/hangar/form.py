"""Forms of crafts and cells, and of whose a thing is: which fields, and how they become the core's models."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from zesty_cell.core.answer.plausibility import craft_doubts
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.core.parts.pack import estimated_tiers
from zesty_cell.web.http import FormState, whole_number
from zesty_cell.web.http.forms import Field, build, get, read_fields, texts_of
from zesty_cell.words.units import (
    ALTITUDE,
    AREA,
    CAPACITY,
    COUNT,
    CURRENT,
    FLIGHT_TIME,
    LENGTH,
    MASS,
    MILLIMETRE,
    MILLIOHM,
    POWER,
    RATIO,
    SHARE,
    SPEED,
    TEMPERATURE,
    VOLTAGE,
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
_READ_BY = (("craft's sensor", "the craft’s own sensor"), ("meter", "a meter"))


def _air_then(source: str) -> tuple[Field, ...]:
    return (
        Field(f"steady.{source}.air_c", "Air then", TEMPERATURE, hint="15"),
        Field(f"steady.{source}.altitude_m", "Field’s altitude", ALTITUDE, hint="0"),
    )


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
                Field("steady.measured.read_by", "Read by", kind="choice", options=_READ_BY),
                *_air_then("measured"),
            ),
        ),
        (
            "charge",
            "Charge put back after a steady flight",
            (
                Field("steady.charge.charge_ah", "Charge put back", CAPACITY, required=True),
                Field("steady.charge.duration_s", "Flight time", FLIGHT_TIME, required=True),
                Field("steady.charge.voltage_v", "Mean pack voltage", VOLTAGE, required=True),
                Field("steady.charge.all_up_mass_kg", _WEIGHT_THEN, MASS, required=True),
                *_air_then("charge"),
            ),
        ),
        (
            "rotor",
            "Estimate from propellers or rotor",
            (
                Field("steady.rotor.rotor_count", "Propellers or rotors", COUNT, required=True),
                Field("steady.rotor.rotor_diameter_m", "Diameter", LENGTH, required=True),
                Field("steady.rotor.efficiency", "Efficiency, disc to battery", SHARE, hint="by size"),
            ),
        ),
        (
            "wing",
            "Estimate from the wing",
            (
                Field("steady.wing.wing_area_m2", "Wing area", AREA, required=True),
                Field("steady.wing.lift_coefficient", "Lift coefficient in cruise", RATIO, hint="0.5"),
                Field("steady.wing.lift_over_drag", "Lift over drag", RATIO, hint="usual"),
                Field("steady.wing.efficiency", "Efficiency, thrust to battery", SHARE, hint="usual"),
            ),
        ),
    ),
)
#: A propeller unloads in flight: where it was read makes 10 to 25 % of the current.
_WHERE = (("", "not said"), ("flight", "in flight"), ("bench", "held on the bench"))
FULL = Choice(
    "full_throttle.source",
    "Full throttle",
    "Read it from telemetry in a short climb: in flight a propeller draws less than held. Propellers off "
    "whenever a powered craft is on the bench.",
    (
        (
            "measured",
            "Current read at full throttle",
            (
                Field("full_throttle.measured.current_a", "Current, whole craft", CURRENT, required=True),
                Field("full_throttle.measured.voltage_v", "Pack voltage then, loaded", VOLTAGE, required=True),
                Field("full_throttle.measured.where", "Where it was read", kind="choice", options=_WHERE),
                Field("full_throttle.measured.read_by", "Read by", kind="choice", options=_READ_BY),
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
#: What a transmitter may show of a craft; nothing chosen is not said yet.
SHOWS = (
    ("", "not said yet"),
    ("volts charge", "volts and charge used"),
    ("volts", "the pack’s volts"),
    ("volts charge cells", "volts, charge used and cells"),
    ("volts cells", "volts and cells"),
    ("charge", "charge used"),
    ("charge cells", "charge used and cells"),
    ("cells", "its lowest cell"),
    ("nothing", "nothing"),
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
            Field("shows", "The transmitter shows", kind="choice", options=SHOWS),
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
            Field("limits.motor_count", "Motors, each with its ESC", COUNT, hint="1"),
            Field("limits.motor_a", "One motor, most", CURRENT),
            Field("limits.esc_a", "One ESC, as long as it lasts", CURRENT),
            Field("limits.esc_burst_a", "One ESC, ten seconds", CURRENT),
            Field("limits.esc_cutoff_v_per_cell", "ESC cutoff, a cell", VOLTAGE),
            Field("limits.maximum_v", "Highest pack voltage", VOLTAGE),
            Field("limits.weight_class_name", "Weight class to watch", kind="text"),
            Field("limits.weight_class_kg", "Its limit, all-up", MASS),
        ),
        note="Leave empty what you do not know: a check appears for each that you give. Weight classes are for "
        "your local rules to decide.",
    ),
)
KNOWN = (("maker", "the label or maker"), ("measured", "a measurement"), ("estimated", "an estimate"))
QUALITIES = (
    ("good", "a good pack"),
    ("ordinary", "an ordinary pack"),
    ("micro", "a tiny or tired pack"),
    ("tabless", "of tabless power cells"),
)
CHEMISTRY = Field(
    "chemistry",
    "Chemistry",
    kind="choice",
    required=True,
    options=tuple((c.key, c.name) for c in CHEMISTRIES.values()),
)
CELL_SECTIONS = (
    Section(
        "The cell",
        (
            Field("name", "Name", kind="text", required=True),
            CHEMISTRY,
            Field("size.form", "Form", kind="choice", required=True, options=_pairs("round", "pouch")),
            Field("size.length_m", "Length", MILLIMETRE, required=True),
            Field("size.width_m", "Diameter, or width of a pouch", MILLIMETRE, required=True),
            Field("size.thickness_m", "Thickness of a pouch", MILLIMETRE),
        ),
    ),
    Section(
        "What one cell does",
        (
            Field("capacity_ah", "Capacity", CAPACITY, hint="not known"),
            Field("mass_kg", "Weight", MASS, hint="estimate"),
            Field("resistance_ohm", "Resistance, 25 °C, one second", MILLIOHM, hint="estimate"),
            Field("resistance_known", "Resistance comes from", kind="choice", options=KNOWN),
            Field("quality", "If estimated, it is", kind="choice", options=QUALITIES),
        ),
        note="Resistance as a one-second, two-current test gives it: data sheets often state the 1 kHz figure, "
        "which is lower by a third or more.",
    ),
    Section(
        "Rating of one cell",
        (
            Field("ratings.continuous_a", "As long as it lasts", CURRENT),
            Field("ratings.one_minute_a", "One minute", CURRENT),
            Field("ratings.ten_second_a", "Ten seconds", CURRENT),
        ),
    ),
)
NEW_CRAFT: dict[str, Any] = {
    "kind": "multirotor",
    "pack_cooling": "airflow",
    "steady": {"source": "measured"},
    "full_throttle": {"source": "measured"},
}
NEW_CELL: dict[str, Any] = {
    "chemistry": "liion_power",
    "size": {"form": "round"},
    "resistance_known": "maker",
    "quality": "ordinary",
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
    if isinstance(values.get("shows"), tuple | list):
        shows = " ".join(w for w in ("volts", "charge", "cells") if w in values["shows"])
        texts["shows"] = shows or "nothing"
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
    if isinstance(values.get("shows"), str):
        values["shows"] = tuple(w for w in values["shows"].split()[:3] if w != "nothing")
    craft = build(Craft, values, fields, state, groups=_SOURCES)
    if craft is not None:
        craft = craft if state.weigh(craft_doubts(craft), form) else None
    return craft, state


def check_tiers(values: dict[str, Any], state: FormState) -> None:
    """Rating tiers from the continuous one, where only that is known."""
    tiers = values.get("ratings", {})
    if tiers and "continuous_a" not in tiers:
        state.errors.setdefault("ratings.continuous_a", "Give the continuous rating: the others follow from it.")
    elif tiers:
        values["ratings"] = estimated_tiers(**tiers)


def read_cell(form: Mapping[str, str]) -> tuple[CellModel | None, FormState]:
    """A cell from its form."""
    fields, values, state = _read(CELL_SECTIONS, form)
    check_tiers(values, state)
    groups = {"ratings": "ratings.continuous_a", "size": "size.thickness_m"}
    return build(CellModel, values, fields, state, groups=groups), state


STANDINGS = (("own", "yours"), ("lent", "lent"), ("wanted", "wanted"), ("retired", "retired"))
OWNERSHIP_FIELDS = (
    Field("ownership.standing", "It is", kind="choice", options=STANDINGS),
    Field("ownership.lent_to", "Lent to", kind="text"),
    Field("ownership.flights", "Flights", COUNT, hint="0"),
    Field("ownership.rest_v_per_cell", "Last rest voltage, a cell", VOLTAGE, hint="not read"),
)


def ownership_texts(ownership: Ownership, system: System) -> dict[str, str]:
    """What the fields of standing hold."""
    texts = texts_of(OWNERSHIP_FIELDS, {"ownership": ownership.model_dump()}, system)
    del texts["units"]
    return texts


def read_ownership(form: Mapping[str, str], state: FormState) -> Ownership | None:
    """Standing from a form; errors join those of the thing itself."""
    values, own = read_fields(OWNERSHIP_FIELDS, form)
    nested = {"ownership": values.get("ownership", {})}
    built = build(_Kept, nested, OWNERSHIP_FIELDS, own, groups={})
    state.errors |= own.errors
    return None if built is None else built.ownership


class _Kept(BaseModel):
    """Ownership under its own name, so that errors come with the fields' paths."""

    ownership: Ownership


#: Two things of one name could not be told apart.
ALREADY = "There is one of that name already: give this one another."


def way_back(form: Mapping[str, str]) -> str:
    """Where saving leads: to the sheet the form was opened from, or to the hangar."""
    sheet_id = whole_number(form.get("back", ""))
    return f"/sheets/{sheet_id}" if sheet_id else "/hangar"
