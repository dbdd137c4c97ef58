"""A pack's own rest-voltage curve as open JSON, read back exactly.  See docs/formats.md."""

from __future__ import annotations

from typing import Any, Final, Literal

from zesty_cell.core.parts.own_curve import OwnCurve
from zesty_cell.formats.documents import document_schema, read_document, write_document

FORMAT: Final = "zesty-cell curve"
VERSION: Final = 1


class CurveDocument(OwnCurve):
    """A curve with the marks that tell a reader what it is."""

    format: Literal["zesty-cell curve"] = FORMAT
    version: Literal[1] = VERSION


def write_curve_json(curve: OwnCurve) -> str:
    """The curve as JSON text, indented, with its format and version first."""
    return write_document(curve, name=FORMAT, version=VERSION)


def curve_schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the document."""
    return document_schema(CurveDocument, title="Zesty Cell curve")


def read_curve_json(data: bytes | str) -> OwnCurve:
    """Read a curve's document.

    Raises
    ------
    FileFormatError
        As :func:`~zesty_cell.formats.documents.read_document`.
    """
    read = read_document(data, model=CurveDocument, name=FORMAT, newest=VERSION, what="curve")
    return OwnCurve(**{name: getattr(read, name) for name in OwnCurve.model_fields})
