"""Which pack for this craft: up to eight side by side."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse
from sqlalchemy.orm import Session
from starlette.datastructures import QueryParams

from zesty_cell.core.answer.plausibility import landing_volts_doubt
from zesty_cell.core.asked.flying import FIRST_PATTERN, PATTERNS
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.buys import LEAST_GAIN_S, what_buys_minutes
from zesty_cell.core.choose.candidates import LandingVolts, landing_on
from zesty_cell.core.choose.compare import (
    MOST_COMPARED,
    PURPOSES,
    Compared,
    Contender,
    Purpose,
    Verdict,
    compare_crafts,
    compare_packs,
    verdict,
)
from zesty_cell.core.choose.knee import knee
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import Chemistry, ChemistryKey
from zesty_cell.core.parts.ownership import type_of
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.services import learning
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CraftRow, PackRow
from zesty_cell.web.choose.base import Desk, base_context, desk_of
from zesty_cell.web.choose.imagined import pack_of_spec
from zesty_cell.web.drawing.compare_chart import bars, half_way, multiples, overlay, slopes
from zesty_cell.web.drawing.knee_chart import KneeChart, knee_chart
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture
from zesty_cell.web.http.database import Store
from zesty_cell.web.http.forms import whole_number
from zesty_cell.web.http.preferences import preferences_of
from zesty_cell.web.http.templating import page
from zesty_cell.words.face import Face
from zesty_cell.words.landing import CHEMISTRY_WORDS, landing_words
from zesty_cell.words.units import TEMPERATURE, read_number

router = APIRouter(prefix="/choose", include_in_schema=False)
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
    error: str


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


def _landing_typed(text: str, *, chemistry: Chemistry, at: str) -> tuple[float | None, str]:
    """A landing voltage as typed [V a cell], and what is wrong with it."""
    if not text:
        return None, ""
    try:
        value = read_number(text)
    except ValueError as wrong:
        return None, str(wrong)
    doubt = landing_volts_doubt(value, chemistry=chemistry, field=at)
    return (None, doubt.words) if doubt else (value, "")


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


def pick(desk: Desk, rows: Sequence[PackRow], query: QueryParams, face: Face) -> Picked:
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
        wanted = first_choice(desk.sheet, rows)
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
        pack = pack_of_spec(spec, like=desk.sheet.pack, cells=desk.cells)
        if pack is None:
            notes.append("An imagined pack in this address cannot be built.")
        else:
            chosen.append(Chosen(pack=pack, pack_id=None, spec=spec, pack_c=None))
    if len(chosen) > MOST_COMPARED:
        left = ", ".join(c.pack.name for c in chosen[MOST_COMPARED:])
        notes.append(f"{MOST_COMPARED} packs stand side by side; left out: {left}.")
    chosen = chosen[:MOST_COMPARED]
    landings, volts = _landings(desk.sheet, [c.pack for c in chosen], query)
    return Picked(
        chosen=tuple(chosen),
        own_temperature=own,
        notes=tuple(notes),
        temperatures=typed,
        landings=landings,
        volts=volts,
    )


@dataclass(frozen=True)
class Line:
    """One row of the comparison: what was worked out, and its drawing."""

    row: Compared
    chosen: Chosen | None
    name: str
    picture: PackPicture
    kind: str
    landing: str


def _line(row: Compared, chosen: Chosen | None, name: str) -> Line:
    pack = row.pack
    chemistry = chemistry_for(pack.chemistry)
    shape = f"{pack.series}S" if pack.parallel == 1 else f"{pack.series}S{pack.parallel}P"
    return Line(
        row=row,
        chosen=chosen,
        name=name,
        picture=pack_picture(pack, width=104.0),
        kind=f"{shape} {chemistry.short_name}",
        landing=landing_words(row.setup.sheet),
    )


def _knee_of(sheet: Sheet, chemistry: str, rows: Sequence[Compared], face: Face) -> tuple[KneeChart | None, str]:
    """The knee's chart and a sentence; words alone where there is no curve."""
    try:
        curve = knee(sheet, chemistry=chemistry)  # type: ignore[arg-type]
    except OutOfRangeError as error:
        return None, str(error)
    packs = [
        (r.pack.name, r.setup.figures.mass_kg, r.brief.landing_s, r.pack.chemistry == chemistry)
        for r in rows
        if r.brief.flies
    ]
    chart = knee_chart(curve, packs=packs, units=face.view.units)
    own_kg = pack_figures(sheet.pack).mass_kg
    gain = curve.gain_at(own_kg)
    hundred = face.mass(0.1)
    if curve.knee_kg is None:
        words = f"A further {hundred} buys {gain:.0f} s at the weight of {sheet.pack.name}."
    else:
        side = "before" if own_kg < curve.knee_kg else "past"
        words = (
            f"Another gram stops paying near {face.mass(curve.knee_kg)}: from there 1 % more pack buys less than "
            f"½ % more time. {sheet.pack.name} stands {side} it, where a further {hundred} buys {gain:.0f} s."
        )
    return chart, words


@router.get("/{sheet_id}")
def compare_page(
    request: Request, session: Store, sheet_id: int, purpose: Annotated[str, Query(max_length=40)] = "longest"
) -> HTMLResponse:
    """Up to eight packs on the sheet's craft, pattern, air and landing rule."""
    face = Face(preferences_of(request))
    desk = desk_of(session, sheet_id)
    rows = PACKS.all(session)
    picked = pick(desk, rows, request.query_params, face)
    contenders = [Contender(pack=c.pack, pack_c=c.pack_c) for c in picked.chosen]
    compared, left_out = compare_packs(desk.sheet, contenders=contenders, volts=picked.volts)
    flown = [c for c in picked.chosen if c.pack.name not in {x.name for x in left_out}]
    lines = [_line(row, c, c.pack.name) for row, c in zip(compared, flown, strict=True)]
    wanted: Purpose = purpose if purpose in PURPOSES else "longest"
    chemistry = request.query_params.get("knee", desk.sheet.pack.chemistry)
    chemistry = chemistry if chemistry in CHEMISTRY_WORDS else desk.sheet.pack.chemistry
    chart, knee_words = _knee_of(desk.sheet, chemistry, compared, face)
    buys = [b for b in _buys(desk.sheet, face) if abs(b.gained_s) >= LEAST_GAIN_S][:5]
    return page(
        request,
        "choose_compare.html",
        base_context(desk, face, "")
        | _pictures(lines, face)
        | {
            "title": f"Which pack for {desk.sheet.craft.name}?",
            "picked": picked,
            "rows": rows,
            "mine": sum(1 for c in picked.chosen if c.pack_id in {r.id for r in rows if r.standing == "own"}),
            "left_out": left_out,
            "purposes": PURPOSES,
            "purpose": wanted,
            "verdict": verdict(compared, purpose=wanted, say_mass=face.mass_about),
            "others": _others(compared, wanted, face),
            "knee": chart,
            "knee_words": knee_words,
            "knee_chemistry": chemistry,
            "knee_choices": list(CHEMISTRY_WORDS.items()),
            "buys": buys,
            "most_gain": max((abs(b.gained_s) for b in buys), default=1.0),
            "reverse": False,
            "query": request.query_params,
            "types": _by_type(rows),
        },
    )


def _by_type(rows: Sequence[PackRow]) -> list[tuple[str, list[PackRow]]]:
    """Packs of the hangar by type, retired ones last."""
    types: dict[str, list[PackRow]] = {}
    for row in sorted(rows, key=lambda r: (r.standing == "retired", r.name.casefold())):
        types.setdefault(type_of(row.name), []).append(row)
    return list(types.items())


def _buys(sheet: Sheet, face: Face) -> Sequence[Any]:
    try:
        return what_buys_minutes(sheet, say_mass=face.mass_about, say_temperature=face.temperature)
    except OutOfRangeError:
        return ()


def _others(rows: Sequence[Compared], wanted: Purpose, face: Face) -> list[Verdict]:
    """One or two further verdicts beside the one asked for."""
    others: list[Purpose] = ["strongest at the end", "longest", "lightest"]
    return [verdict(rows, purpose=p, say_mass=face.mass_about) for p in others if p != wanted][:2]


def _pictures(lines: Sequence[Line], face: Face) -> dict[str, Any]:
    rows = [line.row for line in lines]
    flying = [line for line in lines if line.row.brief.flies]  # the others have no flight to show
    flown, names = [line.row for line in flying], [line.name for line in flying]
    as_pack = face.view.volts == "pack"
    return {
        "lines": lines,
        "bars": bars(rows),
        "slopes": slopes(rows),
        "spare_half": [half_way(row) for row in rows],
        "multiples": multiples(flown, names=names, as_pack=as_pack),
        "overlay": overlay(flown, names=names, as_pack=as_pack),
    }


def _sheet_for(craft_row: CraftRow, desk: Desk, session: Session) -> Sheet:
    """How another craft is flown beside the sheet's: in the same air, by the same landing rule, and in the same
    pattern where it is of the same kind; another kind flies its own kind's first."""
    craft = CRAFTS.thing(craft_row)
    same = craft.kind == desk.sheet.craft.kind
    flying = desk.sheet.flying if same else PATTERNS[FIRST_PATTERN[craft.kind]]
    of = {"flying": flying, "conditions": desk.sheet.conditions, "landing": desk.sheet.landing, "trying": ()}
    own = sheet_for(session, craft_id=craft_row.id, pattern=flying.name)
    if own is not None:
        return learning.as_flown(session, own).model_copy(update=of)
    return desk.sheet.model_copy(update=of | {"craft": craft})


@router.get("/{sheet_id}/crafts")
def crafts_page(request: Request, session: Store, sheet_id: int) -> HTMLResponse:
    """The sheet's pack on several crafts."""
    face = Face(preferences_of(request))
    desk = desk_of(session, sheet_id)
    crafts = CRAFTS.all(session)
    asked = {whole_number(text) for text in request.query_params.getlist("craft")}
    full_v = pack_figures(desk.sheet.pack).full_v

    sheets = {row.id: _sheet_for(row, desk, session) for row in crafts}

    def suits(row: CraftRow) -> bool:
        """Near the voltage it flies on today, and not above what its parts take."""
        own_v = pack_figures(sheets[row.id].pack).full_v
        limit_v = sheets[row.id].craft.limits.maximum_v or 1.05 * own_v
        return row.id == desk.row.craft_id or 0.6 * own_v <= full_v <= limit_v

    shown = [r for r in crafts if (r.id in asked if asked else suits(r))][:MOST_COMPARED]
    compared, left_out = compare_crafts(desk.sheet, sheets=[sheets[r.id] for r in shown])
    out = {x.name for x in left_out}
    names = [r.name for r in shown if r.name not in out]
    lines = [_line(row, None, name) for row, name in zip(compared, names, strict=True)]
    return page(
        request,
        "choose_compare.html",
        base_context(desk, face, "/crafts")
        | _pictures(lines, face)
        | {
            "title": f"Which craft for {desk.sheet.pack.name}?",
            "left_out": left_out,
            "crafts": crafts,
            "shown_ids": {r.id for r in shown},
            "reverse": True,
            "purposes": (),
            "query": request.query_params,
        },
    )
