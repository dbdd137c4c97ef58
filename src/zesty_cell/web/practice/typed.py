"""A drill as its form tells it: which one, and the decisions made so far."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from pydantic import TypeAdapter, ValidationError
from sqlalchemy.orm import Session

from zesty_cell.core.practice.attempt import MOST_DECISIONS
from zesty_cell.core.practice.course import MOST_S, Decision
from zesty_cell.core.practice.scenario import Scenario
from zesty_cell.services.practice import scenario_of
from zesty_cell.web.http import whole_number

_DECISIONS: Final = TypeAdapter(list[Decision])
_MOST_TYPED: Final = 8000


def drill_of(session: Session, key: str, typed: Mapping[str, str]) -> tuple[Scenario, int | None]:
    """The drill that is asked for, and the sheet where it is one's own.

    Raises
    ------
    OutOfRangeError, MissingRecordError
    """
    sheet_id = whole_number(typed.get("sheet", "")[:12]) if key == "own" else None
    seed = whole_number(typed.get("seed", "")[:12])
    return scenario_of(session, key, seed=seed, sheet_id=sheet_id), sheet_id


def decisions_of(typed: Mapping[str, str]) -> list[Decision]:
    """The decisions of a form, in their order.

    Raises
    ------
    ValueError
        When they cannot be read, or are too many.
    """
    text = typed.get("decisions", "[]")
    if len(text) > _MOST_TYPED:
        raise ValueError("too many")
    try:
        found = _DECISIONS.validate_json(text)
    except ValidationError as error:
        raise ValueError("not to be read") from error
    if len(found) > MOST_DECISIONS:
        raise ValueError("too many")
    return sorted(found, key=lambda d: d.at_s)


def moment_s_of(text: str) -> float:
    """A moment of a drill [s].

    Raises
    ------
    ValueError
    """
    moment_s = float(text[:12])
    if not 0.0 <= moment_s <= MOST_S:  # what is no number at all is not between either
        raise ValueError("no moment of a drill")
    return moment_s
