"""Faults of voltages, holds and what they are called by."""

from __future__ import annotations

from collections.abc import Iterator

from zesty_cell.core.answer.thresholds import (
    HOLDS_S,
    OVER_CUTOFF_V,
    longest_burst_s,
    voltage_step_v,
)
from zesty_cell.core.callouts.examined import (
    LEAST_OF_RESERVE,
    Check,
    Examined,
    Finding,
)
from zesty_cell.core.callouts.writer import LANDING_UNDER_V
from zesty_cell.core.fact import fact


def _cell_count(w: Examined) -> Iterator[Finding]:
    low_v, high_v = w.cell_range_v()
    for rule, k, condition, cell_v in w.volts():
        series = w.plan.series_of(rule, condition)
        if low_v <= cell_v <= high_v:
            continue
        shown = fact("lint.shown_for", set_v=condition.value, cell_v=cell_v, series=series)
        if condition.per == "pack" and low_v <= condition.value <= high_v:
            mended = w.with_condition(rule, k, per="cell")
            yield Finding(
                "not_for_this_cell_count", "stop", rule.key,
                fact("lint.not_for_this_cell_count.one_cell", shown=shown),
                fact(
                    "lint.not_for_this_cell_count.one_cell.mend", set_v=condition.value,
                    pack_v=condition.value * series,
                ),
                mended,
            )  # fmt: skip
            continue
        fits = [s for s in range(1, 15) if s != series and low_v <= condition.value / s <= high_v]
        meant = min(fits, key=lambda s: abs(condition.value / s - w.chemistry.landing_loaded_v), default=None)
        if condition.per == "pack" and meant is not None:
            value, mended = w.at_cell_v(rule, k, condition.value / meant, up=False)
            yield Finding(
                "not_for_this_cell_count", "stop", rule.key,
                fact(
                    "lint.not_for_this_cell_count.another_count", shown=shown, chemistry=w.chemistry.short_name,
                    meant=meant,
                ),
                fact("lint.not_for_this_cell_count.another_count.mend", value=value), mended,
            )  # fmt: skip
        else:
            value, mended = w.at_cell_v(rule, k, w.derived_cell_v(rule, condition), up=False)
            yield Finding(
                "not_for_this_cell_count", "stop", rule.key,
                fact("lint.not_for_this_cell_count.no_cell", shown=shown, chemistry=w.chemistry.short_name),
                fact("lint.set", value=value), mended,
            )  # fmt: skip


def _order(w: Examined) -> Iterator[Finding]:
    for low, _, low_condition, low_v in w.sensible("pack_low"):
        for land, k, condition, land_v in w.sensible("land_now"):
            same = w.plan.series_of(low, low_condition) == w.plan.series_of(land, condition)
            if same and land_v >= low_v - 1e-9:
                series = w.plan.series_of(land, condition)
                step = voltage_step_v(series=series) / series
                value, mended = w.at_cell_v(land, k, low_v - max(step, 0.05), up=False)
                yield Finding(
                    "land_now_not_below_pack_low", "stop", land.key,
                    fact(
                        "lint.land_now_not_below_pack_low", rule=land.name, land_v=land_v, other=low.name,
                        low_v=low_v,
                    ),
                    fact("lint.set_rule", rule=land.name, value=value), mended,
                )  # fmt: skip


def _floor(w: Examined) -> Iterator[Finding]:
    floor_v = w.chemistry.loaded_floor_v
    for rule, k, _, cell_v in w.sensible():
        if cell_v < floor_v - 0.0051:
            value, mended = w.at_cell_v(rule, k, floor_v, up=True)
            yield Finding(
                "under_the_cells_floor", "stop", rule.key,
                fact(
                    "lint.under_the_cells_floor", cell_v=cell_v, floor_v=floor_v,
                    chemistry=w.chemistry.short_name,
                ),
                fact("lint.set", value=value), mended,
            )  # fmt: skip


def _cutoff(w: Examined) -> Iterator[Finding]:
    if w.cutoff_v is None:
        return
    for rule, k, _, cell_v in w.sensible("land_now"):
        if cell_v <= w.cutoff_v + 1e-9:
            value, mended = w.at_cell_v(rule, k, w.cutoff_v + OVER_CUTOFF_V, up=True)
            yield Finding(
                "under_the_esc_cutoff", "stop", rule.key,
                fact("lint.under_the_esc_cutoff", cutoff_v=w.cutoff_v, rule=rule.name, cell_v=cell_v),
                fact("lint.under_the_esc_cutoff.mend", value=value), mended,
            )  # fmt: skip


def _at_take_off(w: Examined) -> Iterator[Finding]:
    fresh_v = float(w.flight.cruise_v[0])
    for rule, k, condition, cell_v in w.sensible():
        if w.own(rule, condition) and fresh_v <= cell_v:
            value, mended = w.at_cell_v(rule, k, w.derived_cell_v(rule, condition), up=False)
            yield Finding(
                "over_the_voltage_at_take_off", "stop", rule.key,
                fact("lint.over_the_voltage_at_take_off", fresh_v=fresh_v, cell_v=cell_v),
                fact("lint.set", value=value), mended,
            )  # fmt: skip


def _craft_stages(w: Examined) -> Iterator[Finding]:
    lands = [(rule, v) for rule, _, c, v in w.sensible("land_now") if w.own(rule, c)]
    if not lands:
        return
    rule, land_v = min(lands, key=lambda pair: pair[1])
    stages, hard_v = w.plan.stages, w.chemistry.hard_floor_v
    if stages.landing_v is not None and stages.landing_v >= land_v - 1e-9:
        lower = round(max(land_v - LANDING_UNDER_V, hard_v), 2)
        new = stages.model_copy(update={"landing_v": lower if lower < land_v else None})
        yield Finding(
            "craft_lands_first", "stop", rule.key,
            fact("lint.craft_lands_first", landing_v=stages.landing_v, rule=rule.name, land_v=land_v),
            fact("lint.craft_lands_first.lower", lower_v=lower)
            if lower < land_v
            else fact("lint.craft_lands_first.off"),
            w.plan.model_copy(update={"stages": new}),
        )  # fmt: skip
    if stages.lamp_v is not None and stages.lamp_v >= land_v - 1e-9:
        lower = round(max(land_v - LANDING_UNDER_V / 2, hard_v), 2)
        new = stages.model_copy(update={"lamp_v": lower if lower < land_v else None})
        yield Finding(
            "craft_lamp_first", "look", rule.key,
            fact("lint.craft_lamp_first", lamp_v=stages.lamp_v, rule=rule.name, land_v=land_v),
            fact("lint.craft_lamp_first.lower", lower_v=lower)
            if lower < land_v
            else fact("lint.craft_lamp_first.off"),
            w.plan.model_copy(update={"stages": new}),
        )  # fmt: skip


def _holds(w: Examined) -> Iterator[Finding]:
    reserve = w.flight.left_at(w.flight.landing_s)
    for rule, k, condition, cell_v in w.sensible():
        if not w.own(rule, condition) or condition.sensor != "pack_v":
            continue
        if not w.chemistry.hard_floor_v <= cell_v < float(w.flight.cruise_v[0]):
            continue  # there is something worse wrong with it
        burst_s = longest_burst_s(
            flight=w.flight,
            cell_v=cell_v,
            throttle_under=rule.guards.throttle_under,
            used_over_ah=w.counts_from_ah(rule),
        )
        if rule.hold_s < burst_s - 1e-9:
            mend, mended = w.outlast(rule, k, burst_s)
            yield Finding(
                "hold_too_short", "look", rule.key,
                fact("lint.hold_too_short", cell_v=cell_v, burst_s=burst_s, hold_s=rule.hold_s, rule=rule.name),
                mend, mended,
            )  # fmt: skip
        low_s = w.low_for_good_s(cell_v)
        if rule.role != "land_now" or low_s is None or rule.hold_s <= HOLDS_S[-1]:
            continue
        left = w.flight.left_at(min(low_s + rule.hold_s, w.flight.end_s))
        if left < LEAST_OF_RESERVE * reserve:
            written = w.result.callouts.land_now.hold_s
            yield Finding(
                "hold_too_long", "stop", rule.key,
                fact("lint.hold_too_long", hold_s=rule.hold_s, rule=rule.name, left_share=left),
                fact("lint.hold_it", hold_s=written),
                w.plan.with_rule(rule.model_copy(update={"hold_s": written})),
            )  # fmt: skip


def _lowest(w: Examined) -> Iterator[Finding]:
    for rule, k, condition, _ in w.sensible():
        if condition.sensor == "lowest_v":
            yield Finding(
                "lowest_latches", "stop", rule.key,
                fact("lint.lowest_latches"),
                fact("lint.lowest_latches.mend"), w.with_condition(rule, k, sensor="pack_v"),
            )  # fmt: skip


VOLTAGE_CHECKS: tuple[Check, ...] = (
    _cell_count,
    _order,
    _floor,
    _cutoff,
    _at_take_off,
    _craft_stages,
    _holds,
    _lowest,
)
