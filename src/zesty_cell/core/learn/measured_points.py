"""Measured points that a calibration explains: a sensor that was out showed them when they were read."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from zesty_cell.core.learn.calibration import Calibration, CurrentCalibration, Moved, VoltageCalibration
from zesty_cell.core.parts.craft import Craft, MeasuredFullThrottle, MeasuredPoint

#: A point that moves by less is left as it is [1].
WORTH_CORRECTING = 0.005
#: A calibration that moves a point by more than this factor is of another unit, and explains nothing [1].
MOST_MOVED = 5.0


def _true(value: float, unit: str, made: Calibration) -> float:
    if isinstance(made, CurrentCalibration) and unit == "A":
        return value * made.factor
    if isinstance(made, VoltageCalibration) and unit == "V":
        return made.corrected_v(value)
    return value


def points_moved(craft: Craft, made: Calibration, /) -> tuple[Moved, ...]:
    """What of a craft's measured points a calibration explains [A, V]; empty where it moves none.

    Points that a meter read are true already, and so is what was corrected or left once.
    """
    if isinstance(made, CurrentCalibration | VoltageCalibration) and made.craft_points is not None:
        return ()
    found = []
    parts: tuple[tuple[Literal["steady", "full throttle"], object], ...] = (
        ("steady", craft.steady), ("full throttle", craft.full_throttle),
    )  # fmt: skip
    for part, point in parts:
        if not isinstance(point, MeasuredPoint | MeasuredFullThrottle) or point.read_by != "craft's sensor":
            continue
        figures: tuple[tuple[Literal["A", "V"], float], ...] = (("A", point.current_a), ("V", point.voltage_v))
        for unit, was in figures:
            now = _true(was, unit, made)
            if 1.0 / MOST_MOVED <= now / was <= MOST_MOVED and abs(now / was - 1.0) >= WORTH_CORRECTING:
                shown = float(f"{now:.3g}" if unit == "A" else f"{now:.4g}")
                found.append(Moved(part=part, unit=unit, was=was, now=shown))
    return tuple(found)


def with_points(craft: Craft, moved: Iterable[Moved], /) -> Craft:
    """A craft with some of its measured points [A, V] as they are now; those it has no longer stay as they are.

    Raises
    ------
    ValidationError
        When a point would leave its bounds.
    """
    of = craft.model_dump()
    for one in moved:
        point = of["steady" if one.part == "steady" else "full_throttle"]
        name = "current_a" if one.unit == "A" else "voltage_v"
        if point.get(name) == one.was:
            point[name] = one.now
    return Craft.model_validate(of)


def as_before(moved: Iterable[Moved], /) -> tuple[Moved, ...]:
    """The same the other way [A, V]."""
    return tuple(Moved(part=m.part, unit=m.unit, was=m.now, now=m.was) for m in moved)


def unexplained_share(craft: Craft, made: Iterable[Calibration], /) -> float:
    """How far a craft's measured currents are out while calibrations that explain them are not answered [1]."""
    found = [
        abs(moved.now / moved.was - 1.0) for one in made for moved in points_moved(craft, one) if moved.unit == "A"
    ]
    return max(found, default=0.0)
