"""Two packs in parallel: who may be joined, and who carries what."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.errors import UnequalPacksError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.flight.honest_current import honest_current
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures


@dataclass(frozen=True)
class ParallelSplit:
    """How two packs in parallel share a current.

    Attributes
    ----------
    resistance_ohm : float
        Of the pair [Ω].
    first_share, second_share : float
        Share of the current each carries at once [0 to 1].
    """

    resistance_ohm: float
    first_share: float
    second_share: float


def parallel_split(*, first_ohm: float, second_ohm: float) -> ParallelSplit:
    """Split of a current between two equal-voltage packs by their resistances (PHYSICS 2).

    Parameters
    ----------
    first_ohm, second_ohm : float
        Resistance of each pack with its leads and its side of the harness [Ω], > 0.
    """
    total = first_ohm + second_ohm
    return ParallelSplit(
        resistance_ohm=first_ohm * second_ohm / total,
        first_share=second_ohm / total,
        second_share=first_ohm / total,
    )


#: Largest difference at which two packs may be connected in parallel [V a cell] (PHYSICS 2).
EQUAL_VOLTAGE_V = 0.05
#: From this share of the charge on, the two are of different sizes [1].
_UNEQUAL_SHARE = 0.55
#: From this ratio of current over charge on, one of them is worked harder [1].
_HARDER = 1.2


@dataclass(frozen=True)
class InPair:
    """One pack of a pair.

    Attributes
    ----------
    burst_share : float
        Of a sudden current, by the resistances [0 to 1].
    lasting_share : float
        Of the charge over a flight, by the capacities: joined packs end at one voltage [0 to 1].
    honest_a : float
        Its own honest current [A].
    carries_a : float
        What it carries when the pair draws its honest current together [A].
    c_rate : float
        That current over its own capacity [1/h].
    """

    burst_share: float
    lasting_share: float
    honest_a: float
    carries_a: float
    c_rate: float


@dataclass(frozen=True)
class ParallelPair:
    """Two packs flown in parallel.

    Attributes
    ----------
    split : ParallelSplit
    first, second : InPair
    capacity_ah, mass_kg : float
        Of both together [Ah], [kg].
    honest_a : float
        Largest current at which neither passes its own honest current [A].
    lost_a : float
        What is lost against two equal halves: the sum of both less that [A].
    joining_a : float
        Current that flows from one into the other at the moment of joining [A].
    warnings : tuple of Fact
        What is unequal and what the weaker one suffers; empty for a good pair.
    """

    split: ParallelSplit
    first: InPair
    second: InPair
    capacity_ah: float
    mass_kg: float
    honest_a: float
    lost_a: float
    joining_a: float
    warnings: tuple[Fact, ...]


def joining_current_a(*, first: Pack, second: Pack, first_rest_v: float, second_rest_v: float) -> float:
    """Current that flows from one pack into the other at the moment of joining [A]: ΔV/(R1 + R2)."""
    apart_v = abs(first_rest_v * first.series - second_rest_v * second.series)
    return apart_v / (pack_figures(first).resistance_ohm + pack_figures(second).resistance_ohm)


def joined_pack(*, first: Pack, second: Pack) -> Pack:
    """Two packs in a harness as the one that is flown: side by side, capacities and weights of both [Ah, kg, Ω].

    Raises
    ------
    UnequalPacksError
        Where they must not be joined at any voltage.
    """
    check_pair(first=first, second=second, first_rest_v=1.0, second_rest_v=1.0)
    one, two = pack_figures(first), pack_figures(second)
    parallel = first.parallel + second.parallel
    # The resistance of each of the cells that makes both together what they are.
    cells = 1.0 / (1.0 / one.cells_ohm + 1.0 / two.cells_ohm)
    values = first.model_dump() | {
        "name": f"{first.name} + {second.name}"[:80],
        "parallel": parallel,
        "capacity_ah": first.capacity_ah + second.capacity_ah,
        "mass_kg": one.mass_kg + two.mass_kg,
        "mass_known": "measured" if first.mass_kg is not None and second.mass_kg is not None else "estimated",
        "cell_resistance_ohm": cells * parallel / first.series,
        "resistance_known": "measured"
        if "measured" == one.resistance_known == two.resistance_known
        else "estimated",
        "parallel_harness": True,
        "ratings": None,
        "tests": {},
        "curve": None,
    }
    return Pack.model_validate(values)


def check_pair(*, first: Pack, second: Pack, first_rest_v: float, second_rest_v: float) -> None:
    """Refuse packs that must not be joined: same chemistry and cell count, equal voltages [V a cell].

    Raises
    ------
    UnequalPacksError
        Different chemistry or cells in series, or voltages more than 0.05 V a cell apart.
    """
    if first.chemistry != second.chemistry:
        raise UnequalPacksError(fact("refused.parallel.chemistries"), difference=1.0, limit=0.0)
    if first.series != second.series:
        raise UnequalPacksError(
            fact("refused.parallel.cells", series=first.series, other_series=second.series),
            difference=abs(first.series - second.series),
            limit=0.0,
        )
    apart_v = abs(first_rest_v - second_rest_v)
    if apart_v > EQUAL_VOLTAGE_V + 1e-9:
        raise UnequalPacksError(
            fact("refused.parallel.volts", apart_v=apart_v),
            difference=apart_v,
            limit=EQUAL_VOLTAGE_V,
        )


def parallel_pair(*, first: Pack, second: Pack, first_rest_v: float, second_rest_v: float) -> ParallelPair:
    """Two packs in parallel: who carries what, and what the weaker one suffers (PHYSICS 2).

    A sudden current splits by the resistances; over a flight both must end at one voltage, so the
    charge splits by the capacities, and a current flows between them whenever the two disagree.

    Parameters
    ----------
    first, second : Pack
    first_rest_v, second_rest_v : float
        Rest voltage of each [V a cell].

    Raises
    ------
    UnequalPacksError
        As :func:`check_pair`.
    """
    check_pair(first=first, second=second, first_rest_v=first_rest_v, second_rest_v=second_rest_v)
    one, two = pack_figures(first), pack_figures(second)
    split = parallel_split(first_ohm=one.resistance_ohm, second_ohm=two.resistance_ohm)
    capacity_ah = one.capacity_ah + two.capacity_ah
    own_a = honest_current(first).current_a, honest_current(second).current_a
    shares = split.first_share, split.second_share
    honest_a = min(a / share for a, share in zip(own_a, shares, strict=True))
    halves = [
        InPair(
            burst_share=share,
            lasting_share=figures.capacity_ah / capacity_ah,
            honest_a=a,
            carries_a=honest_a * share,
            c_rate=honest_a * share / figures.capacity_ah,
        )
        for share, figures, a in zip(shares, (one, two), own_a, strict=True)
    ]
    return ParallelPair(
        split=split,
        first=halves[0],
        second=halves[1],
        capacity_ah=capacity_ah,
        mass_kg=one.mass_kg + two.mass_kg,
        honest_a=honest_a,
        lost_a=max(0.0, sum(own_a) - honest_a),
        joining_a=joining_current_a(
            first=first, second=second, first_rest_v=first_rest_v, second_rest_v=second_rest_v
        ),
        warnings=_unequal(first.name, second.name, halves),
    )


def _unequal(first: str, second: str, halves: list[InPair]) -> tuple[Fact, ...]:
    """What is unequal and what the one that suffers gets; empty where both carry about half."""
    names = (first, second)
    hard = (
        0
        if halves[0].burst_share * halves[1].lasting_share >= halves[1].burst_share * halves[0].lasting_share
        else 1
    )
    small = 0 if halves[0].lasting_share <= halves[1].lasting_share else 1
    one, other = halves[hard], halves[1 - hard]
    harder = one.burst_share / one.lasting_share / (other.burst_share / other.lasting_share)
    found = []
    if harder > _HARDER:
        found.append(
            fact(
                "parallel.harder", pack=names[hard], other=names[1 - hard], burst_share=one.burst_share,
                lasting_share=one.lasting_share, times=harder,
            )
        )  # fmt: skip
    if halves[1 - small].lasting_share > _UNEQUAL_SHARE:
        found.append(fact("parallel.smaller", pack=names[small], lasting_share=halves[small].lasting_share))
    return tuple(found)
