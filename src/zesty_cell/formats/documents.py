"""What all our JSON documents share: a format's name and version at the top, and clear refusals."""

from __future__ import annotations

import json
from typing import Any, NoReturn, TypeVar

from pydantic import BaseModel, ValidationError

from zesty_cell.core.fact import fact
from zesty_cell.formats.errors import FileFormatError, problems_of

Document = TypeVar("Document", bound=BaseModel)
#: A document is a few kB; anything larger is not one.
MAX_BYTES = 256 * 1024


def write_document(thing: BaseModel, *, name: str, version: int) -> str:
    """A thing as JSON text, indented, with its format and version first."""
    document = {"format": name, "version": version, **thing.model_dump(mode="json")}
    return json.dumps(document, indent=2, ensure_ascii=False) + "\n"


def require_marks(schema: Any) -> Any:
    """A schema in which what tells one kind of thing from another is required, as it is when it is read.

    Pydantic leaves it out of what is required because it has a default, which only code may leave to it.
    """
    if isinstance(schema, list):
        return [require_marks(part) for part in schema]
    if not isinstance(schema, dict):
        return schema
    told_apart = _told_apart(schema)
    found = {key: require_marks(part) for key, part in schema.items()}
    for where in ("$defs", "components"):
        models = found.get(where, {}).get("schemas", {}) if where == "components" else found.get(where, {})
        for name, mark in told_apart.items():
            model = models.get(name)
            if model is not None and mark not in model.get("required", []):
                models[name] = model | {"required": [mark, *model.get("required", [])]}
    return found


def _told_apart(schema: Any) -> dict[str, str]:
    """Names of models that stand in a choice, with the property that tells which it is."""
    if isinstance(schema, list):
        return {name: mark for part in schema for name, mark in _told_apart(part).items()}
    if not isinstance(schema, dict):
        return {}
    found = {name: mark for part in schema.values() for name, mark in _told_apart(part).items()}
    choice = schema.get("discriminator")
    if isinstance(choice, dict) and isinstance(choice.get("mapping"), dict):
        found |= {str(ref).rsplit("/", 1)[-1]: str(choice["propertyName"]) for ref in choice["mapping"].values()}
    return found


def document_schema(model: type[BaseModel], *, title: str) -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of a document."""
    schema = require_marks(model.model_json_schema())
    schema["required"] = [
        "format",
        "version",
        *(r for r in schema["required"] if r not in ("format", "version")),
    ]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": title}


class _NoNumberError(ValueError):
    """NaN, Infinity: numbers of other languages."""


def _no_constant(text: str) -> NoReturn:
    raise _NoNumberError(text)


def _decode(data: bytes, what: str) -> str:
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise FileFormatError(fact("file.json.not_text", what=what), line=line) from error


def read_document(data: bytes | str, *, model: type[Document], name: str, newest: int, what: str) -> Document:
    """Read a document of one format.

    Parameters
    ----------
    model : type
        Of the document, with its ``format`` and ``version``.
    name : str
        What ``format`` says.
    newest : int
        The newest version we read.
    what : str
        “sheet”, in the words of the refusals.

    Raises
    ------
    FileFormatError
        Broken or foreign JSON, a newer version, or values out of bounds: with line and column
        where the text itself is broken, with the path of each value otherwise.
    """
    if len(data) > MAX_BYTES:
        raise FileFormatError(fact("file.json.large", size=len(data), what=what))
    text = data if isinstance(data, str) else _decode(data, what)
    try:
        document = json.loads(text, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        why = fact("file.json.broken", error=error.msg.lower())
        raise FileFormatError(why, line=error.lineno, column=error.colno) from error
    except RecursionError as error:
        raise FileFormatError(fact("file.json.deep", what=what)) from error
    except _NoNumberError as error:
        raise FileFormatError(fact("file.json.no_number", what=what, found=str(error))) from error
    except ValueError as error:
        raise FileFormatError(fact("file.json.holds", what=what, error=str(error))) from error
    if not isinstance(document, dict) or document.get("format") != name:
        raise FileFormatError(fact("file.json.foreign", what=what, format=name))
    version = document.get("version")
    if isinstance(version, int) and not isinstance(version, bool) and version > newest:
        raise FileFormatError(fact("file.json.newer", what=what, version=version, newest=newest))
    try:
        return model.model_validate_json(json.dumps(document))
    except ValidationError as error:
        raise FileFormatError(fact("file.json.cannot", what=what), problems=problems_of(error)) from error
