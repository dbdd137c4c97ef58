"""The halves of a pair, from what is typed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import PackFigures
from zesty_cell.store.tables import PackRow
from zesty_cell.web.drawing.pack_picture import PackPicture
from zesty_cell.words.units import read_number

#: No cell rests outside [V].
_LEAST_V, _MOST_V = 0.5, 4.5


@dataclass(frozen=True)
class Half:
    """One of the two."""

    row: PackRow
    pack: Pack
    figures: PackFigures
    picture: PackPicture
    text_v: str


def first_pair(rows: Sequence[PackRow]) -> tuple[PackRow, PackRow] | None:
    """Two individuals of one type where there are any: the likeliest pair."""
    for row in rows:
        for other in rows:
            if other.id != row.id and other.type_name == row.type_name and other.series > 1:
                return row, other
    return (rows[0], rows[-1]) if len(rows) > 1 else None


def half_volts(text: str, row: PackRow, errors: dict[str, Words], name: str) -> float:
    """The rest voltage typed, the last one read, or full."""
    if not text.strip():
        full_v = chemistry_for(row.chemistry).full_v
        return row.rest_v_per_cell if row.rest_v_per_cell is not None else full_v
    try:
        volts = read_number(text)
    except ValueError as error:
        errors[name] = str(error)
        return 0.0
    if not _LEAST_V <= volts <= _MOST_V:
        errors[name] = fact("typed.pair.volts", least=_LEAST_V, most=_MOST_V)
    return volts
