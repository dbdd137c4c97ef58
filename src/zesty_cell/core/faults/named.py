"""What signs, readings and causes are called, and what is to be said of a case."""

from __future__ import annotations

from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.faults.case import NOTHING, SOMETHING_ELSE, Look
from zesty_cell.core.faults.reckoned import Speaks
from zesty_cell.core.faults.table import PRESENT, the_table


def sign(key: str, /) -> Fact:
    """A sign as it is ticked."""
    return fact(f"sign.{key}")


def reading(key: str, /) -> Fact:
    """What a reading is of."""
    return fact(f"reading.{key}")


def how(key: str, /) -> Fact:
    """How a reading is taken."""
    return fact(f"check.{key}")


def outcome(key: str, said: str, /) -> Fact:
    """An outcome of a reading.

    Raises
    ------
    ValueError
        When the reading has no such outcome.
    """
    return fact(f"outcome.{key}.{the_table().readings[key].outcomes.index(said)}")


def evidence(of: Speaks, /) -> Fact:
    """What speaks for or against a cause: a sign that is there or not, or a reading with its outcome."""
    if of.key in the_table().signs:
        return sign(of.key) if of.outcome == PRESENT else fact("evidence.absent", sign=sign(of.key))
    return fact("evidence.read", reading=reading(of.key), outcome=outcome(of.key, of.outcome))


def cause(key: str, /) -> Fact:
    """A cause, or what a case may turn out to be besides."""
    return fact(f"off.{key}")


def why(key: str, /) -> Fact:
    """Why the row of a cause is what it is."""
    return fact(f"off.{key}.why")


def what_to_do(key: str, /) -> Fact:
    """What to do about a cause."""
    return fact(f"off.{key}.do")


def verdict(look: Look, /) -> tuple[Fact, Fact | None]:
    """Where a case stands, and what to do now; None while a check comes first."""
    first = look.now.ranked[0].cause
    if look.stands == "sure":
        return fact("fault.sure", cause=cause(first)), what_to_do(first)
    if look.stands == "nothing is off":
        return fact("fault.nothing"), fact("fault.nothing.do")
    if look.stands == "no check helps":
        return fact("fault.no_check", cause=cause(first)), what_to_do(first)
    return fact("fault.looking", cause=cause(first)), None


def was(key: str, /) -> Fact:
    """What a case turned out to be."""
    return fact(f"fault.was.{key}") if key in (NOTHING, SOMETHING_ELSE) else fact("fault.was", cause=cause(key))


def in_danger() -> tuple[Fact, Fact, Fact]:
    """What is said of a pack that may burn, before anything else."""
    return fact("fault.stop"), fact("fault.stop.where"), fact("fault.stop.after")
