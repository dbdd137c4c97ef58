"""The ladder: rest voltage on the left rail, loaded voltage on the right, each threshold a rung between them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.callouts.collisions import Collision, collisions
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.rules import CalloutPlan, Rule
from zesty_cell.core.callouts.sensors import PACK_VOLTAGES
from zesty_cell.core.fact import Fact
from zesty_cell.web.drawing.scale import Scale, Tick, nice_step, ticks

Owner = Literal["cell", "pack_low", "land_now", "own", "craft", "esc"]
_STEPS = (0.05, 0.1, 0.2, 0.4, 0.5, 1.0)
LEFT_RAIL, RIGHT_RAIL, WIDTH = 86.0, 204.0, 352.0
_APART = 16.0


@dataclass(frozen=True)
class Rung:
    """One rung; ``rest_y`` is None where only the loaded voltage counts.

    ``input`` is the id of the sentence's value that a drag changes, empty for what is not ours to set; a
    drag of one picture unit is ``1 / volts_y`` volts of that input.
    """

    owner: Owner
    name: str
    rest_y: float | None
    loaded_y: float
    rest_text: str
    rest_text_y: float
    loaded_text: str
    text_y: float
    input: str
    value: float
    step: float
    low: float
    high: float


@dataclass(frozen=True)
class Clash:
    """Two rungs in each other's way: the stretch between them on the right rail, and why."""

    y: float
    height: float
    swapped: bool
    words: Fact


@dataclass(frozen=True)
class Ladder:
    """Everything the ladder draws; ``top_v`` and ``bottom_v`` are the ends of the rails per cell."""

    width: float
    height: float
    left: float
    right: float
    top: float
    bottom: float
    top_v: float
    bottom_v: float
    volts: list[Tick]
    rungs: list[Rung]
    gap: str
    clashes: list[Clash]


@dataclass(frozen=True)
class _Line:
    owner: Owner
    name: str
    rest_v: float | None
    loaded_v: float
    input: str = ""
    value: float = 0.0
    step: float = 0.0
    per_cell: float = 1.0


def condition_id(rule: Rule, place: int) -> str:
    """Id of the input of a condition's value."""
    return f"rules-{rule.key}-conditions-{place}-value"


def ladder(plan: CalloutPlan, result: Forecast, *, as_pack: bool, height: float = 600.0) -> Ladder:
    """Geometry of the ladder.

    Parameters
    ----------
    as_pack : bool
        Write pack volts instead of volts per cell; the rails are the same.
    """
    lines = [*_own_lines(result), *_rule_lines(plan, result), *_device_lines(plan, result)]
    low_v = min(min(line.loaded_v for line in lines), result.setup.chemistry.hard_floor_v) - 0.08
    high_v = max(max(line.rest_v or line.loaded_v for line in lines), max(line.loaded_v for line in lines)) + 0.06
    top, bottom = 14.0, height - 10.0
    y = Scale(low_v, high_v, bottom, top)
    factor = result.setup.sheet.pack.series if as_pack else 1
    decimals = 1 if as_pack and factor > 1 else 2
    lines.sort(key=lambda line: -line.loaded_v)
    text_ys = _apart([y(line.loaded_v) + 4.0 for line in lines], top, bottom)
    rests = [k for k, line in enumerate(lines) if line.rest_v is not None]
    rest_ys = dict(zip(rests, _apart([y(lines[k].rest_v or 0.0) + 4.0 for k in rests], top, bottom), strict=True))
    rungs = [
        Rung(
            owner=line.owner,
            name=line.name,
            rest_y=None if line.rest_v is None else y(line.rest_v),
            loaded_y=y(line.loaded_v),
            rest_text="" if line.rest_v is None else f"{line.rest_v * factor:.{decimals}f}",
            rest_text_y=rest_ys.get(k, 0.0),
            loaded_text=f"{line.loaded_v * factor:.{decimals}f}",
            text_y=text_ys[k],
            input=line.input,
            value=line.value,
            step=line.step,
            low=low_v * line.per_cell,
            high=high_v * line.per_cell,
        )
        for k, line in enumerate(lines)
    ]
    step = nice_step((high_v - low_v) * factor, 6, _STEPS if factor == 1 else tuple(s * 5 for s in _STEPS))
    return Ladder(
        width=WIDTH,
        height=height,
        left=LEFT_RAIL,
        right=RIGHT_RAIL,
        top=top,
        bottom=bottom,
        top_v=high_v,
        bottom_v=low_v,
        volts=[Tick(y(v / factor), f"{v:.1f}") for v in ticks(low_v * factor, high_v * factor, step)],
        rungs=rungs,
        gap=_gap(rungs),
        clashes=[_clash(c, y) for c in collisions(plan=plan, result=result)],
    )


def _clash(collision: Collision, y: Scale) -> Clash:
    ends = sorted((y(collision.first.cell_v), y(collision.then.cell_v)))
    return Clash(ends[0] - 5.0, ends[1] - ends[0] + 10.0, collision.swapped, collision.says)


def _own_lines(result: Forecast) -> list[_Line]:
    """Where the pack itself stands: charged, half used, and the floor no cell may pass."""
    flight = result.flight
    half = (
        int(np.argmax(flight.charge_left <= 0.5)) if (flight.charge_left <= 0.5).any() else flight.time_s.size - 1
    )
    floor_v = result.setup.chemistry.hard_floor_v
    return [
        _Line("cell", "Charged", float(flight.rest_v[0]), float(flight.cruise_v[0])),
        _Line("cell", "Half used", float(flight.rest_v[half]), float(flight.cruise_v[half])),
        _Line("cell", "Cell floor, never", floor_v, floor_v),
    ]


def _rest_at(result: Forecast, loaded_v: float) -> float:
    """Rest voltage at the moment at which the steady voltage goes under a value for good."""
    flight = result.flight
    k = min(flight.low_from(loaded_v), flight.time_s.size - 1)
    return loaded_v + max(float(flight.rest_v[k] - flight.cruise_v[k]), 0.0)


def _rule_lines(plan: CalloutPlan, result: Forecast) -> list[_Line]:
    lines = []
    own_series = result.setup.sheet.pack.series
    for rule in plan.rules:
        for place, condition in enumerate(rule.conditions):
            if not rule.on or condition.sensor not in PACK_VOLTAGES or condition.comparison != "below":
                continue
            series = plan.series_of(rule, condition)
            if series != own_series or not plan.concerns(rule, condition, series=own_series):
                continue
            cell_v = condition.cell_value_v(series=series)
            owner: Owner = (
                "pack_low" if rule.role == "pack_low" else "land_now" if rule.role == "land_now" else "own"
            )
            lines.append(_rule_line(rule, place, condition, owner, cell_v, series, result))
    return lines


def _rule_line(
    rule: Rule, place: int, condition: Condition, owner: Owner, cell_v: float, series: int, result: Forecast
) -> _Line:
    per_cell = 1.0 if condition.per == "cell" else float(series)
    return _Line(
        owner,
        rule.name,
        _rest_at(result, cell_v),
        cell_v,
        input=condition_id(rule, place),
        value=condition.value,
        step=0.01 if per_cell == 1.0 else 0.1,
        per_cell=per_cell,
    )


def _device_lines(plan: CalloutPlan, result: Forecast) -> list[_Line]:
    lines = []
    if plan.stages.lamp_v is not None:
        lines.append(_Line("craft", "Craft's lamp", _rest_at(result, plan.stages.lamp_v), plan.stages.lamp_v))
    if plan.stages.landing_v is not None:
        landing_v = plan.stages.landing_v
        lines.append(_Line("craft", "Craft lands itself", _rest_at(result, landing_v), landing_v))
    cutoff_v = result.setup.sheet.craft.limits.esc_cutoff_v_per_cell
    if cutoff_v is not None:
        lines.append(_Line("esc", "ESC cutoff", None, cutoff_v))
    return lines


def _apart(ys: list[float], top: float, bottom: float) -> list[float]:
    """Places of labels, as near to their own as leaves room between them; ``ys`` may come in any order."""
    order = sorted(range(len(ys)), key=lambda k: ys[k])
    placed = [ys[k] for k in order]
    for _ in range(60):
        for k in range(len(placed) - 1):
            room = placed[k + 1] - placed[k]
            if room < _APART:
                placed[k] -= (_APART - room) / 2.0
                placed[k + 1] += (_APART - room) / 2.0
    if placed and placed[-1] > bottom + 4.0:
        placed = [v - (placed[-1] - bottom - 4.0) for v in placed]
    if placed and placed[0] < top:
        placed = [v + (top - placed[0]) for v in placed]
    found = [0.0] * len(ys)
    for k, place in zip(order, placed, strict=True):
        found[k] = place
    return found


def _gap(rungs: list[Rung]) -> str:
    """The zest between the rails: from charged down to “land now”, what the flight uses."""
    charged = next(r for r in rungs if r.name == "Charged")
    lands = [r for r in rungs if r.owner == "land_now" and r.rest_y is not None]
    if not lands or charged.rest_y is None:
        return ""
    last = max(lands, key=lambda r: r.loaded_y)
    return (
        f"M{LEFT_RAIL:.1f} {charged.rest_y:.1f}L{RIGHT_RAIL:.1f} {charged.loaded_y:.1f}"
        f"L{RIGHT_RAIL:.1f} {last.loaded_y:.1f}L{LEFT_RAIL:.1f} {last.rest_y or 0.0:.1f}Z"
    )
