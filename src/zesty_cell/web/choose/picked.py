"""Which packs are compared, each at which landing: from the address."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from starlette.datastructures import QueryParams

from zesty_cell.core.answer.plausibility import landing_volts_doubt
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.candidates import LandingVolts, landing_on
from zesty_cell.core.choose.compare import (
    MOST_COMPARED,
)
from zesty_cell.core.fact import Words
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import Chemistry, ChemistryKey
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import PackRow
from zesty_cell.web.choose.base import Origin
from zesty_cell.web.choose.imagined import pack_of_spec
from zesty_cell.web.http import whole_number
from zesty_cell.words.face import Face
from zesty_cell.words.landing import CHEMISTRY_WORDS
from zesty_cell.words.units import TEMPERATURE, read_number

_SHOWN_AT_FIRST = 6


@dataclass(frozen=True)
class Chosen:
    """A pack in view: where it comes from, and its temperature where each has its own."""

    pack: Pack
    pack_id: int | None
    spec: str
    pack_c: float | None


@dataclass(frozen=True)
class LandingField:
    """A landing voltage of a chemistry in view: its key in the address, its words, what is flown, and as typed."""

    key: str
    words: str
    flown: str
    typed: str
    error: Words


@dataclass(frozen=True)
class Picked:
    """What the address asks for."""

    chosen: tuple[Chosen, ...]
    own_temperature: bool
    notes: tuple[str, ...]
    temperatures: Mapping[int, str]
    landings: tuple[LandingField, ...]
    volts: Mapping[ChemistryKey, LandingVolts]


def first_choice(sheet: Sheet, rows: Sequence[PackRow]) -> list[PackRow]:
    """One of each type near the voltage the sheet flies on, the sheet's own pack among them; lightest first."""
    own_v = pack_figures(sheet.pack).full_v
    limit_v = sheet.craft.limits.maximum_v or 1.05 * own_v

    def full_v(row: PackRow) -> float:
        return chemistry_for(row.chemistry).full_v * row.series

    seen: dict[str, PackRow] = {}
    for row in rows:
        usable = row.standing in ("own", "wanted") and 0.6 * own_v <= full_v(row) <= limit_v
        if row.name == sheet.pack.name or (usable and row.type_name not in seen):
            seen[row.type_name] = row
    nearest = sorted(seen.values(), key=lambda r: (r.name != sheet.pack.name, abs(full_v(r) - own_v)))
    return sorted(nearest[:_SHOWN_AT_FIRST], key=lambda r: pack_figures(PACKS.thing(r)).mass_kg)


def _temperature(text: str, face: Face) -> float | None:
    if not text.strip():
        return None
    try:
        celsius = TEMPERATURE.unit(face.view.units).read(read_number(text))
    except ValueError:
        return None
    return celsius if -30.0 <= celsius <= 55.0 else None


def _landing_typed(text: str, *, chemistry: Chemistry, at: str) -> tuple[float | None, Words]:
    """A landing voltage as typed [V a cell], and what is wrong with it."""
    if not text:
        return None, ""
    try:
        value = read_number(text)
    except ValueError as wrong:
        return None, str(wrong)
    doubt = landing_volts_doubt(value, chemistry=chemistry, field=at)
    return (None, doubt.why) if doubt else (value, "")


def _landings(
    sheet: Sheet, packs: Sequence[Pack], query: QueryParams
) -> tuple[tuple[LandingField, ...], dict[ChemistryKey, LandingVolts]]:
    """Where each chemistry in view lands, if the sheet's rule looks at a voltage: as typed, else its own."""
    looked_at = [
        (name, words)
        for name, words in (("loaded_v", "under load"), ("rest_v", "at rest"))
        if getattr(sheet.landing, name) is not None
    ]
    fields: list[LandingField] = []
    volts: dict[ChemistryKey, LandingVolts] = {}
    for key in dict.fromkeys(p.chemistry for p in packs):
        for name, words in looked_at:
            at = f"land.{key}.{name}"
            typed = query.get(at, "").strip()[:20]
            value, error = _landing_typed(typed, chemistry=chemistry_for(key), at=at)
            if value is not None:
                volts[key] = replace(volts.get(key, LandingVolts()), **{name: value})
            flown = getattr(landing_on(sheet, chemistry=key, volts=volts), name)
            fields.append(LandingField(at, f"{CHEMISTRY_WORDS[key]} {words}", f"{flown:.2f}", typed, error))
    return tuple(fields), volts


def pick(origin: Origin, rows: Sequence[PackRow], query: QueryParams, face: Face) -> Picked:
    """The packs asked for in the address, or the first choice."""
    own = query.get("own") == "1"
    numbers = [whole_number(text) for text in query.getlist("pack")]
    specs = query.getlist("also")
    by_id = {row.id: row for row in rows}
    notes: list[str] = []
    wanted = [by_id[k] for k in dict.fromkeys(numbers) if k in by_id]
    if len(wanted) < len(dict.fromkeys(numbers)):
        notes.append("A pack asked for is no longer in the hangar.")
    if not wanted and not specs and "shown" not in query:
        wanted = first_choice(origin.sheet, rows)
    typed = {row.id: query.get(f"c.{row.id}", "") for row in rows}
    chosen = [
        Chosen(
            pack=PACKS.thing(row),
            pack_id=row.id,
            spec="",
            pack_c=_temperature(typed[row.id], face) if own else None,
        )
        for row in wanted
    ]
    for spec in dict.fromkeys(specs):
        pack = pack_of_spec(spec, like=origin.sheet.pack, cells=origin.cells)
        if pack is None:
            notes.append("An imagined pack in this address cannot be built.")
        else:
            chosen.append(Chosen(pack=pack, pack_id=None, spec=spec, pack_c=None))
    if len(chosen) > MOST_COMPARED:
        left = ", ".join(c.pack.name for c in chosen[MOST_COMPARED:])
        notes.append(f"{MOST_COMPARED} packs stand side by side; left out: {left}.")
    chosen = chosen[:MOST_COMPARED]
    landings, volts = _landings(origin.sheet, [c.pack for c in chosen], query)
    return Picked(
        chosen=tuple(chosen),
        own_temperature=own,
        notes=tuple(notes),
        temperatures=typed,
        landings=landings,
        volts=volts,
    )
