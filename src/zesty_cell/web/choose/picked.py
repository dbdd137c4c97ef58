"""Which packs are compared, each at which landing: from the address."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from starlette.datastructures import QueryParams

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.compare import MOST_COMPARED
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import PackRow
from zesty_cell.web.choose.base import Origin
from zesty_cell.web.choose.imagined import pack_of_spec
from zesty_cell.web.choose.landings import LandingField, Volts, landings_of
from zesty_cell.web.http import whole_number
from zesty_cell.words.face import Face
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
class Picked:
    """What the address asks for."""

    chosen: tuple[Chosen, ...]
    own_temperature: bool
    notes: tuple[Words, ...]
    temperatures: Mapping[int, str]
    landings: tuple[LandingField, ...]
    volts: Volts


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


def pick(origin: Origin, rows: Sequence[PackRow], query: QueryParams, face: Face) -> Picked:
    """The packs asked for in the address, or the first choice."""
    own = query.get("own") == "1"
    numbers = [whole_number(text) for text in query.getlist("pack")]
    specs = query.getlist("also")
    by_id = {row.id: row for row in rows}
    notes: list[Words] = []
    wanted = [by_id[k] for k in dict.fromkeys(numbers) if k in by_id]
    if len(wanted) < len(dict.fromkeys(numbers)):
        notes.append(fact("compared.pack_gone"))
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
            notes.append(fact("compared.not_built"))
        else:
            chosen.append(Chosen(pack=pack, pack_id=None, spec=spec, pack_c=None))
    if len(chosen) > MOST_COMPARED:
        left = ", ".join(c.pack.name for c in chosen[MOST_COMPARED:])
        notes.append(fact("compared.most", most=MOST_COMPARED, left=left))
    chosen = chosen[:MOST_COMPARED]
    landings, volts = landings_of(origin.sheet, [c.pack for c in chosen], query)
    return Picked(
        chosen=tuple(chosen),
        own_temperature=own,
        notes=tuple(notes),
        temperatures=typed,
        landings=landings,
        volts=volts,
    )
