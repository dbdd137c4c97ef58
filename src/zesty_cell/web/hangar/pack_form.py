"""The pack builder's form: from a label or from cells of the shelf, leads, plugs, tests, whose it is."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.connectors import CONNECTORS
from zesty_cell.core.parts.pack import Pack, said_by_cells
from zesty_cell.web.hangar.form import CHEMISTRY, KNOWN, QUALITIES, Section, check_tiers
from zesty_cell.web.http import FormState, whole_number
from zesty_cell.web.http.forms import Field, build, read_fields, texts_of
from zesty_cell.words.units import (
    CAPACITY,
    COUNT,
    CURRENT,
    LENGTH,
    MASS,
    MILLIMETRE,
    MILLIOHM,
    PRICE,
    RATE,
    SECONDS,
    TEMPERATURE,
    VOLTAGE,
    WIRE,
    System,
    read_number,
    typed,
)

_PLUGS = tuple((c.key, c.name) for c in CONNECTORS.values())
PACK_SECTIONS = (
    Section(
        "The pack",
        (
            Field("name", "Name", kind="text", required=True),
            CHEMISTRY,
            Field("series", "Cells in series (S)", COUNT, required=True),
            Field("parallel", "In parallel (P)", COUNT, hint="1"),
            Field("capacity_ah", "Capacity, whole pack", CAPACITY, required=True),
            Field("capacity_known", "Capacity comes from", kind="choice", required=True, options=KNOWN),
            Field("cycles", "Cycles flown", COUNT, hint="0"),
        ),
    ),
    Section(
        "Weight and resistance",
        (
            Field("mass_kg", "Weight with leads and plug", MASS, hint="estimate"),
            Field("mass_known", "Weight comes from", kind="choice", options=KNOWN),
            Field("cell_resistance_ohm", "Resistance of one cell, 25 °C", MILLIOHM, hint="estimate"),
            Field("resistance_known", "Resistance comes from", kind="choice", options=KNOWN),
            Field(
                "quality",
                "If estimated, it is",
                kind="choice",
                required=True,
                options=QUALITIES,
            ),
        ),
        note=fact("note.pack.resistance"),
    ),
    Section(
        "Rating",
        (
            Field("label_c", "C rating on the label", RATE),
            Field("ratings.continuous_a", "or in amps: continuous", CURRENT),
            Field("ratings.one_minute_a", "for one minute", CURRENT),
            Field("ratings.ten_second_a", "for ten seconds", CURRENT),
        ),
        note=fact("note.pack.label"),
    ),
    Section(
        "Leads and plug",
        (
            Field(
                "connector",
                "Plug",
                kind="choice",
                required=True,
                options=_PLUGS,
            ),
            Field("second_plug", "Adapter or arming plug", kind="choice", options=(("", "none"), *_PLUGS)),
            Field(
                "parallel_harness",
                "Flown as",
                kind="choice",
                options=(("False", "one pack"), ("True", "two packs in a parallel harness")),
            ),
            Field("lead_length_m", "Length of the leads", LENGTH, hint="10"),
            Field("lead_area_mm2", "Copper, or 12 AWG", WIRE, hint="3.3"),
        ),
    ),
    Section(
        "Cells and layout",
        (
            Field(
                "arrangement",
                "The cells lie",
                kind="choice",
                options=(
                    ("rows", "in rows"),
                    ("two layers", "in two layers"),
                    ("tube", "end to end in a tube"),
                ),
            ),
            Field("cell_name", "Built from", kind="text", hint="not known"),
            Field("cell_mass_kg", "One cell weighs", MASS),
            Field(
                "cell_size.form",
                "Its form",
                kind="choice",
                options=(("", "not known"), ("round", "round"), ("pouch", "pouch")),
            ),
            Field("cell_size.length_m", "Cell length", MILLIMETRE),
            Field("cell_size.width_m", "Diameter, or width", MILLIMETRE),
            Field("cell_size.thickness_m", "Thickness of a pouch", MILLIMETRE),
            Field("link_ohm", "One series link", MILLIOHM, hint="usual"),
        ),
        note=fact("note.pack.build"),
    ),
    Section(
        "What it costs",
        (
            Field("price", "Price, in your money", PRICE, hint="not said"),
            Field("lasts_flights", "Flights it lasts", COUNT, hint="usual"),
        ),
        note=fact("note.pack.life"),
    ),
    Section(
        "Measured: capacity",
        (
            Field("tests.capacity.charge_ah", "Charge drawn, or put back", CAPACITY),
            Field("tests.capacity.rest_v_per_cell", "Rest voltage then, a cell", VOLTAGE, hint="its floor"),
        ),
        note=fact("note.pack.measured_capacity"),
    ),
    Section(
        "Measured: resistance at two currents",
        (
            Field("tests.two_currents.first_v", "Pack voltage", VOLTAGE),
            Field("tests.two_currents.first_a", "at", CURRENT),
            Field("tests.two_currents.held_s", "held for", SECONDS, hint="1"),
            Field("tests.two_currents.second_v", "and", VOLTAGE),
            Field("tests.two_currents.second_a", "at", CURRENT),
            Field("tests.two_currents.pack_c", "Pack temperature", TEMPERATURE, hint="25 °C"),
        ),
    ),
    Section(
        "Measured: full throttle on the bench",
        (
            Field("tests.full_throttle.before_v", "Pack voltage before", VOLTAGE),
            Field("tests.full_throttle.loaded_v", "under load", VOLTAGE),
            Field("tests.full_throttle.current_a", "at", CURRENT),
            Field("tests.full_throttle.held_s", "held for", SECONDS, hint="3"),
            Field("tests.full_throttle.pack_c", "Pack temperature", TEMPERATURE, hint="25 °C"),
        ),
        note=fact("note.pack.tied_down"),
    ),
    Section(
        "Measured: the charger’s reading",
        (
            Field("tests.charger.cells_ohm", "Each cell in series, with spaces", MILLIOHM, several=True),
            Field("tests.charger.pack_c", "Pack temperature", TEMPERATURE, hint="25 °C"),
        ),
    ),
)
NEW_PACK: dict[str, Any] = {
    "chemistry": "lipo",
    "capacity_known": "maker",
    "mass_known": "measured",
    "quality": "ordinary",
    "connector": "large_60a",
    "parallel_harness": False,
    "parallel": 1,
    "arrangement": "rows",
}


#: What a cell of the shelf says for itself: these fields are not asked for when building from cells.
FROM_THE_CELL = frozenset(
    {
        "chemistry",
        "capacity_ah",
        "capacity_known",
        "quality",
        "label_c",
        "ratings.continuous_a",
        "ratings.one_minute_a",
        "ratings.ten_second_a",
        "cell_name",
        "cell_mass_kg",
        "cell_size.form",
        "cell_size.length_m",
        "cell_size.width_m",
        "cell_size.thickness_m",
    }
)
_FIELDS = [f for s in PACK_SECTIONS for f in s.fields]


#: The sections of tests, in the order of their weight.
TESTS = tuple(s for s in PACK_SECTIONS if s.title.startswith("Measured"))


def first_pack_texts(
    values: Mapping[str, Any], system: System, *, cell_id: int | None = None, cell: CellModel | None = None
) -> dict[str, str]:
    """What the form holds when it is opened; a resistance that is only the cell's own is left to the cell."""
    texts = texts_of(_FIELDS, values, system)
    own = values.get("cell_resistance_ohm"), values.get("resistance_known")
    if cell is not None and own == (cell.resistance_ohm, cell.resistance_known):
        texts["cell_resistance_ohm"] = ""
    return texts | {"source": "cells" if cell_id else "label", "cell_id": str(cell_id or "")}


_PACK_GROUPS = {
    "ratings": "ratings.continuous_a",
    "cell_size": "cell_size.form",
    "tests.capacity": "tests.capacity.charge_ah",
    "tests.two_currents": "tests.two_currents.second_v",
    "tests.full_throttle": "tests.full_throttle.loaded_v",
}


def read_pack(
    form: Mapping[str, str], *, cells: Mapping[int, CellModel] | None = None
) -> tuple[Pack | None, FormState]:
    """A pack from its form; from cells of the shelf where ``source`` says so."""
    cell: CellModel | None = None
    form = _restated(form)
    from_cells = form.get("source") == "cells"
    fields = [f for f in _FIELDS if not (from_cells and f.path in FROM_THE_CELL)]
    values, state = read_fields(fields, form)
    if from_cells:
        cell = (cells or {}).get(whole_number(form.get("cell_id", "")))
        if cell is None:
            state.errors["cell_id"] = fact("typed.pack.cell")
        else:
            values |= _said_by(cell, values, state)
    else:
        check_tiers(values, state)
    return build(Pack, values, fields, state, groups=_PACK_GROUPS), state


_AMPS_BEHIND = re.compile(r"^\s*([\d.,\s]+?)\s*a(?:mps?)?\s*$", re.IGNORECASE)
_ENERGY_BEHIND = re.compile(r"^\s*([\d.,\s]+?)\s*wh\s*$", re.IGNORECASE)


def _restated(form: Mapping[str, str]) -> Mapping[str, str]:
    """A form whose rating was typed in amps, or whose charge as energy, as its fields have them."""
    amps, energy = _AMPS_BEHIND.match(form.get("label_c", "")), _ENERGY_BEHIND.match(form.get("capacity_ah", ""))
    if amps is not None and not form.get("ratings.continuous_a", "").strip():
        form = {**form, "label_c": "", "ratings.continuous_a": amps[1]}
    chemistry = {str(key): one for key, one in CHEMISTRIES.items()}.get(form.get("chemistry", ""))
    series = whole_number(form.get("series", "").strip())
    if energy is not None and chemistry is not None and series:
        with contextlib.suppress(ValueError):
            charge_ah = read_number(energy[1]) / (chemistry.nominal_v * series)
            form = {**form, "capacity_ah": typed(charge_ah, CAPACITY, "metric")}
    return form


def _said_by(cell: CellModel, values: Mapping[str, Any], state: FormState) -> dict[str, Any]:
    """What follows from the cell; an error at the choice of cell where its capacity is not known."""
    parallel = values.get("parallel") or 1
    try:
        # A parallel count out of bounds is refused at its own field.
        said = said_by_cells(cell=cell, parallel=min(max(parallel, 1), 24))
    except OutOfRangeError as error:
        state.errors["cell_id"] = error.why
        return {}
    if "cell_resistance_ohm" in values:  # this very pack was measured: that beats the shelf
        said |= {k: values[k] for k in ("cell_resistance_ohm", "resistance_known") if k in values}
    return {k: v.model_dump() if isinstance(v, BaseModel) else v for k, v in said.items()}


def cell_chosen(form: Mapping[str, str]) -> int | None:
    """Number of the cell a pack is built from; None for a pack from a label."""
    return (whole_number(form.get("cell_id", "")) or None) if form.get("source") == "cells" else None
