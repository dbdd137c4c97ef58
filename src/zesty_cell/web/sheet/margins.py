"""The margins of a sheet: craft, pack and pattern as they are flown."""

from __future__ import annotations

from typing import Any

from zesty_cell.core.asked.changes import CHANGES, with_changes
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.fact import Fact
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.web.drawing.pack_picture import pack_picture
from zesty_cell.web.drawing.pattern_strip import pattern_strip
from zesty_cell.words import sheet as in_words
from zesty_cell.words.face import Face


def margins(sheet: Sheet, face: Face) -> dict[str, Any]:
    """The margins of a sheet: craft, pack and pattern as they are flown, with what is being tried."""
    sheet = with_changes(sheet)
    return {
        "sheet": sheet,
        "picture": pack_picture(sheet.pack),
        "pack_kind": in_words.pack_kind(sheet),
        "craft_facts": in_words.craft_facts(sheet, face),
        "pack_facts": in_words.pack_facts(sheet),
        "pack_mass": face.mass(pack_figures(sheet.pack).mass_kg),
        "strip": pattern_strip(sheet.flying, face=face),
        "pattern_summary": in_words.pattern_summary(sheet.flying),
    }


def tried(sheet: Sheet) -> list[tuple[str, Fact]]:
    """What is being tried: key and words."""
    return [(key, CHANGES[key].title(sheet)) for key in sheet.trying]
