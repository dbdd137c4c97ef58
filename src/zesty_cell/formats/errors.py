"""A file that cannot be read, with where and why."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import ValidationError

from zesty_cell.core.errors import ZestyCellError


@dataclass(frozen=True)
class Problem:
    """One value that is wrong: its dotted path in the document, and the reason in words."""

    path: str
    reason: str


class FileFormatError(ZestyCellError, ValueError):
    """A file is broken, foreign, too new, or holds values out of bounds; nothing was stored.

    Attributes
    ----------
    line, column : int or None
        Where the text is broken, counted from 1.
    problems : tuple of Problem
        Values that are wrong.
    """

    def __init__(
        self,
        reason: str,
        *,
        line: int | None = None,
        column: int | None = None,
        problems: tuple[Problem, ...] = (),
    ) -> None:
        place = "" if line is None else f"Line {line}" + ("" if column is None else f", column {column}") + ": "
        listed = "".join(f"\n  {p.path}: {p.reason}" for p in problems[:12])
        more = f"\n  and {len(problems) - 12} more" if len(problems) > 12 else ""
        super().__init__(f"{place}{reason}{listed}{more}")
        self.reason = reason
        self.line = line
        self.column = column
        self.problems = problems


def problems_of(error: ValidationError) -> tuple[Problem, ...]:
    """The problems of a validation, as paths and words, without echoing long input."""
    found = []
    for item in error.errors(include_url=False, include_input=False):
        beside = item["ctx"]["field"] if item["type"] == "refused" else ""
        loc = [*item["loc"], *([beside] if beside else [])]
        path = ".".join(str(part) for part in loc) or "sheet"
        reason = item["msg"].removeprefix("Value error, ")
        found.append(Problem(path=path, reason=reason[:200]))
    return tuple(found)
