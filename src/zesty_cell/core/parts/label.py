"""A pack's label, as pilots read it out: one line of text, taken apart into what it says.

Any order, spaces or none, point or comma: ``6S 1300 120C LiPo 214g``, ``2s1p 18650 3000mAh 30A``, ``22,2V 5Ah``.
What a figure means follows from its unit; what belongs together is held against each other in ``label_pack.py``.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Final

from zesty_cell.core.fact import Fact, fact

#: Longer lines are no label [characters].
LONGEST_LINE = 120
#: Most words that nobody knows which are kept as what the pack is called [1].
_NAME_WORDS = 4
#: What is told of a line at most; the rest of a senseless one is not worth more words [1].
MOST_TROUBLES = 4

#: Least and most of each figure that a label may state, in the figure's unit.
_BOUNDS: Final[dict[str, tuple[float, float]]] = {
    "series": (1, 24),
    "parallel": (1, 24),
    "capacity_ah": (0.02, 200.0),
    "energy_wh": (0.05, 20_000.0),
    "pack_v": (1.0, 110.0),
    "label_c": (0.1, 300.0),
    "burst_c": (0.1, 600.0),
    "rating_a": (0.1, 2000.0),
    "mass_kg": (0.0005, 50.0),
    "cell_resistance_ohm": (1e-5, 2.0),
    "plug_a": (1.0, 300.0),
}
#: Round cells by the size stamped on them: diameter and length [mm].
ROUND_CELLS: Final[dict[str, tuple[float, float]]] = {
    "10440": (10, 44),
    "14500": (14, 50),
    "16340": (16, 34),
    "18350": (18, 35),
    "18500": (18, 50),
    "18650": (18.4, 65),
    "20700": (20.3, 70),
    "21700": (21.3, 70),
    "26650": (26, 65),
    "32700": (32, 70),
}


@dataclass(frozen=True)
class Label:
    """What a line says; None where it says nothing of it.

    Attributes
    ----------
    series, parallel : int or None
    chemistry : str or None
        A family (lipo, lihv, liion, lifepo4, nimh), or a chemistry's own key where a pilot chose it.
    capacity_ah, energy_wh, pack_v : float or None
        As printed [Ah, Wh, V].
    label_c, burst_c, rating_a : float or None
        Rate for as long as it lasts, for seconds [1/h]; the same as a current [A].
    mass_kg, cell_resistance_ohm, plug_a : float or None
        [kg, Ω, A].
    round_cell : str or None
        A key of :data:`ROUND_CELLS`.
    called : str
        Words that are no figures: what the maker calls it.
    troubles : tuple of Fact
        What was not understood, or is said twice or out of bounds, in the order of the line.
    """

    series: int | None = None
    parallel: int | None = None
    chemistry: str | None = None
    capacity_ah: float | None = None
    energy_wh: float | None = None
    pack_v: float | None = None
    label_c: float | None = None
    burst_c: float | None = None
    rating_a: float | None = None
    mass_kg: float | None = None
    cell_resistance_ohm: float | None = None
    plug_a: float | None = None
    round_cell: str | None = None
    called: str = ""
    troubles: tuple[Fact, ...] = ()

    def says_nothing(self) -> bool:
        """Whether no figure and no chemistry was understood."""
        return all(getattr(self, name) is None for name in (*_BOUNDS, "chemistry", "round_cell"))


@dataclass
class _Reading:
    """A line while it is being read."""

    found: dict[str, object] = field(default_factory=dict)
    words: list[str] = field(default_factory=list)
    troubles: list[Fact] = field(default_factory=list)

    def say(self, name: str, value: float | str, shown: str) -> None:
        """Note a figure, unless it cannot be or something else was said of it before."""
        if isinstance(value, float):
            least, most = _BOUNDS[name]
            if not least <= value <= most:
                self.troubles.append(fact(f"label.outside.{name}", shown=shown, least=least, most=most))
                return
        before = self.found.setdefault(name, int(value) if name in ("series", "parallel") else value)
        if before != value:
            self.troubles.append(fact("label.twice", shown=shown))


def _number(text: str) -> float:
    return float(re.sub(r"\s", "", text).replace(",", "."))


def _capacity_ah(text: str, unit: str) -> float:
    """Ah as printed; in “1,300 mAh” the comma parts thousands: nobody prints 1.3 mAh."""
    if unit.startswith("m"):
        if re.fullmatch(r"\d{1,2}[.,]\d{3}", text):
            text = text.replace(",", "").replace(".", "")
        return _trimmed(_number(text) / 1000.0)
    return _number(text)


def _trimmed(value: float) -> float:
    return float(f"{value:.9g}")


_N = r"(\d+(?:[.,]\d+)?|[.,]\d+)"
_MASS_KG: Final = {"kg": 1.0, "g": 0.001, "o": 0.028_349_523, "l": 0.453_592_37}
_END = r"(?![a-z])"

_Take = Callable[[_Reading, re.Match[str]], None]


def _simple(name: str, factor: float = 1.0) -> _Take:
    def take(reading: _Reading, m: re.Match[str]) -> None:
        said = next(group for group in m.groups() if group)
        reading.say(name, _trimmed(_number(said) * factor), m[0].strip())

    return take


def _take_cells(reading: _Reading, m: re.Match[str]) -> None:
    reading.say("series", _number(m[1]), m[0].strip())
    reading.say("parallel", _number(m[2]), m[0].strip())


def _take_cells_turned(reading: _Reading, m: re.Match[str]) -> None:
    reading.say("parallel", _number(m[1]), m[0].strip())
    reading.say("series", _number(m[2]), m[0].strip())


def _take_capacity(reading: _Reading, m: re.Match[str]) -> None:
    reading.say("capacity_ah", _capacity_ah(m[1], m[2]), m[0].strip())


def _take_thousands(reading: _Reading, m: re.Match[str]) -> None:
    reading.say("capacity_ah", _trimmed(_number(m[1]) / 1000.0), m[0].strip())


def _take_mass(reading: _Reading, m: re.Match[str]) -> None:
    unit = "kg" if m[2].startswith("k") else m[2][0].replace("p", "l")
    reading.say("mass_kg", _trimmed(_number(m[1]) * _MASS_KG[unit]), m[0].strip())


def _take_rates(reading: _Reading, m: re.Match[str]) -> None:
    low, high = sorted((_number(m[1]), _number(m[2])))
    reading.say("label_c", low, m[0].strip())
    if high > low:
        reading.say("burst_c", high, m[0].strip())


def _take_burst(reading: _Reading, m: re.Match[str]) -> None:
    reading.say("burst_c", _number(m[1] or m[2]), m[0].strip())


def _take_round(reading: _Reading, m: re.Match[str]) -> None:
    reading.say("round_cell", m[1], m[0].strip())


def _family(key: str) -> _Take:
    def take(reading: _Reading, m: re.Match[str]) -> None:
        before = reading.found.get("chemistry")
        # “LiPo HV” is one thing said in two words.
        if (key == "lihv" and before == "lipo") or (key == "lipo" and before == "lihv"):
            reading.found["chemistry"] = "lihv"
            return
        reading.say("chemistry", key, m[0].strip())

    return take


def _take_plain(reading: _Reading, m: re.Match[str]) -> None:
    """A number without a unit: a capacity in mAh, if it is one."""
    if re.fullmatch(r"\d{2,6}", m[1]) and "capacity_ah" not in reading.found and float(m[1]) >= 90.0:
        reading.say("capacity_ah", float(m[1]) / 1000.0, m[1])
        return
    known = fact("label.unit_missing.weight") if "mass_kg" not in reading.found else fact("label.unit_missing")
    key = "label.which_cells" if re.fullmatch(r"[1-9]|1\d|2[0-4]", m[1]) else "label.number"
    if key == "label.which_cells" and "series" in reading.found:
        key = "label.number"
    reading.troubles.append(fact(key, shown=m[1], hint=known))


def _ignore(reading: _Reading, m: re.Match[str]) -> None:
    """What says nothing of the pack."""


#: In the order in which they are tried at a place of the line.
_GRAMMAR: Final[tuple[tuple[re.Pattern[str], _Take], ...]] = tuple(
    (re.compile(pattern), take)
    for pattern, take in (
        (rf"{_N}\s*a(?:mps?)?\s*(?:plug|connector){_END}", _simple("plug_a")),
        (rf"(?:plug|connector)\s*{_N}\s*a(?:mps?)?{_END}", _simple("plug_a")),
        (r"(\d+)\s*s\s*[-/x]?\s*(\d+)\s*p(?![a-z])", _take_cells),
        (r"(\d+)\s*p\s*[-/x]?\s*(\d+)\s*s(?![a-z])", _take_cells_turned),
        (r"(\d+)[\s-]*(?:s(?!ec|iz)|cells?\b|in series\b)", _simple("series")),
        (rf"(\d+)\s*x\s*(?={'|'.join(ROUND_CELLS)})", _simple("series")),
        (r"(\d+)[\s-]*(?:p(?![a-z])|in parallel\b|parallel\b)", _simple("parallel")),
        (r"(\d{1,3} \d{3})\s*mah?" + _END, _take_thousands),
        (rf"{_N}\s*(ma|a)h{_END}", _take_capacity),
        (rf"{_N}\s*(ma){_END}", _take_capacity),
        (rf"{_N}\s*wh{_END}", _simple("energy_wh")),
        (rf"{_N}\s*m(?:ω|ohms?|illiohms?){_END}", _simple("cell_resistance_ohm", 0.001)),
        (rf"{_N}\s*(kgs?|kilos?|kilograms?|grams?|grammes?|gr|g|oz|ounces?|lbs?|pounds?){_END}", _take_mass),
        (rf"{_N}\s*v(?:olts?)?(?![a-z])", _simple("pack_v")),
        (r"(\d{1,3})\s*c?\s*[-/~]\s*(\d{1,3})\s*c" + _END, _take_rates),
        (rf"(?:burst|peak|max)\s*{_N}\s*c{_END}|{_N}\s*c\s*(?:burst|peak|max)(?!\s*\d+\s*c){_END}", _take_burst),
        (rf"{_N}\s*c(?![a-z])", _simple("label_c")),
        (rf"{_N}\s*a(?:mps?|mperes?)?(?![a-z])", _simple("rating_a")),
        (rf"({'|'.join(ROUND_CELLS)})(?!\d)", _take_round),
        (rf"{_N}", _take_plain),
        (r"(?:li[\s-]?po[\s-]?hv|li[\s-]?hv|high[\s-]?voltage|hv)" + _END, _family("lihv")),
        (r"(?:li[\s-]?po(?:l|ly|lymer)?|lithium[\s-]?(?:ion[\s-])?poly(?:mer)?|polymer)" + _END, _family("lipo")),
        (
            r"(?:li[\s-]?fe(?:[\s-]?po4?)?|life|lfp|(?:lithium[\s-]?)?iron(?:[\s-]?phosphate)?)(?![a-z])",
            _family("lifepo4"),
        ),
        (r"(?:li[\s-]?ion|lithium[\s-]?ion|lion|nmc|nca|inr|imr|icr|ncr)" + _END, _family("liion")),
        (r"(?:ni[\s-]?mh|nickel[\s-]?metal(?:[\s-]?hydride)?)" + _END, _family("nimh")),
        (
            r"(?:batter(?:y|ies)|packs?|lithium|rechargeable|cells?|with|and|plug|connector|leads?|burst|max|cont"
            r"|continuous|discharge|nominal|rated|rating|weight|weighs|capacity|round|series|size|each|about|ca"
            r"|of|the|a|an|my|in|at|is|or)\b",
            _ignore,
        ),
    )
)
_SPACE: Final = re.compile(r"[\s;:/|+_·•()\[\]*~=-]+|[.,](?!\d)")
_WORD: Final = re.compile(r"[^\W\d_][\w'’.&-]*")


def _normal(line: str) -> str:
    """One kind of space, comma, multiplication sign and ohm."""
    text = unicodedata.normalize("NFKC", line).replace("−", "-").replace("–", "-").replace("’", "'")
    return text.replace("×", "x").replace("\u03a9", "ω").replace("\u2126", "ω")


def read_label(line: str, /) -> Label:
    """Take a label's line apart.  Never raises: what cannot be understood stands in ``troubles``.

    Parameters
    ----------
    line : str
        As typed; what is beyond :data:`LONGEST_LINE` is not looked at.
    """
    reading = _Reading()
    whole = _normal(line)
    text, low = whole[:LONGEST_LINE], whole[:LONGEST_LINE].lower()
    if len(low) != len(text):  # a capital that is two small letters: places would no longer agree
        text = low
    if len(whole) > LONGEST_LINE:
        reading.troubles.append(fact("label.too_long", most=LONGEST_LINE))
    at = 0
    while at < len(low):
        at = _step(reading, text, low, at)
    called = " ".join(reading.words[:_NAME_WORDS])
    return Label(called=called[:40], troubles=tuple(reading.troubles[:MOST_TROUBLES]), **reading.found)  # type: ignore[arg-type]


def nothing_said() -> Fact:
    """Told of a line in which nothing was understood."""
    return fact("label.nothing")


def _step(reading: _Reading, text: str, low: str, at: int) -> int:
    """Read what stands at a place; where the next thing stands."""
    space = _SPACE.match(low, at)
    if space:
        return space.end()
    for pattern, take in _GRAMMAR:
        m = pattern.match(low, at)
        if m:
            take(reading, m)
            return m.end()
    word = _WORD.match(text, at)
    if word is None:
        reading.troubles.append(fact("label.sign", shown=text[at]))
        return at + 1
    if any(c.isdigit() for c in word[0]) or len(word[0]) < 2:
        reading.troubles.append(fact("label.word", shown=word[0][:20]))
    else:
        reading.words.append(word[0])
    return word.end()
