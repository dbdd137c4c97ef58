"""Two packs in parallel: who may be joined, and who carries what."""

from __future__ import annotations

from dataclasses import dataclass

from zesty_cell.core.errors import UnequalPacksError
from zesty_cell.core.pack import Pack, pack_figures


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
#: A share of the current above this wears the stronger pack and misleads the pilot [1].
_UNEQUAL_SHARE = 0.55


@dataclass(frozen=True)
class ParallelPair:
    """Two packs flown in parallel.

    Attributes
    ----------
    split : ParallelSplit
    capacity_ah, mass_kg : float
        Of both together [Ah], [kg].
    warning : str
        What is unequal, in words; empty for a good pair.
    """

    split: ParallelSplit
    capacity_ah: float
    mass_kg: float
    warning: str


def parallel_pair(*, first: Pack, second: Pack, first_rest_v: float, second_rest_v: float) -> ParallelPair:
    """Two packs in parallel: same chemistry and cell count, equal voltages (PHYSICS 2).

    Parameters
    ----------
    first, second : Pack
    first_rest_v, second_rest_v : float
        Rest voltage of each [V a cell].

    Raises
    ------
    UnequalPacksError
        Different chemistry or cells in series, or voltages more than 0.05 V a cell apart.
    """
    if first.chemistry != second.chemistry:
        raise UnequalPacksError("Never connect different chemistries in parallel.", difference=1.0, limit=0.0)
    if first.series != second.series:
        raise UnequalPacksError(
            f"Never connect {first.series}S and {second.series}S in parallel: one would burn the other.",
            difference=abs(first.series - second.series),
            limit=0.0,
        )
    apart_v = abs(first_rest_v - second_rest_v)
    if apart_v > EQUAL_VOLTAGE_V + 1e-9:
        raise UnequalPacksError(
            f"These packs are {apart_v:.2f} V a cell apart: charge both to the same voltage before joining them.",
            difference=apart_v,
            limit=EQUAL_VOLTAGE_V,
        )
    one, two = pack_figures(first), pack_figures(second)
    split = parallel_split(first_ohm=one.resistance_ohm, second_ohm=two.resistance_ohm)
    share, stronger = max((split.first_share, first.name), (split.second_share, second.name))
    warning = (
        f"“{stronger}” carries {100 * share:.0f} % of the current: its partner is the weaker pack."
        if share > _UNEQUAL_SHARE
        else ""
    )
    return ParallelPair(
        split=split,
        capacity_ah=one.capacity_ah + two.capacity_ah,
        mass_kg=one.mass_kg + two.mass_kg,
        warning=warning,
    )
