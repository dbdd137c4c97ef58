"""The first answer: a craft and a pack made of three answers, and the forecast of their sheet.

What is not said is assumed, and carries its width; what is kept is an ordinary craft, pack and sheet.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.asked.flying import PATTERNS, FlyingPattern
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.learn.surer import MeasureKey, Surer, surer
from zesty_cell.core.learn.taken import TAKEN
from zesty_cell.core.learn.timer import NextTimer, next_timer
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.label import read_label
from zesty_cell.core.parts.label_pack import LabelledPack, pack_of_label
from zesty_cell.core.parts.ownership import type_of
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.parts.starting import (
    KINDS,
    Carries,
    Kind,
    Manner,
    StartKey,
    kind_like,
    starting_craft,
    usual_pack,
    usual_ready_kg,
)
from zesty_cell.services.advice import advice_for
from zesty_cell.services.forecasts import flown
from zesty_cell.services.measuring import taken
from zesty_cell.store import sheets
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CraftRow, PackRow, SheetRow
from zesty_cell.words.naming import craft_name, pack_name, sheet_name

#: A pilot who is far away says so on the sheet; a first answer keeps half a minute for the way home.
_FIRST_RULE = LandingRule()


@dataclass(frozen=True)
class Asked:
    """Three answers, each of which may be missing.

    Attributes
    ----------
    size_m, ready_kg : float or None
        Of one propeller, the rotor or the span [m]; with its pack [kg]; None: as usual.
    line : str
        The pack's label.
    corrected : mapping
        What a pilot corrected of what was understood, by the names of :class:`Label`.
    owned : (int, Pack) or None
        A pack of the hangar instead.
    craft : (int, Craft) or None
        A craft of the hangar instead of a kind.
    pattern : FlyingPattern or None
        Instead of a manner.
    read : mapping of MeasureKey to tuple of float
        What was measured already, in SI.
    """

    kind: StartKey = "freestyle"
    size_m: float | None = None
    ready_kg: float | None = None
    carries: Carries = "camera"
    line: str = ""
    corrected: Mapping[str, object] = field(default_factory=dict)
    owned: tuple[int, Pack] | None = None
    craft: tuple[int, Craft] | None = None
    manner: Manner = "mixed"
    pattern: FlyingPattern | None = None
    read: Mapping[MeasureKey, tuple[float, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class FirstSheet:
    """What three answers make.

    Attributes
    ----------
    labelled : LabelledPack
        What was understood of the label; of an owned pack, that pack.
    usual_ready_kg : tuple of float
        What such a craft usually weighs with this pack [kg]: low, middle, high.
    doubts : mapping of str to Words
        By what it concerns, “ready” or a measurement: why it was not taken as it was given.
    """

    sheet: Sheet
    kind: Kind
    labelled: LabelledPack
    usual_ready_kg: tuple[float, float, float]
    doubts: Mapping[str, Words]


@dataclass(frozen=True)
class FirstAnswer:
    """The first answer to three: the forecast, the timer to set, and what would make it surer."""

    first: FirstSheet
    result: Forecast
    timer: NextTimer
    surer: Surer


def first_sheet(asked: Asked, /) -> FirstSheet:
    """The sheet that three answers make; never stored by this."""
    kind = KINDS[asked.kind] if asked.craft is None else kind_like(asked.craft[1])
    size_m = kind.size_m[1] if asked.size_m is None or asked.craft is not None else asked.size_m
    labelled = _pack(asked, usual_pack(kind, size_m=size_m))
    pack = labelled.pack
    pack_kg = pack_figures(pack).mass_kg
    craft = (
        asked.craft[1]
        if asked.craft is not None
        else starting_craft(
            kind,
            name=craft_name(kind, size_m=asked.size_m),
            pack_kg=pack_kg,
            pack=pack,
            size_m=asked.size_m,
            ready_kg=asked.ready_kg,
            carries=asked.carries,
        )
    )
    doubts: dict[str, Words] = {}
    if asked.craft is None and asked.ready_kg is not None and craft.dry_mass_kg > asked.ready_kg - pack_kg + 1e-4:
        doubts["ready"] = fact("start.lighter_than_pack", pack_kg=pack_kg)
    for key in TAKEN:
        if key not in asked.read or asked.craft is not None:
            continue
        found = taken(key, asked.read[key], craft=craft, pack=pack)
        if isinstance(found, tuple):
            craft, pack = found
        else:
            doubts[key] = found
    usual = usual_ready_kg(kind, size_m=size_m, carries=asked.carries, pack_kg=pack_kg)
    sheet = Sheet(
        name=sheet_name(craft=craft.name, pack=pack.name),
        craft=craft,
        pack=pack,
        flying=asked.pattern or PATTERNS[kind.patterns[asked.manner]],
        landing=_FIRST_RULE,
    )
    return FirstSheet(sheet, kind, replace(labelled, pack=pack), usual, doubts)


def _pack(asked: Asked, usual: Pack) -> LabelledPack:
    if asked.owned is not None:
        return LabelledPack(asked.owned[1], frozenset(), False, ())
    label = replace(read_label(asked.line), **asked.corrected)  # type: ignore[arg-type]
    labelled = pack_of_label(label, usual=usual)
    named = labelled.pack.model_copy(update={"name": pack_name(labelled.pack, called=label.called)})
    return replace(labelled, pack=named)


def first_answer(session: Session, asked: Asked, /) -> FirstAnswer:
    """The answer to three answers; of a craft that has flown, as its flights correct it.

    Raises
    ------
    OutOfRangeError
        When they contradict each other.
    """
    first = first_sheet(asked)
    if asked.craft is None:
        result = flown(first.sheet)
        return FirstAnswer(first, result, next_timer(flights=(), result=result), surer(result))
    # A pack that is not in the hangar yet stands for itself: its type may have been flown.
    name = first.sheet.pack.name
    pack = (
        PackRow(name=name, type_name=type_of(name)) if asked.owned is None else PACKS.fetch(session, asked.owned[0])
    )
    advice = advice_for(session, first.sheet, craft_id=asked.craft[0], pack=pack)
    return FirstAnswer(first, advice.result, advice.timer, surer(advice.result))


def sheet_with(session: Session, craft_row: CraftRow, pack_row: PackRow, /) -> SheetRow:
    """A first sheet of a craft and a pack of the hangar: flown as the craft's newest sheet is, or as its kind is,
    landed by the usual rule."""
    own = [row for row in sheets.all_sheets(session) if row.craft_id == craft_row.id]
    pattern = sheets.as_sheet(max(own, key=lambda row: (row.updated_at, row.id))).flying if own else None
    craft, pack = (craft_row.id, CRAFTS.thing(craft_row)), (pack_row.id, PACKS.thing(pack_row))
    return keep(session, Asked(craft=craft, owned=pack, pattern=pattern))


def keep(session: Session, asked: Asked, /) -> SheetRow:
    """Craft, pack and sheet into the hangar; what is there already, equal in every figure, is taken again."""
    sheet = first_sheet(asked).sheet
    craft_row = (
        CRAFTS.bring_in(session, sheet.craft) if asked.craft is None else CRAFTS.fetch(session, asked.craft[0])
    )
    pack_id = PACKS.bring_in(session, sheet.pack).id if asked.owned is None else asked.owned[0]
    craft, pack = CRAFTS.thing(craft_row), PACKS.thing(PACKS.fetch(session, pack_id))
    named = sheet.model_copy(
        update={"craft": craft, "pack": pack, "name": sheet_name(craft=craft.name, pack=pack.name)}
    )
    return sheets.add(session, named, craft_id=craft_row.id, pack_id=pack_id)
