"""Documents as they are stored: each with the version it was written in, read leniently where only a bound moved.

A bound that a later version draws tighter must not lock a pilot out of what an earlier one took: such a value is
read as the bound, and ``zesty-cell check`` names it.  Whatever else cannot be read is refused; so is a value far
from its bound, which no version can have taken: a safe answer is none.
"""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Final, NoReturn, TypeVar, cast

from pydantic import BaseModel, TypeAdapter, ValidationError

from zesty_cell.core.fact import fact
from zesty_cell.store.errors import UnreadableError, UnstorableError

T = TypeVar("T")
#: Of what is written now; documents from before it was said have none.
VERSION: Final = 1
_MARK: Final = "stored_as"
#: A value that an earlier version took lies within this factor of the bound [1].
_FACTOR: Final = 3.0
#: Where to from a bound that may not be reached itself.
_INSIDE = {"greater_than": math.inf, "less_than": -math.inf}
_LIMIT = {"greater_than_equal": "ge", "less_than_equal": "le", "greater_than": "gt", "less_than": "lt"}


@dataclass(frozen=True)
class BroughtWithin:
    """A value beyond a bound that was drawn tighter since: where it stands, as it was stored, as it is read."""

    field: str
    was: object
    now: object


class Stored(dict[str, Any]):
    """A document as the database gives it: replaced, never changed, so that what it stands for is read once."""

    __slots__ = ("things",)

    def __init__(self, body: Mapping[str, Any]) -> None:
        super().__init__(body)
        #: What it was read as, by model.
        self.things: dict[object, Any] = {}

    def _refused(self, *_: object, **__: object) -> NoReturn:
        raise TypeError("A stored document is replaced, not changed.")

    __setitem__ = __delitem__ = __ior__ = _refused
    clear = pop = popitem = setdefault = update = _refused


#: So many texts are kept as documents; longer ones are not.
_MOST_KEPT, _LONGEST_KEPT = 256, 20_000


def from_text(stored: str) -> Any:
    """What a column of documents holds: the same text is the same document.

    Raises
    ------
    UnreadableError
    """
    try:
        # Another program may have put a number or bytes where a text belongs.
        keep = isinstance(stored, str) and stored.startswith("{") and len(stored) <= _LONGEST_KEPT
        return _kept(stored) if keep else _parsed(stored)
    except (ValueError, TypeError, RecursionError) as error:
        raise UnreadableError(fact("stored.no_json", error=str(error))) from error


def _parsed(stored: str) -> Any:
    found = json.loads(stored)
    return Stored(found) if isinstance(found, dict) else found


_kept = lru_cache(maxsize=_MOST_KEPT)(_parsed)


def to_document(thing: BaseModel) -> dict[str, Any]:
    """A thing as it is stored: read back first, however it was made, so that nothing is kept that no page can read.

    Raises
    ------
    UnstorableError
    """
    body = thing.model_dump(mode="json")
    try:
        type(thing).model_validate(body)
    except ValidationError as error:
        raise UnstorableError(fact("stored.unstorable", reason=reason(error))) from error
    return {_MARK: VERSION, **body}


def reason(error: ValidationError) -> str:
    """The first of what is wrong, with its place."""
    first = error.errors(include_url=False, include_input=False)[0]
    place = ".".join(str(part) for part in first["loc"])
    return f"{place}: {first['msg']}" if place else str(first["msg"])


def plain(document: Mapping[str, Any]) -> dict[str, Any]:
    """A document without the mark of its version.

    Raises
    ------
    UnreadableError
        Where it is none.
    """
    if not isinstance(document, Mapping):
        raise UnreadableError(fact("stored.no_document"))
    return {key: value for key, value in document.items() if key != _MARK}


def read(model: type[T] | TypeAdapter[T], document: Mapping[str, Any]) -> T:
    """A thing from its document.

    Raises
    ------
    UnreadableError
        When more is wrong with it than a value beyond a bound.
    """
    things = document.things if isinstance(document, Stored) else {}
    if model not in things:
        try:
            things[model] = read_telling(model, document)[0]
        except ValidationError as error:
            raise UnreadableError(fact("stored.unreadable", reason=reason(error))) from error
    found: T = things[model]
    return found


def read_telling(
    model: type[T] | TypeAdapter[T], document: Mapping[str, Any]
) -> tuple[T, tuple[BroughtWithin, ...]]:
    """The same with what was brought within its bounds.

    Raises
    ------
    ValidationError
    """
    body = plain(document)
    try:
        return _validated(model, body), ()
    except ValidationError as error:
        problems = error.errors(include_url=False)
        if not all(_was_a_bound(problem) for problem in problems):
            raise
        moved = []
        for problem in problems:
            now = _nearest(problem)
            put_at(body, problem["loc"], now)
            moved.append(BroughtWithin(".".join(str(p) for p in problem["loc"]), problem["input"], now))
        return _validated(model, body), tuple(moved)


def _validated(model: type[T] | TypeAdapter[T], body: dict[str, Any]) -> T:
    if isinstance(model, TypeAdapter):
        return model.validate_python(body)
    return cast(T, cast(type[BaseModel], model).model_validate(body))


def _was_a_bound(problem: Mapping[str, Any]) -> bool:
    """Whether a value may have been within the bounds of an earlier version."""
    if problem["type"] == "string_too_long":
        return True
    if problem["type"] not in _LIMIT:
        return False
    limit, was = float(problem["ctx"][_LIMIT[problem["type"]]]), problem["input"]
    if isinstance(was, bool) or not isinstance(was, int | float) or was * limit <= 0.0:
        return False
    return 1.0 / _FACTOR <= was / limit <= _FACTOR


def _nearest(problem: Mapping[str, Any]) -> object:
    """The value allowed that is nearest to one that is not."""
    context = problem["ctx"]
    if problem["type"] == "string_too_long":
        return str(problem["input"])[: context["max_length"]].rstrip()
    limit = context[_LIMIT[problem["type"]]]
    toward = _INSIDE.get(problem["type"])
    return limit if toward is None else math.nextafter(float(limit), toward)


def put_at(body: dict[str, Any], place: tuple[int | str, ...], value: object) -> None:
    """Put a value where an error was, in lists and mappings of their own: what was stored is left alone."""
    target: Any = body
    for step in place[:-1]:
        if not _has(target, step):  # of a choice the error names the kind too, which is no place in the document
            continue
        inner = target[step]
        target[step] = dict(inner) if isinstance(inner, Mapping) else list(inner)
        target = target[step]
    target[place[-1]] = value


def _has(target: Any, step: int | str) -> bool:
    if isinstance(target, Mapping):
        return step in target
    return isinstance(step, int) and isinstance(target, list) and step < len(target)
