"""The steps of a thrust run as they are typed."""

from __future__ import annotations

from collections.abc import Mapping

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words, fact
from zesty_cell.core.parts.thrust import ThrustStep, checked_steps
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.thrust_text import read_thrust
from zesty_cell.web.http import whole_number

_MOST_ON_BENCH = 16


def read_steps(form: Mapping[str, str], errors: dict[str, Words]) -> tuple[ThrustStep, ...]:
    text = form.get("steps", "")
    if not text.strip():
        return ()
    try:
        return checked_steps(read_thrust(text))
    except (FileFormatError, OutOfRangeError) as error:
        errors["steps"] = error.why
        return ()


def read_on_bench(form: Mapping[str, str], errors: dict[str, Words]) -> int:
    count = whole_number(form.get("on_bench", "").strip())
    if not 1 <= count <= _MOST_ON_BENCH:
        errors["on_bench"] = fact("typed.thrust.on_bench", most=_MOST_ON_BENCH)
        return 1
    return count
