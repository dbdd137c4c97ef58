"""From pack to propeller: what every part carries, what it may carry, and which one is the weakest."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from zesty_cell.core.answer.check import Status
from zesty_cell.core.answer.checks import POWER_MARGIN_LOOK, THRUST_TO_WEIGHT_LOOK
from zesty_cell.core.answer.current_checks import rolling_rms
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.flight.honest_current import HonestCurrent
from zesty_cell.core.flight.one import Flight
from zesty_cell.core.flight.setup import Setup
from zesty_cell.core.flight.summary import LandingSummary
from zesty_cell.core.parts.connectors import CONNECTORS
from zesty_cell.core.parts.full_throttle import most_motors_a, standing_current_a

LinkKey = Literal[
    "cells", "rating", "plug", "second_plug", "leads", "voltage", "esc", "esc_burst", "motors", "propeller"
]

#: What silicone-covered copper of a pack's lead carries for minutes in moving air [A/mm²].
LEAD_A_PER_MM2 = 18.0
#: From this share of its limit a part is worth a look [1].
NEAR_LIMIT = 0.9


@dataclass(frozen=True)
class Link:
    """One part of the chain.

    Attributes
    ----------
    key : LinkKey
    title : Fact
    load, limit : float, float or None
        In ``unit``; None where the pilot has not given a limit.
    unit : "A", "V" or "ratio"
    share : float or None
        Load over limit [1]; for the propeller need over what there is.
    status : Status
    lasts : Fact
        For how long the load lasts.
    mend : Fact or None
        What would help; None for a part inside its limit.
    """

    key: LinkKey
    title: Fact
    load: float
    limit: float | None
    unit: Literal["A", "V", "ratio"]
    share: float | None
    status: Status
    lasts: Fact
    mend: Fact | None


@dataclass(frozen=True)
class Chain:
    """The whole chain, pack first; ``weakest`` is the index of the link nearest to, or past, its limit."""

    links: tuple[Link, ...]
    weakest: int


def _link(
    key: LinkKey, title: Fact, load: float, limit: float | None, unit: Literal["A", "V"], lasts: Fact
) -> Link:
    share = None if limit is None else load / limit
    # A full pack close under the highest voltage is as it should be: nothing is asked of it in flight.
    near = 1.0 if key == "voltage" else NEAR_LIMIT
    status: Status = "ok" if share is None or share <= near else "look" if share <= 1.0 else "stop"
    mend = fact(f"link.{key}.mend") if share is not None and share > 1.0 else None
    return Link(key, title, load, limit, unit, share, status, lasts, mend)


def parts_chain(*, setup: Setup, flight: Flight, at_landing: LandingSummary, honest: HonestCurrent) -> Chain:
    """The chain from pack to propeller of one flight, until landing [A, V].

    Minutes are the hardest 60 s (root mean square); bursts are full throttle on the fresh pack.
    """
    stop = flight.index_at(flight.landing_s) + 1
    minute_a = float(np.max(rolling_rms(flight.current_a[:stop], 60.0)))
    # Held on the ground a propeller is loaded most, and every take-off has that moment.
    burst_a = standing_current_a(
        load=setup.load, flying_a=at_landing.full_fresh_a, pack_ohm=setup.figures.resistance_ohm
    )
    motors_a = most_motors_a(craft=setup.sheet.craft, load=setup.load, standing_a=burst_a)
    pack, limits, ratings = setup.sheet.pack, setup.sheet.craft.limits, setup.figures.ratings
    minute, burst, start = fact("lasts.minute"), fact("lasts.burst"), fact("lasts.take_off")
    source = "label" if setup.figures.ratings_known == "maker" else "pack"
    tier_a = ratings.ten_second_a if ratings else None
    area_mm2, plug, count = pack.lead_area_mm2, CONNECTORS[pack.connector], limits.motor_count
    links = [
        _link("cells", fact("link.cells"), minute_a, honest.current_a, "A", minute),
        _link("rating", fact(f"link.rating.{source}"), burst_a, tier_a, "A", burst),
        _link("leads", fact("link.leads", area_mm2=area_mm2), minute_a, LEAD_A_PER_MM2 * area_mm2, "A", minute),
        _link("plug", fact("link.plug", plug=plug.name), minute_a, plug.rating_a, "A", minute),
    ]
    if pack.second_plug is not None:
        second = CONNECTORS[pack.second_plug]
        links.append(
            _link("second_plug", fact("link.second_plug", plug=second.name), minute_a, second.rating_a, "A", minute)
        )
    esc, burst_esc, motor = (_times(what, count) for what in ("link.esc", "link.esc_burst", "link.motors"))
    links += [
        _link("voltage", fact("link.voltage"), setup.figures.full_v, limits.maximum_v, "V", start),
        _link("esc", esc, minute_a, limits.all_escs_a(), "A", minute),
        _link("esc_burst", burst_esc, burst_a, limits.all_escs_burst_a(), "A", burst),
        _link("motors", motor, burst_a, motors_a, "A", burst),
        _propeller(setup, at_landing),
    ]
    shares = [
        -1.0 if link.share is None or (link.key == "voltage" and link.share <= 1.0) else link.share
        for link in links
    ]
    return Chain(links=tuple(links), weakest=int(np.argmax(shares)))


def _times(key: str, count: int) -> Fact:
    return fact(key) if count == 1 else fact("link.several", count=count, part=fact(key))


def _propeller(setup: Setup, at_landing: LandingSummary) -> Link:
    """The other end: does what arrives still carry the craft at landing with something to spare?"""
    rotor = setup.sheet.craft.lifts_itself()
    need = THRUST_TO_WEIGHT_LOOK if rotor else POWER_MARGIN_LOOK
    share = need / at_landing.to_spare
    status: Status = "ok" if share <= NEAR_LIMIT else "look" if share <= 1.0 else "stop"
    title = fact("link.propeller.rotor" if rotor else "link.propeller.wing")
    mend = fact("link.propeller.mend") if share > 1.0 else None
    return Link("propeller", title, at_landing.to_spare, need, "ratio", share, status, fact("lasts.landing"), mend)
