"""The sheet as open JSON: one self-contained document, read back exactly.  See docs/formats.md."""

from __future__ import annotations

from typing import Any, Final, Literal

from zesty_cell.core.sheet import Sheet
from zesty_cell.formats.documents import document_schema, read_document, write_document

FORMAT: Final = "zesty-cell sheet"
#: Version 2 knows cells, layout and tests of a pack, limits of each motor, and what is being tried.
VERSION: Final = 2


class SheetDocument(Sheet):
    """A sheet with the marks that tell a reader what it is."""

    format: Literal["zesty-cell sheet"] = FORMAT
    version: Literal[1, 2] = VERSION


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
        As :func:`~zesty_cell.formats.documents.read_document`.
    """
    read = read_document(data, model=SheetDocument, name=FORMAT, newest=VERSION, what="sheet")
    return Sheet(**{name: getattr(read, name) for name in Sheet.model_fields})
