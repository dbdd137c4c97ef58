"""The form of a craft: proposals with their reasons, estimates first, a measured number in their place."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, Final

from zesty_cell.core.answer.plausibility import craft_doubts
from zesty_cell.core.fact import Fact, Words, fact
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.craft_load import USUAL_OVER_DRY, efficiency_of
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.parts.power_doubt import FULL_THROTTLE_SIGMA, POWER_SIGMA
from zesty_cell.core.parts.propellers import set_on, source_still
from zesty_cell.core.parts.readings import still_assumed
from zesty_cell.core.parts.starting import KINDS, StartKey, starting_craft, usual_pack
from zesty_cell.web.hangar.form import Choice, Section, first_texts, pairs, read_sections
from zesty_cell.web.http import FormState
from zesty_cell.web.http.forms import Field, Typed, build
from zesty_cell.words.naming import craft_name
from zesty_cell.words.units import (
    ALTITUDE,
    AREA,
    CAPACITY,
    COUNT,
    CURRENT,
    FLIGHT_TIME,
    KV,
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
    read_number,
)  # fmt: skip

_WEIGHT_THEN = "All-up weight then"
HEAD_SPEEDS = (("usual", "as usual"), ("low", "low, for long flights"), ("high", "high, for hard 3D"))
_READ_BY = (("craft's sensor", "the craft’s own sensor"), ("meter", "a meter"))


def _air_then(source: str) -> tuple[Field, ...]:
    return (
        Field(f"steady.{source}.air_c", "Air then", TEMPERATURE, hint="15"),
        Field(f"steady.{source}.altitude_m", "Field’s altitude", ALTITUDE, hint="0"),
    )


STEADY = Choice(
    "steady.source",
    "Where does its steady power come from?",
    fact("note.craft.estimate"),
    (
        (
            "rotor",
            "Estimate from propellers or rotor",
            (
                Field("steady.rotor.rotor_count", "Propellers or rotors", COUNT, required=True),
                Field("steady.rotor.rotor_diameter_m", "Diameter", LENGTH, required=True),
                Field("steady.rotor.efficiency", "Efficiency, disc to battery", SHARE, hint="by size"),
                Field("steady.rotor.head_speed", "A helicopter’s head speed", kind="choice", options=HEAD_SPEEDS),
            ),
        ),
        ("parts", "Estimate from its motors and propellers, as given above", ()),
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
        (
            "measured",
            "Current or power, read in hover or cruise",
            (
                Field("steady.measured.current_a", "Current, or power in W", CURRENT, required=True),
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
    ),
)
#: A propeller unloads in flight: where it was read makes 10 to 25 % of the current.
_WHERE = (("", "not said"), ("flight", "in flight"), ("bench", "held on the bench"))
FULL = Choice(
    "full_throttle.source",
    "Full throttle",
    fact("note.craft.full_throttle"),
    (
        (
            "estimated",
            "Estimate",
            (
                Field("full_throttle.estimated.power_over_steady", "Times steady power", RATIO, required=True),
                Field("full_throttle.estimated.voltage_v", "At this pack voltage", VOLTAGE, required=True),
            ),
        ),
        (
            "parts",
            "Estimate from its motors and propellers, as given above",
            (Field("full_throttle.parts.voltage_v", "Pack voltage, loaded", VOLTAGE, required=True),),
        ),
        (
            "measured",
            "Current or power, read at full throttle",
            (
                Field("full_throttle.measured.current_a", "Current, or power in W", CURRENT, required=True),
                Field("full_throttle.measured.voltage_v", "Pack voltage then, loaded", VOLTAGE, required=True),
                Field("full_throttle.measured.where", "Where it was read", kind="choice", options=_WHERE),
                Field("full_throttle.measured.read_by", "Read by", kind="choice", options=_READ_BY),
                Field("full_throttle.measured.thrust_kg", "Thrust then, on a scale", MASS, hint="not measured"),
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
#: Motors and propellers as they are bought; a propeller set has the same.
PARTS_FIELDS = (
    Field("propulsion.motor_count", "Motors", COUNT),
    Field("propulsion.kv_rpm_v", "KV of one motor", KV),
    Field("propulsion.diameter_m", "Propeller diameter", LENGTH),
    Field("propulsion.pitch_m", "Propeller pitch", LENGTH),
    Field("propulsion.blades", "Blades", COUNT, hint="2"),
    Field("propulsion.winding_ohm", "Resistance of one motor", MILLIOHM, hint="usual"),
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
                options=pairs("multirotor", "wing", "ducted fan", "helicopter"),
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
    Section("Motors and propellers", PARTS_FIELDS, note=fact("note.craft.parts")),
    Section("Steady flight", choice=STEADY),
    Section("Full throttle", choice=FULL),
    Section(
        "Limits",
        (
            Field("limits.motor_count", "Motors, each with its ESC", COUNT, hint="1"),
            Field("limits.motor_a", "One motor, most", CURRENT),
            Field("limits.motor_w", "One motor, most power", POWER),
            Field("limits.esc_a", "One ESC, as long as it lasts", CURRENT),
            Field("limits.esc_burst_a", "One ESC, ten seconds", CURRENT),
            Field("limits.esc_cutoff_v_per_cell", "ESC cutoff, a cell", VOLTAGE),
            Field("limits.maximum_v", "Highest pack voltage", VOLTAGE),
            Field("limits.bay_length_m", "Room for the pack: length", MILLIMETRE),
            Field("limits.bay_width_m", "width", MILLIMETRE),
            Field("limits.bay_height_m", "height", MILLIMETRE),
            Field("limits.weight_class_name", "Weight class to watch", kind="text"),
            Field("limits.weight_class_kg", "Its limit, all-up", MASS),
        ),
        note=fact("note.craft.limits"),
    ),
)

#: Where an error of a choice as a whole is shown.
SOURCES = {"steady": "steady.source", "full_throttle": "full_throttle.source"}


_IN_WATTS = re.compile(r"^(?P<number>.*\d)\s*(?P<kilo>k?)w(?:atts?)?$", re.IGNORECASE)
_OR_POWER = {
    "steady.measured.current_a": "steady.measured.voltage_v",
    "full_throttle.measured.current_a": "full_throttle.measured.voltage_v",
}


def watts_to_amps(form: Mapping[str, str]) -> tuple[dict[str, str], dict[str, str], dict[str, Words]]:
    """A form with currents where powers were typed, by the voltage beside them; what was typed there, and what was
    wrong with it."""
    texts, wrong = dict(form), dict[str, Words]()
    for path, beside in _OR_POWER.items():
        found = _IN_WATTS.match(form.get(path, "").strip())
        if found is None or form.get(path.partition(".")[0] + ".source") != "measured":
            continue
        try:
            watts = read_number(found["number"]) * (1000.0 if found["kilo"] else 1.0)
            volts = VOLTAGE.read(form.get(beside, ""), "metric")
        except ValueError:
            wrong[path] = fact("typed.craft.watts")
            continue
        texts[path] = f"{watts / volts:.6g}" if volts > 0 else "0"
    return texts, {path: form[path] for path in _OR_POWER if path in form}, wrong


def _parts_counted(values: dict[str, Any]) -> None:
    """Motors are counted once: where the limits say how many, the propellers are as many."""
    parts, limits = values.get("propulsion"), values.get("limits", {})
    if parts and "motor_count" not in parts and "motor_count" in limits:
        parts["motor_count"] = limits["motor_count"]


#: Kept with a craft and not on its form: what other pages change.
_ELSEWHERE: Final = ("propellers", "propellers_kg", "propellers_source", "other_sets")


def read_craft(form: Mapping[str, str], before: Craft | None = None) -> tuple[Craft | None, FormState]:
    """A craft from its form; what is not on the form stays as it was before, and so does what was assumed of
    figures that are still the same."""
    texts, typed, wrong = watts_to_amps(form)
    fields, values, state = read_sections(CRAFT_SECTIONS, texts)
    state.texts |= typed
    state.errors |= wrong
    if isinstance(values.get("shows"), str):
        values["shows"] = tuple(w for w in values["shows"].split()[:3] if w != "nothing")
    _parts_counted(values)
    if before is not None:
        kept = before.model_dump()
        values |= {name: kept[name] for name in _ELSEWHERE}
    craft = build(Craft, values, fields, state, groups=SOURCES)
    if craft is not None:
        craft = craft if state.weigh(craft_doubts(craft), form) else None
    if craft is not None and before is not None:
        still = source_still(craft.steady, before=set_on(before))
        craft = craft.model_copy(update={"propellers_source": still})
    was = before if before is not None else proposed(form.get("like", ""))
    return (craft if craft is None or was is None else still_assumed(craft, before=was)), state


#: What a new craft is like where nobody has said.
FIRST_LIKE: Final[StartKey] = "freestyle"


def known_like(text: str) -> StartKey | None:
    """A kind of starting craft by its key; None for anything else."""
    return text if text in KINDS else None


def proposed(like: str) -> Craft | None:
    """What is usual for a kind of craft, all of it assumed; None for no kind."""
    key = known_like(like)
    return None if key is None else _usual(key)


def _usual(key: StartKey) -> Craft:
    pack = usual_pack(KINDS[key])
    name = craft_name(KINDS[key], size_m=None)
    return starting_craft(KINDS[key], name=name, pack=pack, pack_kg=pack_figures(pack).mass_kg)


def proposed_texts(like: str, units: System) -> dict[str, str]:
    """What the form of a new craft like one of a kind holds."""
    key = known_like(like) or FIRST_LIKE
    texts = first_texts(CRAFT_SECTIONS, _usual(key).model_dump() | {"limits": {}}, units)
    return Typed(texts | {"like": key, "name": ""})


def with_parts(texts: dict[str, str], parts: Mapping[str, str]) -> dict[str, str]:
    """A new craft's form with motors and propellers that were matched before: full throttle follows from them."""
    if not parts:
        return texts
    volts = {"full_throttle.parts.voltage_v": texts.get("full_throttle.estimated.voltage_v", "")}
    known = {f.path for f in PARTS_FIELDS} | {"full_throttle.parts.voltage_v"}
    chosen = ["full_throttle.source"] + (["steady.source"] if texts["kind"] == "multirotor" else [])
    given = {k: v for k, v in parts.items() if k in known}
    return Typed({**texts, **volts, **given, **dict.fromkeys(chosen, "parts")})


def become(form: Mapping[str, str], like: str, units: System) -> dict[str, str]:
    """A form that is like another kind now: proposals that nobody changed give way, what was typed stays."""
    old, new = proposed_texts(form.get("like", ""), units), proposed_texts(like, units)
    typed = {path: text for path, text in form.items() if text != old.get(path, "")}
    chosen = {"steady.source", "full_throttle.source"}
    return Typed({**new, **{p: t for p, t in typed.items() if p not in chosen}, "like": new["like"]})


def reasons(craft: Craft | None, *, new: bool) -> dict[str, Fact]:
    """Why a figure stands in the form, and how far it may be out, by field: of what nobody has measured."""
    if craft is None:
        return {}
    assumed, found = craft.assumed, dict[str, Fact]()

    def within(sigma: float) -> Fact:
        return fact("assumed.usual" if new else "assumed.within", out_share=sigma)

    if assumed.weight:
        found["dry_mass_kg"] = fact("assumed.weigh", within=within(assumed.weight))
    if assumed.electronics:
        found["avionics_w"] = within(assumed.electronics)
    if new:
        found["cruise_speed_m_s"] = found["motor_resistance_ohm"] = fact("assumed.kind")
    if craft.steady.source == "rotor":
        efficiency = efficiency_of(craft, mass_kg=USUAL_OVER_DRY * craft.dry_mass_kg)
        if assumed.size:
            found["steady.rotor.rotor_diameter_m"] = within(assumed.size)
        found["steady.rotor.efficiency"] = fact(
            "assumed.efficiency", efficiency_share=efficiency, out_share=POWER_SIGMA["rotor"]
        )
    elif craft.steady.source == "wing":
        if assumed.size:
            found["steady.wing.wing_area_m2"] = within(assumed.size)
        found["steady.wing.efficiency"] = fact("assumed.together", out_share=POWER_SIGMA["wing"])
    if craft.full_throttle.source == "estimated":
        sigma = (FULL_THROTTLE_SIGMA["estimated"] ** 2 + assumed.full_throttle**2) ** 0.5
        found["full_throttle.estimated.power_over_steady"] = within(sigma)
        if new:
            found["full_throttle.estimated.voltage_v"] = fact("assumed.amid_flight")
    return found
