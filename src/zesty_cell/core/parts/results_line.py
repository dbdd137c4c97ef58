"""Test results of a pack as they come off a charger, a load or a meter, in one line: taken apart into its tests.

Each part between semicolons is one result: ``2.1 2.2 2.0 2.3 mΩ at 24 °C``; ``1480 mAh to 3.5 V``; ``31.2 Wh``;
``22.1 V at 2 A, 21.3 V at 22 A``.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, Final

from pydantic import ValidationError

from zesty_cell.core.fact import Fact, Words, fact
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.measured import CapacityTest, ChargerReading, TwoCurrentTest
from zesty_cell.core.parts.pack import Pack

#: A longer line is not results.
LONGEST_RESULTS: Final = 400
_NUMBER = r"\d+(?:[.,]\d+)?"
_OHMS = re.compile(
    rf"(?P<each>(?:{_NUMBER}(?:\s*[/|]\s*|\s+))*{_NUMBER})\s*(?P<unit>m\s?(?:Ω|ω|ohms?)|milliohms?)", re.IGNORECASE
)
_CHARGE = re.compile(rf"(?P<charge>{_NUMBER})\s*(?P<unit>mAh|Ah|Wh)\b", re.IGNORECASE)
_VOLTS = re.compile(rf"(?P<volts>{_NUMBER})\s*V\b", re.IGNORECASE)
_LOADED = re.compile(rf"(?P<volts>{_NUMBER})\s*V\s*(?:at|@|with|/|,)?\s*(?P<amps>{_NUMBER})\s*A\b", re.IGNORECASE)
_CELSIUS = re.compile(rf"(?P<degrees>{_NUMBER})\s*°?\s*(?P<unit>[CF])\b")
_SECONDS = re.compile(rf"(?P<seconds>{_NUMBER})\s*(?:s|sec|seconds)\b", re.IGNORECASE)
#: A voltage over this is of a whole pack and not of a cell [V].
_MOST_CELL_V = 4.6


@dataclass(frozen=True)
class ResultsRead:
    """What a line of results says.

    Attributes
    ----------
    tests : mapping
        By the names of :class:`~zesty_cell.core.parts.measured.PackTests`.
    understood : tuple of Fact
        Each test in words.
    left_out : tuple of (str, Fact or str)
        Parts that say nothing that was understood, or cannot be, and why.
    """

    tests: dict[str, Any]
    understood: tuple[Fact, ...]
    left_out: tuple[tuple[str, Words], ...]


def _number(text: str) -> float:
    return float(text.replace(",", "."))


def _celsius(part: str) -> float | None:
    found = _CELSIUS.search(part)
    if found is None:
        return None
    degrees = _number(found["degrees"])
    return degrees if found["unit"].upper() == "C" else (degrees - 32.0) / 1.8


def _resistances(part: str, found: re.Match[str], pack: Pack) -> tuple[str, object, Fact]:
    each = [_number(text) / 1000.0 for text in re.findall(_NUMBER, found["each"])]
    if len(each) == 1:
        each *= pack.series
    if len(each) != pack.series:
        raise _LeftOutError(fact("results.other_count", readings=len(each), series=pack.series))
    degrees = _celsius(part[found.end() :])
    test = ChargerReading(cells_ohm=tuple(each), **({} if degrees is None else {"pack_c": degrees}))
    return "charger", test, fact("results.charger", low_ohm=min(each), high_ohm=max(each), pack_c=test.pack_c)


def _capacity(part: str, found: re.Match[str], pack: Pack) -> tuple[str, object, Fact]:
    charge, unit = _number(found["charge"]), found["unit"].lower()
    nominal_v = chemistry_for(pack.chemistry).nominal_v * pack.series
    charge_ah = charge / 1000.0 if unit == "mah" else charge if unit == "ah" else charge / nominal_v
    volts = [_number(v["volts"]) for v in _VOLTS.finditer(part)]
    # “From 25.2 to 21.6 V”: what it ended at is the lowest.
    rest_v = min(volts) if volts else None
    if rest_v is not None and rest_v > _MOST_CELL_V:
        rest_v /= pack.series
    test = CapacityTest(charge_ah=charge_ah, rest_v_per_cell=rest_v)
    if rest_v is None:
        return "capacity", test, fact("results.capacity.floor", charge_ah=charge_ah)
    return "capacity", test, fact("results.capacity", charge_ah=charge_ah, cell_v=rest_v)


def _two_currents(part: str, pairs: list[re.Match[str]]) -> tuple[str, object, Fact]:
    if len(pairs) != 2:
        raise _LeftOutError(fact("results.two_needed"))
    (v1, a1), (v2, a2) = ((_number(p["volts"]), _number(p["amps"])) for p in pairs)
    degrees, held = _celsius(part), _SECONDS.search(part)
    more = {} if degrees is None else {"pack_c": degrees}
    more |= {} if held is None else {"held_s": _number(held["seconds"])}
    test = TwoCurrentTest(first_v=v1, first_a=a1, second_v=v2, second_a=a2, **more)
    return "two_currents", test, fact("results.two_currents", first_v=v1, first_a=a1, second_v=v2, second_a=a2)


class _LeftOutError(Exception):
    def __init__(self, why: Fact) -> None:
        super().__init__()
        self.why = why


def _read(part: str, pack: Pack) -> tuple[str, object, Fact]:
    ohms = _OHMS.search(part)
    if ohms is not None:
        return _resistances(part, ohms, pack)
    pairs = list(_LOADED.finditer(part))
    if pairs:
        return _two_currents(part, pairs)
    charge = _CHARGE.search(part)
    if charge is not None:
        return _capacity(part, charge, pack)
    raise _LeftOutError(fact("results.nothing"))


def read_results(line: str, /, *, pack: Pack) -> ResultsRead:
    """A line of results of a pack, part by part [Ω, Ah, V, A].

    Parameters
    ----------
    line : str
        Parts with semicolons or line ends between them.
    pack : Pack
        Its cells say how many resistances there are, and whether a voltage is of one.
    """
    tests, understood, left_out = dict[str, Any](), list[Fact](), list[tuple[str, Words]]()
    if len(line) > LONGEST_RESULTS:
        return ResultsRead({}, (), ((line[:40], fact("results.too_long", most=LONGEST_RESULTS)),))
    for part in (p.strip() for p in re.split(r"[;\n\r]+", line)):
        if not part:
            continue
        try:
            name, test, words = _read(part, pack)
        except _LeftOutError as error:
            left_out.append((part[:40], error.why))
        except ValidationError as error:
            problem = error.errors(include_url=False)[0]
            why = problem["ctx"]["why"] if problem["type"] == "refused" else fact("results.cannot_be")
            left_out.append((part[:40], why))
        else:
            if name in tests:
                left_out.append((part[:40], fact("results.twice")))
                continue
            tests[name] = test
            understood.append(words)
    return ResultsRead(tests, tuple(understood), tuple(left_out))
