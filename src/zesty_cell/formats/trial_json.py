"""A fair test as open JSON, read back exactly.  See docs/formats.md."""

from __future__ import annotations

from typing import Any, Final, Literal

from zesty_cell.core.trials.question import Trial
from zesty_cell.formats.documents import document_schema, read_document, write_document

FORMAT: Final = "zesty-cell test"
VERSION: Final = 1


class TrialDocument(Trial):
    """A test with the marks that tell a reader what it is."""

    format: Literal["zesty-cell test"] = FORMAT
    version: Literal[1] = VERSION


def write_trial_json(trial: Trial) -> str:
    """The test as JSON text, indented, with its format and version first."""
    return write_document(trial, name=FORMAT, version=VERSION)


def trial_schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the document."""
    return document_schema(TrialDocument, title="Zesty Cell test")


def read_trial_json(data: bytes | str) -> Trial:
    """Read a test's document.

    Raises
    ------
    FileFormatError
        As :func:`~zesty_cell.formats.documents.read_document`.
    """
    read = read_document(data, model=TrialDocument, name=FORMAT, newest=VERSION, what="test")
    return Trial(**{name: getattr(read, name) for name in Trial.model_fields})
