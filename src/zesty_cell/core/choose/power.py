"""A little more power: more cells, more capacity, a better pack, two in parallel, beside each other.

And which cell count to begin with for a style of flying.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from zesty_cell.core.asked.changes import BETTER_RESISTANCE, changed, next_size_on_sale
from zesty_cell.core.asked.learned_factors import PackKind
from zesty_cell.core.asked.rebuilt import plain_pack, rebuilt
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.candidates import with_pack
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact, Words, fact
from zesty_cell.core.flight.setup import Setup, set_up
from zesty_cell.core.flight.summary import LandingSummaries, LandingSummary
from zesty_cell.core.parts.full_throttle import most_motors_a, standing_current_a
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures

PowerKey = Literal["now", "more cells", "more capacity", "better pack", "two in parallel"]


@dataclass(frozen=True)
class PowerOption:
    """One way to more power.

    Attributes
    ----------
    key : PowerKey
    title : Fact or str
    setup : Setup
    at_landing : LandingSummary
    motor_share, esc_share : float or None
        Fresh full-throttle current over the limit of all motors, of all ESCs [1]; None where no
        limit is known.
    over_voltage : bool
        A full pack passes the craft's highest voltage.
    """

    key: PowerKey
    title: Words
    setup: Setup
    at_landing: LandingSummary
    motor_share: float | None
    esc_share: float | None
    over_voltage: bool

    def fits(self) -> bool:
        """Inside every limit that is known."""
        return not self.over_voltage and (self.motor_share or 0.0) <= 1.0 and (self.esc_share or 0.0) <= 1.0


def another_cell(pack: Pack) -> Pack | None:
    """The same pack with one more cell in series; None where no pack has so many [V, kg, A]."""
    figures = pack_figures(pack)
    return rebuilt(
        plain_pack(pack),
        name=f"{pack.series + 1}S of the same cells",
        series=pack.series + 1,
        mass_kg=figures.mass_kg + figures.cell_mass_kg * pack.parallel,
        arrangement="rows",
    )


def doubled(pack: Pack) -> Pack | None:
    """Two of the pack in a parallel harness; None where no pack is so large [Ah, kg, A]."""
    figures = pack_figures(pack)
    return rebuilt(
        plain_pack(pack),
        name=f"Two of {pack.name}"[:80].strip(),
        parallel=2 * pack.parallel,
        capacity_ah=max(2.0 * figures.capacity_ah, 0.02),
        mass_kg=2.0 * figures.mass_kg,
        # Each pack keeps its own leads: side by side they are one of twice the copper.
        lead_area_mm2=min(2.0 * pack.lead_area_mm2, 50.0),
        parallel_harness=True,
        ratings=None if pack.ratings is None else pack.ratings.times(2).model_dump(),
        arrangement="rows",
    )


def _changed(sheet: Sheet, key: Literal["more_capacity", "lower_resistance"]) -> Pack | None:
    other = changed(sheet, key=key)
    return None if other is None else other.pack


def _of_the_same_cells(sheet: Sheet, pack: Pack) -> Sheet:
    """The flight on a pack made of the sheet's own: what flights taught of its cells goes on to hold."""
    other = with_pack(sheet, pack=pack)
    learned = sheet.learned_factors
    if learned is None or not learned.knows(sheet.pack):
        return other
    return other.model_copy(update={"by_log": learned.model_copy(update={"kind": PackKind.of(pack)})})


def _worst_a(setup: Setup, at_landing: LandingSummary) -> float:
    """Full throttle of the fresh pack held on the ground, where parts are loaded most [A]: as the checks judge."""
    return standing_current_a(
        load=setup.load, flying_a=at_landing.full_fresh_a, pack_ohm=setup.figures.resistance_ohm
    )


def _motors_a(setup: Setup, at_landing: LandingSummary) -> float | None:
    return most_motors_a(craft=setup.sheet.craft, load=setup.load, standing_a=_worst_a(setup, at_landing))


def more_power(sheet: Sheet) -> tuple[PowerOption, ...]:
    """The sheet as it is and four ways to more power, flown [A, s, kg].

    A better pack and one more cell draw more at full throttle, because a fixed propeller takes what
    the voltage gives it (PHYSICS 3): each is held against motors, ESCs and the highest voltage.

    Raises
    ------
    OutOfRangeError
        As :func:`~zesty_cell.core.flight.setup.set_up`.
    """
    flown = set_up(sheet).sheet
    pack = flown.pack
    options: list[tuple[PowerKey, Words, Pack | None]] = [
        ("now", pack.name, pack),
        ("more cells", fact("power.more_cells", series=pack.series + 1), another_cell(pack)),
        (
            "more capacity",
            fact("power.more_capacity", pack=next_size_on_sale(flown.pack)),
            _changed(flown, "more_capacity"),
        ),
        (
            "better pack",
            fact("power.better_pack", less_share=1.0 - BETTER_RESISTANCE),
            _changed(flown, "lower_resistance"),
        ),
        ("two in parallel", fact("power.two_in_parallel"), doubled(pack)),
    ]
    made: list[tuple[PowerKey, Words, Setup]] = []
    for key, title, other in options:
        if other is None:
            continue
        made.append((key, title, set_up(_of_the_same_cells(flown, other))))
    summaries = LandingSummaries([setup for _, _, setup in made]).fly()
    limits = flown.craft.limits

    def share(current_a: float, limit_a: float | None) -> float | None:
        return None if limit_a is None else current_a / limit_a

    return tuple(
        PowerOption(
            key=key,
            title=title,
            setup=setup,
            at_landing=at_landing,
            motor_share=share(_worst_a(setup, at_landing), _motors_a(setup, at_landing)),
            esc_share=share(_worst_a(setup, at_landing), limits.all_escs_burst_a()),
            over_voltage=limits.maximum_v is not None and setup.figures.full_v > limits.maximum_v,
        )
        for (key, title, setup), at_landing in zip(made, summaries, strict=True)
    )


StyleKey = Literal["slow", "hover", "cruise", "sport", "aerobatic", "race", "hard"]


@dataclass(frozen=True)
class Style:
    """A way of flying and what it asks for at landing.

    Attributes
    ----------
    key : StyleKey
    title : str
    rotor_need, wing_need : float or None
        Thrust over weight, and full power over level-flight power, wanted at landing [1]; None where
        the style is not flown by such craft.  Rules of thumb, docs/physics.md, "Which cell count".
    """

    key: StyleKey
    title: str
    rotor_need: float | None
    wing_need: float | None


STYLES: dict[StyleKey, Style] = {
    s.key: s
    for s in (
        Style("slow", "slow or gliding", None, 1.6),
        Style("hover", "hover", 1.6, None),
        Style("cruise", "cruise", 2.0, 2.0),
        Style("sport", "sport", 2.6, 2.6),
        Style("aerobatic", "aerobatic or freestyle", 3.5, 3.6),
        Style("race", "race", 4.5, None),
        Style("hard", "hard", 5.0, 5.5),
    )
}
_MOST_SERIES = 14


@dataclass(frozen=True)
class CellCount:
    """Which cell count to begin with for a style.

    Attributes
    ----------
    style : Style
    series : int or None
        None where no cell count meets the style inside the craft's limits.
    to_spare : float
        What that, or the nearest, keeps at landing [1].
    reason : Fact
    """

    style: Style
    series: int | None
    to_spare: float
    reason: Fact


def _same_energy(pack: Pack, series: int) -> Pack | None:
    """The pack's cells of the same total energy and weight, in another series count."""
    figures = pack_figures(pack)
    scale = pack.series / series
    return rebuilt(
        plain_pack(pack),
        series=series,
        parallel=1,
        capacity_ah=figures.capacity_ah * scale,
        cell_resistance_ohm=figures.cell_resistance_ohm / pack.parallel / scale,
        cell_size=None,
        arrangement="rows",
        ratings=None,
        label_c=None,
    )


def first_cell_count(sheet: Sheet, *, style: StyleKey) -> CellCount:
    """The fewest cells in series that give this craft what a style asks for, at the same energy and weight [1].

    Fewest, because each cell more raises full-throttle current: the current of a fixed propeller goes
    nearly with the square of the voltage (K7).

    Raises
    ------
    OutOfRangeError
        When the style is not flown by this kind of craft.
    """
    wanted = STYLES[style]
    flown = set_up(sheet).sheet
    rotor = flown.craft.lifts_itself()
    need = wanted.rotor_need if rotor else wanted.wing_need
    if need is None:
        raise OutOfRangeError(
            fact("refused.power.other_style", title=wanted.title, kind=flown.craft.kind),
            field="style",
            value=0.0,
            limit=0.0,
        )
    setups = []
    for series in range(1, _MOST_SERIES + 1):
        other = _same_energy(flown.pack, series)
        if other is not None:
            setups.append(set_up(with_pack(flown, pack=other)))
    times = fact("verdict.times_weight" if rotor else "verdict.times_level")
    last: tuple[int, float] | None = None
    for setup, at_landing in zip(setups, LandingSummaries(setups).fly(), strict=True):
        series = setup.sheet.pack.series
        if not at_landing.flies:
            continue
        broken = _broken_limit(setup, at_landing)
        if broken is not None:
            if last is None:
                why = fact("cells.even_this", series=series, broken=broken)
                return CellCount(wanted, None, at_landing.to_spare, why)
            why = fact(
                "cells.no_more",
                last_series=last[0], to_spare=last[1], times=times, need=need, series=series, broken=broken,
            )  # fmt: skip
            return CellCount(wanted, None, last[1], why)
        last = (series, at_landing.to_spare)
        if at_landing.to_spare >= need:
            limit_a = _motors_a(setup, at_landing) or flown.craft.limits.all_escs_burst_a()
            key = "cells.fewest.rotor" if rotor else "cells.fewest.wing"
            draws = (
                fact("cells.draws.of", full_a=_worst_a(setup, at_landing), limit_a=limit_a)
                if limit_a
                else fact("cells.draws", full_a=_worst_a(setup, at_landing))
            )
            why = fact(key, to_spare=at_landing.to_spare, times=times, need=need, draws=draws)
            return CellCount(wanted, series, at_landing.to_spare, why)
    if last is None:
        return CellCount(wanted, None, 0.0, fact("cells.none"))
    return CellCount(
        wanted, None, last[1], fact("cells.too_few", series=last[0], to_spare=last[1], times=times, need=need)
    )


def _broken_limit(setup: Setup, at_landing: LandingSummary) -> Fact | None:
    """What a cell count breaks first."""
    limits = setup.sheet.craft.limits
    if limits.maximum_v is not None and setup.figures.full_v > limits.maximum_v:
        return fact("cells.over_voltage", full=setup.figures.full_v, most=limits.maximum_v)
    for limit_a, key in (
        (_motors_a(setup, at_landing), "cells.over_motors"),
        (limits.all_escs_burst_a(), "cells.over_escs"),
    ):
        if limit_a is not None and _worst_a(setup, at_landing) > limit_a:
            return fact(key, full_a=_worst_a(setup, at_landing), limit_a=limit_a)
    return None
