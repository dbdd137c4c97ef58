"""The callout plan as open JSON, read back exactly.  See docs/formats.md."""

from __future__ import annotations

from typing import Any, Final, Literal

from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.formats.documents import document_schema, read_document, write_document

FORMAT: Final = "zesty-cell callouts"
VERSION: Final = 2


class PlanDocument(CalloutPlan):
    """A plan with the marks that tell a reader what it is."""

    format: Literal["zesty-cell callouts"] = FORMAT
    version: Literal[1, 2] = VERSION


def plain_plan(document: PlanDocument) -> CalloutPlan:
    """The plan of a document, without its marks."""
    return CalloutPlan(**{name: getattr(document, name) for name in CalloutPlan.model_fields})


def plan_document(plan: CalloutPlan) -> PlanDocument:
    """A plan with its marks."""
    return PlanDocument(**{name: getattr(plan, name) for name in CalloutPlan.model_fields})


def write_plan_json(plan: CalloutPlan) -> str:
    """The plan as JSON text, indented, with its format and version first."""
    return write_document(plan, name=FORMAT, version=VERSION)


def plan_schema() -> dict[str, Any]:
    """JSON Schema (draft 2020-12) of the document."""
    return document_schema(PlanDocument, title="Zesty Cell callouts")


def read_plan(data: bytes | str) -> CalloutPlan:
    """Read a plan document.

    Raises
    ------
    FileFormatError
        As :func:`~zesty_cell.formats.documents.read_document`.
    """
    read = read_document(data, model=PlanDocument, name=FORMAT, newest=VERSION, what="callout plan")
    return plain_plan(read)
