"""A file that cannot be read, with where and why."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Words, fact
from zesty_cell.words import say  # noqa: F401 - whoever catches these can say them

#: So many wrong values are named; of more it is said how many.
_NAMED = 12


@dataclass(frozen=True)
class Problem:
    """One value that is wrong: its dotted path in the document, and the reason."""

    path: str
    reason: Words


class FileFormatError(ZestyCellError, ValueError):
    """A file is broken, foreign, too new, or holds values out of bounds; nothing was stored.

    ``why`` says all of it: the place, the reason and the values.

    Attributes
    ----------
    reason : str or Fact
        Without the place and the values.
    line, column : int or None
        Where the text is broken, counted from 1.
    problems : tuple of Problem
        Values that are wrong.
    """

    def __init__(
        self,
        reason: Words,
        *,
        line: int | None = None,
        column: int | None = None,
        problems: tuple[Problem, ...] = (),
    ) -> None:
        why = reason
        if line is not None and column is not None:
            why = fact("file.at.place", line=line, column=column, reason=reason)
        elif line is not None:
            why = fact("file.at.line", line=line, reason=reason)
        if problems:
            why = fact("file.problems", why=why, listed=_listed(problems))
        super().__init__(why)
        self.reason = reason
        self.line = line
        self.column = column
        self.problems = problems


def _listed(problems: Sequence[Problem]) -> Words:
    """The first of them, each on a line of its own, and how many more there are."""
    over = len(problems) - _NAMED
    listed: Words = fact("file.problems.more", more=over) if over > 0 else ""
    for one in reversed(problems[:_NAMED]):
        listed = fact("file.problems.one", path=one.path, reason=one.reason, rest=listed)
    return listed


def _plain(limit: float) -> Words:
    return f"{limit:g}"


def why_of(problem: Mapping[str, Any], *, limit: Callable[[float], Words] = _plain) -> Words:
    """What a model's validation says of one value: a fact where there is one, else its own words.

    A limit is in the unit of the document, whoever reads it: that is where it is to be changed.

    Parameters
    ----------
    limit : callable
        How the document would write it; a bare number in our unit without.
    """
    kind, context = problem["type"], problem.get("ctx", {})
    if "why" in context:
        why: Words = context["why"]
        return why
    if kind == "greater_than_equal":
        return fact("file.value.at_least", limit=limit(float(context["ge"])))
    if kind == "greater_than":
        return fact("file.value.more_than", limit=limit(float(context["gt"])))
    if kind == "less_than_equal":
        return fact("file.value.at_most", limit=limit(float(context["le"])))
    if kind == "less_than":
        return fact("file.value.less_than", limit=limit(float(context["lt"])))
    if kind == "missing":
        return fact("file.value.missing")
    if kind == "extra_forbidden":
        return fact("file.value.unknown")
    return str(problem["msg"]).removeprefix("Value error, ")[:200]


def problems_of(error: ValidationError) -> tuple[Problem, ...]:
    """The problems of a validation, as paths and reasons, without echoing long input."""
    found = []
    for item in error.errors(include_url=False, include_input=False):
        beside = item["ctx"]["field"] if item["type"] == "refused" else ""
        loc = [*item["loc"], *([beside] if beside else [])]
        found.append(Problem(".".join(str(part) for part in loc) or "sheet", why_of(item)))
    return tuple(found)
