"""Forms of the hangar: what they share, that of cells, and of whose a thing is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.core.parts.pack import estimated_tiers
from zesty_cell.web.http import FormState, whole_number
from zesty_cell.web.http.forms import Field, build, get, read_fields, texts_of
from zesty_cell.words.units import (
    CAPACITY,
    COUNT,
    CURRENT,
    MASS,
    MILLIMETRE,
    MILLIOHM,
    VOLTAGE,
    System,
)


@dataclass(frozen=True)
class Choice:
    """A choice between several sets of fields, such as where steady power comes from."""

    path: str
    legend: str
    why: Words
    options: tuple[tuple[str, str, tuple[Field, ...]], ...]


@dataclass(frozen=True)
class Section:
    """A titled group of fields, or a choice."""

    title: str
    fields: tuple[Field, ...] = ()
    choice: Choice | None = None
    note: Words = ""


def pairs(*keys: str) -> tuple[tuple[str, str], ...]:
    """Options that are called what they are."""
    return tuple((k, k) for k in keys)


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
            Field("size.form", "Form", kind="choice", required=True, options=pairs("round", "pouch")),
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
        note=fact("note.cell.resistance"),
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


def read_sections(
    sections: tuple[Section, ...], form: Mapping[str, str]
) -> tuple[list[Field], dict[str, Any], FormState]:
    """The plain fields and those of the options chosen: which, what they hold, and what is wrong."""
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


def check_tiers(values: dict[str, Any], state: FormState) -> None:
    """Rating tiers from the continuous one, where only that is known."""
    tiers = values.get("ratings", {})
    if tiers and "continuous_a" not in tiers:
        state.errors.setdefault("ratings.continuous_a", fact("typed.cell.continuous"))
    elif tiers:
        values["ratings"] = estimated_tiers(**tiers)


def read_cell(form: Mapping[str, str], _: CellModel | None = None) -> tuple[CellModel | None, FormState]:
    """A cell from its form."""
    fields, values, state = read_sections(CELL_SECTIONS, form)
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
ALREADY = fact("typed.name.taken")


def way_back(form: Mapping[str, str]) -> str:
    """Where saving leads: to the sheet the form was opened from, or to the hangar."""
    sheet_id = whole_number(form.get("back", ""))
    return f"/sheets/{sheet_id}" if sheet_id else "/hangar"
