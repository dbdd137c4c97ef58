"""The form of a propeller set: its name and weight, its parts, and where its power comes from."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from zesty_cell.core.fact import fact
from zesty_cell.core.parts.craft import Craft, PropellerSet
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.parts.starting import kind_like, starting_craft, usual_pack
from zesty_cell.web.hangar.craft_form import FULL, PARTS_FIELDS, SOURCES, STEADY, watts_to_amps
from zesty_cell.web.hangar.form import Section, first_texts, read_sections
from zesty_cell.web.http import FormState
from zesty_cell.web.http.forms import Field, build
from zesty_cell.words.units import MASS, System

#: Asked once, with the second set: what is on then has to be told from it.
ON_FIELD: Final = Field("on", "What is on now is called", kind="text", required=True)
SECTIONS: Final = (
    Section(
        "The set",
        (
            Field("name", "Name", kind="text", required=True, hint="5.1 × 4.3, three blades"),
            Field("mass_kg", "Weight, all of them", MASS, hint="not weighed"),
        ),
    ),
    Section("Motors and propellers", PARTS_FIELDS, note=fact("note.propellers.parts")),
    Section("Steady flight", choice=STEADY),
    Section("Full throttle", choice=FULL),
)


def first_set_texts(craft: Craft, units: System) -> dict[str, str]:
    """What the form of a new set holds: the craft's motors, and estimates as are usual for such a craft."""
    kind = kind_like(craft)
    pack = usual_pack(kind)
    usual = starting_craft(kind, name=craft.name, pack=pack, pack_kg=pack_figures(pack).mass_kg)
    parts: dict[str, Any] = {} if craft.propulsion is None else {"propulsion": craft.propulsion.model_dump()}
    steady, full = usual.steady.model_dump(), usual.full_throttle.model_dump()
    return first_texts(SECTIONS, parts | {"steady": steady, "full_throttle": full}, units)


def set_texts(one: PropellerSet, units: System) -> dict[str, str]:
    """What the form of a set that is kept holds."""
    return first_texts(SECTIONS, one.model_dump(), units)


def read_set(form: Mapping[str, str]) -> tuple[PropellerSet | None, FormState]:
    """A set from its form."""
    texts, typed, wrong = watts_to_amps(form)
    fields, values, state = read_sections(SECTIONS, texts)
    state.texts |= typed
    state.errors |= wrong
    return build(PropellerSet, values, fields, state, groups=SOURCES), state
