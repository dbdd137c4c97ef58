"""Imagined packs in addresses: short texts such as ``lipo.6.1.2200.rows.good`` or ``cell.3.6.2.rows``."""

from __future__ import annotations

import re
from collections.abc import Mapping

from pydantic import ValidationError

from zesty_cell.core.choose.candidates import label_name
from zesty_cell.core.errors import LayoutError, OutOfRangeError
from zesty_cell.core.parts.cell import CellModel
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.core.parts.pack import Pack, pack_of_cells

_ARRANGEMENTS = {"rows": "rows", "layers": "two layers", "tube": "tube"}
_SHORT = {long: short for short, long in _ARRANGEMENTS.items()}
_LABEL = re.compile(r"([a-z0-9_]{3,14})\.(\d{1,2})\.(\d{1,2})\.(\d{2,6})\.([a-z]{4,6})\.(good|ordinary|micro)")
_CELL = re.compile(r"cell\.(\d{1,9})\.(\d{1,2})\.(\d{1,2})\.([a-z]{4,6})")


def spec_of(pack: Pack, *, cells: Mapping[int, CellModel]) -> str | None:
    """The short text of an imagined pack, or None where it cannot be told in one."""
    shape = f"{pack.series}.{pack.parallel}"
    lying = _SHORT[pack.arrangement]
    if pack.cell_name is not None:
        number = next((k for k, c in cells.items() if c.name == pack.cell_name and c.size == pack.cell_size), None)
        return None if number is None else f"cell.{number}.{shape}.{lying}"
    cell_mah = round(1000 * pack.capacity_ah / pack.parallel)
    return f"{pack.chemistry}.{shape}.{cell_mah}.{lying}.{pack.quality}"


def cell_of_spec(text: str) -> int | None:
    """Number of the cell that an imagined pack is built from; None where it is not."""
    found = _CELL.fullmatch(text)
    return int(found[1]) if found else None


def pack_of_spec(text: str, *, like: Pack, cells: Mapping[int, CellModel]) -> Pack | None:
    """The pack that a short text stands for, with the leads and plug of ``like``; None for nonsense."""
    around = {k: getattr(like, k) for k in ("connector", "second_plug", "lead_length_m", "lead_area_mm2")}
    try:
        if found := _CELL.fullmatch(text):
            number, series, parallel = (int(g) for g in found.groups()[:3])
            cell = cells.get(number)
            if cell is None or found[4] not in _ARRANGEMENTS:
                return None
            shape = f"{series}S" if parallel == 1 else f"{series}S{parallel}P"
            bare = like.model_copy(update={"parallel_harness": False, "link_ohm": None, "cycles": 0})
            return pack_of_cells(
                cell=cell,
                name=f"{shape} {cell.name}"[:80].strip(),
                series=series,
                parallel=parallel,
                arrangement=_ARRANGEMENTS[found[4]],  # type: ignore[arg-type]
                pack=bare,
            )
        if found := _LABEL.fullmatch(text):
            chemistry, series, parallel = found[1], int(found[2]), int(found[3])
            if chemistry not in CHEMISTRIES or found[5] not in _ARRANGEMENTS:
                return None
            capacity_ah = round(int(found[4]) / 1000.0 * parallel, 4)
            return Pack.model_validate(
                {
                    "name": label_name(
                        chemistry=chemistry,
                        series=series,
                        parallel=parallel,
                        capacity_ah=capacity_ah,
                    ),
                    "chemistry": chemistry,
                    "series": series,
                    "parallel": parallel,
                    "capacity_ah": capacity_ah,
                    "quality": found[6],
                    "arrangement": _ARRANGEMENTS[found[5]],
                    **around,
                }
            )
    except (ValidationError, LayoutError, OutOfRangeError):
        return None
    return None
