"""The sheet's own inputs: which craft, pack and pattern, the air, the landing rule."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from zesty_cell.core.answer.plausibility import landing_doubts
from zesty_cell.core.asked.changes import CHANGES
from zesty_cell.core.asked.flying import PATTERNS, FlyingPattern
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.web.http import FormState, whole_number
from zesty_cell.web.http.forms import Field, build, put, read_fields, texts_of
from zesty_cell.words.units import ALTITUDE, COUNT, DURATION, SECONDS, SHARE, SPEED, TEMPERATURE, VOLTAGE, System

OWN_PATTERN = "own"

NAME = Field("name", "Name of this sheet", kind="text", required=True)
CONDITIONS = (
    Field("conditions.air_c", "Air", TEMPERATURE, required=True),
    Field("conditions.altitude_m", "Altitude", ALTITUDE, required=True),
    Field("conditions.pack_c", "Pack at take-off", TEMPERATURE, hint="as the air"),
    Field("conditions.start_charge", "Charge at take-off", SHARE, required=True),
)
LOADED_HOLD = Field("landing.loaded_hold_s", "held for", SECONDS, required=True)
#: Each school: its switch, and the fields that belong to it.
SCHOOLS: tuple[tuple[str, str, tuple[Field, ...]], ...] = (
    ("charge", "by charge used", (Field("landing.charge_kept", "Charge kept", SHARE, required=True),)),
    ("rest", "by rest voltage", (Field("landing.rest_v", "Rest voltage, a cell", VOLTAGE, required=True),)),
    (
        "loaded",
        "by loaded voltage",
        (
            Field("landing.loaded_v", "Loaded voltage, a cell", VOLTAGE, required=True),
            LOADED_HOLD,
        ),
    ),
    ("timer", "by timer alone", (Field("landing.timer_s", "Land at", DURATION, required=True),)),
)
HOME = (
    Field("landing.home_s", "Time to get home", DURATION, required=True),
    Field("landing.headwind_m_s", "Headwind home, tailwind −", SPEED, hint="0"),
    Field("landing.pack_low_lead_s", "“Pack low” before landing", DURATION, hint="the way home"),
)
_CHOICES = (
    Field("craft_id", "Craft", COUNT, required=True),
    Field("pack_id", "Pack", COUNT, required=True),
)
_ALWAYS = (NAME, *CONDITIONS, *HOME, *_CHOICES)


def pattern_key(pattern: FlyingPattern, patterns: Mapping[str, FlyingPattern]) -> str:
    """Key of a pattern that ships or is in the hangar, or that of a sheet's own."""
    return next((key for key, known in patterns.items() if known == pattern), OWN_PATTERN)


def first_texts(
    sheet: Sheet,
    *,
    craft_id: int,
    pack_id: int,
    version: int,
    units: System,
    patterns: Mapping[str, FlyingPattern] = PATTERNS,
) -> dict[str, str]:
    """What the form holds when a sheet is opened.

    The fields of a school that is off hold the chemistry's own starting value, so that switching it
    on needs no typing.
    """
    chemistry = cells_of(sheet.pack)
    values: dict[str, Any] = sheet.model_dump()
    landing = values["landing"]
    on = {
        "charge": landing["charge_kept"] is not None,
        "rest": landing["rest_v"] is not None,
        "loaded": landing["loaded_v"] is not None,
        "timer": landing["timer_s"] is not None,
    }
    defaults = {
        "charge_kept": 0.2,
        "rest_v": chemistry.landing_rest_v,
        "loaded_v": chemistry.landing_loaded_v,
        "timer_s": 300.0,
    }
    for name, value in defaults.items():
        if landing[name] is None:
            landing[name] = value
    fields = [*_ALWAYS, *(f for _, _, own in SCHOOLS for f in own)]
    texts = texts_of(fields, values, units)
    texts |= {f"school.{key}": "on" for key, is_on in on.items() if is_on}
    texts |= {
        "craft_id": str(craft_id),
        "pack_id": str(pack_id),
        "version": str(version),
        "pattern": pattern_key(sheet.flying, patterns),
    }
    texts |= {f"trying.{key}": "on" for key in sheet.trying}
    return texts


@dataclass(frozen=True)
class ReadSheet:
    """A form read: the sheet if all is well, what was typed and what is wrong in any case."""

    sheet: Sheet | None
    state: FormState
    craft_id: int | None
    pack_id: int | None
    version: int


def read_sheet_form(
    form: Mapping[str, str],
    *,
    craft_of: Callable[[int], Craft | None],
    pack_of: Callable[[int], Pack | None],
    own_pattern: FlyingPattern | None,
    patterns: Mapping[str, FlyingPattern] = PATTERNS,
) -> ReadSheet:
    """Read the form against the hangar."""
    active = [key for key, _, _ in SCHOOLS if form.get(f"school.{key}") == "on"]
    fields = (*_ALWAYS, *(f for key, _, own in SCHOOLS if key in active for f in own))
    values, state = read_fields(fields, form)
    craft_id, pack_id = values.pop("craft_id", None), values.pop("pack_id", None)
    craft, pack = craft_of(craft_id) if craft_id else None, pack_of(pack_id) if pack_id else None
    if craft is None:
        state.errors.setdefault("craft_id", fact("typed.sheet.craft"))
    if pack is None:
        state.errors.setdefault("pack_id", fact("typed.sheet.pack"))
    chosen = form.get("pattern", "")
    pattern = own_pattern if chosen == OWN_PATTERN else patterns.get(chosen)
    if pattern is None:
        state.errors["pattern"] = fact("typed.sheet.pattern")
    if "loaded" not in active:
        # The hold has no "off" of its own: what stands in the form is kept, or saving would reset it.
        hold, _ = read_fields((LOADED_HOLD,), form)
        values["landing"] = values.get("landing", {}) | hold.get("landing", {})
    if "charge" not in active:
        put(values, "landing.charge_kept", None)
    version = whole_number(form.get("version", ""))
    # Dumped, not passed as models: the sheet is validated whole, in one go.
    values |= {
        "craft": craft.model_dump() if craft else None,
        "pack": pack.model_dump() if pack else None,
        "flying": pattern.model_dump() if pattern else None,
        "trying": tuple(key for key in CHANGES if form.get(f"trying.{key}") == "on"),
    }
    sheet = build(Sheet, values, fields, state, groups={"landing": "landing"})
    if sheet is not None:
        state.errors |= {d.field: d.why for d in landing_doubts(sheet)}
        sheet = sheet if state.ok else None
    return ReadSheet(sheet=sheet, state=state, craft_id=craft_id, pack_id=pack_id, version=version)
