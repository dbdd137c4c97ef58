"""The sheet as open JSON: one self-contained document, read back exactly.  See docs/formats.md."""

from __future__ import annotations

import json
from typing import Any, Final, Literal, NoReturn

from pydantic import ValidationError

from zesty_cell.core.sheet import Sheet
from zesty_cell.formats.errors import FileFormatError, problems_of

FORMAT: Final = "zesty-cell sheet"
VERSION: Final = 1
#: A sheet is a few kB; anything larger is not one.
MAX_BYTES = 256 * 1024


class SheetDocument(Sheet):
    """A sheet with the marks that tell a reader what it is."""

    format: Literal["zesty-cell sheet"] = FORMAT
    version: Literal[1] = VERSION


def write_sheet(sheet: Sheet) -> str:
    """The sheet as JSON text, indented, with its format and version first."""
    document = {"format": FORMAT, "version": VERSION, **sheet.model_dump(mode="json")}
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"


def sheet_schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the document."""
    schema = SheetDocument.model_json_schema()
    schema["required"] = [
        "format",
        "version",
        *(r for r in schema["required"] if r not in ("format", "version")),
    ]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Zesty Cell sheet", **schema}


def _no_constant(text: str) -> NoReturn:
    raise ValueError(f"{text} is not a number JSON knows")


def _decode(data: bytes) -> str:
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise FileFormatError("This is not text in UTF-8, so it is not a sheet.", line=line) from error


def read_sheet(data: bytes | str) -> Sheet:
    """Read a sheet document.

    Raises
    ------
    FileFormatError
        Broken or foreign JSON, a newer version, or values out of bounds: with line and column
        where the text itself is broken, with the path of each value otherwise.
    """
    if len(data) > MAX_BYTES:
        raise FileFormatError(f"This file has {len(data):,} bytes: a sheet has a few thousand. Nothing was read.")
    text = data if isinstance(data, str) else _decode(data)
    try:
        document = json.loads(text, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        raise FileFormatError(
            f"This is not JSON: {error.msg.lower()}.", line=error.lineno, column=error.colno
        ) from error
    except RecursionError as error:
        raise FileFormatError("This JSON is nested too deeply to be a sheet.") from error
    except ValueError as error:
        raise FileFormatError(f"This JSON holds something no sheet has: {error}.") from error
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise FileFormatError(
            f'This JSON is not a Zesty Cell sheet: at the top it should say "format": "{FORMAT}".'
        )
    version = document.get("version")
    if isinstance(version, int) and not isinstance(version, bool) and version > VERSION:
        raise FileFormatError(
            f"This sheet was written in format version {version}; this application reads up to {VERSION}. "
            "Update the application to open it."
        )
    try:
        read = SheetDocument.model_validate_json(json.dumps(document))
    except ValidationError as error:
        raise FileFormatError("This sheet cannot be used.", problems=problems_of(error)) from error
    return Sheet(**{name: getattr(read, name) for name in Sheet.model_fields})
