"""The sheet as open JSON: one self-contained document, read back exactly.  See docs/formats.md."""

from __future__ import annotations

from typing import Any, Final, Literal

from pydantic import model_validator

from zesty_cell.core.answer.plausibility import sheet_doubts
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.fact import fact
from zesty_cell.formats.documents import document_schema, read_document, write_document
from zesty_cell.formats.errors import FileFormatError, Problem

FORMAT: Final = "zesty-cell sheet"
#: Version 2 knows cells, layout and tests of a pack, limits of each motor, and what is being tried.  Version 3
#: knows what the transmitter shows, and leaves efficiencies open that are as usual for the craft's size.  Version 4
#: knows the air of a measured point, what read a current and where, what carries a craft, and heights of bursts.
VERSION: Final = 4
#: What forms before version 3 filled in for an efficiency nobody had given [1].
OLD_EFFICIENCY = {"rotor": 0.45, "wing": 0.5}


class SheetDocument(Sheet):
    """A sheet with the marks that tell a reader what it is."""

    format: Literal["zesty-cell sheet"] = FORMAT
    version: Literal[1, 2, 3, 4] = VERSION

    @model_validator(mode="before")
    @classmethod
    def _brought_forward(cls, document: Any) -> Any:
        """A value that was only filled in for want of another is left open, as it would be today."""
        if not isinstance(document, dict) or document.get("version") not in (1, 2):
            return document
        craft = document.get("craft")
        steady = craft.get("steady") if isinstance(craft, dict) else None
        if not isinstance(craft, dict) or not isinstance(steady, dict):
            return document
        filled_in = OLD_EFFICIENCY.get(str(steady.get("source")))
        if filled_in is None or steady.get("efficiency") != filled_in:
            return document
        return document | {"craft": craft | {"steady": steady | {"efficiency": None}}}


def plain_sheet(document: SheetDocument) -> Sheet:
    """The sheet of a document, without its marks."""
    return Sheet(**{name: getattr(document, name) for name in Sheet.model_fields})


def write_sheet(sheet: Sheet) -> str:
    """The sheet as JSON text, indented, with its format and version first."""
    return write_document(sheet, name=FORMAT, version=VERSION)


def sheet_schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the document."""
    return document_schema(SheetDocument, title="Zesty Cell sheet")


def read_sheet(data: bytes | str) -> Sheet:
    """Read a sheet document.

    Raises
    ------
    FileFormatError
        As :func:`~zesty_cell.formats.documents.read_document`; and figures that cannot be, each with its path.
    """
    read = read_document(data, model=SheetDocument, name=FORMAT, newest=VERSION, what="sheet")
    sheet = plain_sheet(read)
    never = tuple(Problem(d.field, d.why) for d in sheet_doubts(sheet) if d.impossible)
    if never:
        raise FileFormatError(fact("file.sheet.cannot_be"), problems=never)
    return sheet
