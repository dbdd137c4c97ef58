"""The words that stand in pictures."""

from __future__ import annotations

from typing import Final

from zesty_cell.core.asked.flying import Activity
from zesty_cell.core.parts.layout import Arrangement
from zesty_cell.core.parts.pack import Pack
from zesty_cell.words.units import group

#: How cells lie, behind how many there are.
_LYING: Final[dict[Arrangement, str]] = {"rows": "", "two layers": ", in two layers", "tube": ", end to end"}


def cells_words(pack: Pack, /) -> str:
    """“6 cells in series, 2 in parallel, end to end”."""
    series = f"{pack.series} cell{'s' if pack.series > 1 else ''} in series"
    return f"{series}, {pack.parallel} in parallel{_LYING[pack.arrangement]}"


def burst_words(burst: Activity, /, *, lengthens: bool) -> str:
    """What a burst asks, how long, and whether it takes longer as the pack sags."""
    seconds = f"{burst.duration_s:g} s each"
    if burst.name == "full throttle":
        text = f"full throttle, {seconds}"
    elif burst.share < 1.0:
        text = f"{burst.name}: {100 * burst.share:.0f} % of full power, {seconds}"
    else:
        text = f"{burst.name}: full throttle, {seconds}"
    return text + (", longer as it sags" if lengthens else "")


def steady_words(name: str, /) -> str:
    """Where the craft takes its steady power."""
    return f"in {name}"


def used_words(used_ah: float, share: float, /) -> str:
    """Charge used at landing [Ah], and its share of the pack's [1]."""
    return f"{group(used_ah * 1000)} mAh at landing · {100 * share:.0f} %"


def current_words(steady_a: float, peak_a: float, /) -> str:
    """Current in steady flight and at most [A]."""
    return f"{steady_a:.1f} A steady · {peak_a:.0f} A at most"


def told_words(factor: float, /, *, before: float, after: float, told: bool) -> str:
    """A factor that flights teach [1], with its standard deviations before and after them [1]."""
    if not told:
        return "the flights do not tell yet"
    more = 100.0 * (factor - 1.0)
    text = "as the sheet says" if abs(more) < 0.5 else f"{abs(more):.0f} % {'more' if more > 0 else 'less'}"
    return f"{text}, give or take {100 * after:.0f} %; before {100 * before:.0f} %"


def _share(value: float) -> str:
    return f"{100 * value:.1f} %" if 0 < value < 0.095 else f"{100 * value:.0f} %"


def setting_words(pack_v: float, hold_s: float, /, *, early: float, late: float) -> str:
    """A threshold [V] and hold [s] that were tried, with the shares of flights [1] it is too early or late in."""
    return f"{pack_v:g} V held {hold_s:g} s: too early in {_share(early)}, late in {_share(late)}"
