"""The list of sheets as it is shown: found, sorted, a page of it, each with its answer and its packs."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from typing import Final

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.parts.ownership import charge_now
from zesty_cell.core.parts.pack import Pack
from zesty_cell.services.sheet_answers import SheetAnswer
from zesty_cell.store import sheets as store
from zesty_cell.store.hangar import PACKS, ownership_of
from zesty_cell.store.sheets import SheetHead
from zesty_cell.store.tables import FlightRow, PackRow
from zesty_cell.web.drawing.pack_picture import PackPicture, pack_picture
from zesty_cell.web.drawing.scale import Scale, path

#: Sheets on one page.
A_PAGE: Final = 50
#: Orders of the list, by their name in the address.
ORDERS: Final[dict[str, str]] = {
    "changed": "changed last",
    "name": "by name",
    "time": "longest first",
    "flown": "flown last",
}
#: A pack with so much charge is ready to fly [1].
_CHARGED: Final = 0.95
_WIDTH, _HEIGHT = 96.0, 34.0


@dataclass(frozen=True)
class Wanted:
    """What of the list is looked at."""

    words: str = ""
    order: str = "changed"
    page: int = 1


@dataclass(frozen=True)
class SmallPicture:
    """A sheet's voltage in a few strokes: rest, cruise, and the sag between; where it lands."""

    width: float
    height: float
    rest: str
    cruise: str
    gap: str
    landing_x: float


@dataclass(frozen=True)
class Item:
    """A sheet in the list."""

    row: SheetHead
    sheet: Sheet
    pack_picture: PackPicture
    answer: SheetAnswer | None
    picture: SmallPicture | None
    flown: datetime | None
    charged: int
    of_type: int


@dataclass(frozen=True)
class Listed:
    """A page of the list."""

    items: list[Item]
    count: int
    page: int
    pages: int


@lru_cache(maxsize=512)
def _picture(pack: Pack) -> PackPicture:
    return pack_picture(pack, width=88.0)


@lru_cache(maxsize=1024)
def small_picture(answer: SheetAnswer) -> SmallPicture | None:
    """The voltage of an answer, small; None where there is no flight."""
    if len(answer.rest_v) < 2:
        return None
    rest, cruise = np.array(answer.rest_v), np.array(answer.cruise_v)
    x = Scale(0.0, rest.size - 1.0, 0.0, _WIDTH)
    low = float(np.percentile(cruise, 8))
    y = Scale(low, max(float(rest[0]), low + 0.05), _HEIGHT - 1.0, 2.0)
    xs, rest_y = x.many(np.arange(rest.size, dtype=np.float64)), y.many(np.maximum(rest, low))
    cruise_y = y.many(np.maximum(cruise, low))
    return SmallPicture(
        width=_WIDTH,
        height=_HEIGHT,
        rest=path(xs, rest_y),
        cruise=path(xs, cruise_y),
        gap=f"{path(xs, rest_y)}L{path(xs[::-1], cruise_y[::-1])[1:]}Z",
        landing_x=_WIDTH * answer.landing_share,
    )


def _last_flown(session: Session) -> dict[tuple[int, str, str], datetime]:
    """When a craft last flew a pattern with a type of pack."""
    query = (
        select(FlightRow.craft_id, PackRow.type_name, FlightRow.pattern, func.max(FlightRow.landed_at))
        .join(PackRow, PackRow.id == FlightRow.pack_id)
        .where(FlightRow.deleted_at.is_(None))
        .group_by(FlightRow.craft_id, PackRow.type_name, FlightRow.pattern)
    )
    return {(craft, kind, pattern): landed for craft, kind, pattern, landed in session.execute(query)}


def _packs(session: Session) -> tuple[Counter[str], Counter[str]]:
    """Packs at hand by type, and those of them that are charged."""
    there, charged = Counter[str](), Counter[str]()
    for row in PACKS.all(session):
        if row.standing != "own":
            continue
        there[row.type_name] += 1
        if row.rest_v_per_cell is not None:
            charge = charge_now(pack=PACKS.thing(row), ownership=ownership_of(row))
            charged[row.type_name] += charge is not None and charge >= _CHARGED
    return there, charged


def listed(
    session: Session, rows: Sequence[SheetHead], answers: Mapping[int, SheetAnswer], wanted: Wanted
) -> Listed:
    """The page of the list that is looked at."""
    flown = _last_flown(session)

    def flown_at(row: SheetHead) -> datetime | None:
        return flown.get((row.craft_id, row.pack_type, row.pattern))

    words = wanted.words.casefold().split()
    found = [
        row
        for row in rows
        if all(word in f"{row.name} {row.craft_name} {row.pack_name}".casefold() for word in words)
    ]

    def landing_s(row: SheetHead) -> float:
        return answers[row.id].landing_s if row.id in answers else -1.0

    orders: dict[str, Callable[[SheetHead], tuple[object, ...]]] = {
        "changed": lambda row: (-row.updated_at.timestamp(), -row.id),
        "name": lambda row: (row.name.casefold(), row.id),
        "time": lambda row: (-landing_s(row), row.id),
        "flown": lambda row: (-at.timestamp() if (at := flown_at(row)) else math.inf, row.id),
    }
    found.sort(key=orders[wanted.order])
    pages = max(math.ceil(len(found) / A_PAGE), 1)
    page = min(wanted.page, pages)
    there, charged = _packs(session)
    looked_at, items = found[(page - 1) * A_PAGE : page * A_PAGE], []
    whole = store.some_of(session, [row.id for row in looked_at])
    for row in looked_at:
        sheet, answer, kind = store.as_sheet(whole[row.id]), answers.get(row.id), row.pack_type
        items.append(
            Item(
                row=row,
                sheet=sheet,
                pack_picture=_picture(sheet.pack),
                answer=answer,
                picture=None if answer is None else small_picture(answer),
                flown=flown_at(row),
                charged=charged[kind],
                of_type=there[kind],
            )
        )
    return Listed(items, len(found), page, pages)
