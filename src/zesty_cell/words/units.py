"""How quantities look to a person: metric or imperial, typed and shown, from and to the core's SI."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.clock import clock

#: Which units somebody reads: “metric” or “imperial” for all, else a letter (m, i) each for weights, lengths and
#: temperatures, in that order: many pilots weigh in grams and measure in inches.
System = str
Family = Literal["weights", "lengths", "temperature"]
FAMILIES: tuple[Family, ...] = ("weights", "lengths", "temperature")


def is_imperial(system: System, family: Family) -> bool:
    """Whether a system has imperial units for a family."""
    if len(system) == len(FAMILIES):
        return system[FAMILIES.index(family)] == "i"
    return system == "imperial"


def system_with(system: System, family: Family, *, imperial: bool) -> System:
    """A system with other units for one family."""
    letters = ["i" if (imperial if one == family else is_imperial(system, one)) else "m" for one in FAMILIES]
    return {"mmm": "metric", "iii": "imperial"}.get("".join(letters), "".join(letters))


def known_system(text: str) -> System:
    """A system by its name; metric for anything else."""
    known = text in ("metric", "imperial") or (len(text) == len(FAMILIES) and set(text) == {"m", "i"})
    return text if known else "metric"


THIN_SPACE = "\u2009"


@dataclass(frozen=True)
class Unit:
    """A unit as shown: value = SI·factor + offset, with so many decimals."""

    label: str
    factor: float = 1.0
    offset: float = 0.0
    decimals: int = 1

    def show(self, si: float) -> float:
        """From SI to this unit."""
        return si * self.factor + self.offset

    def read(self, shown: float) -> float:
        """From this unit to SI; trimmed so that what was typed comes back as typed."""
        return float(f"{(shown - self.offset) / self.factor:.12g}")


@dataclass(frozen=True)
class Quantity:
    """A kind of number with its two units, and others that may be typed behind it: how they are written, and each
    as a unit of its own."""

    metric: Unit
    imperial: Unit
    typed_as: tuple[tuple[str, Unit], ...] = ()
    family: Family = "lengths"

    def unit(self, system: System) -> Unit:
        """The unit of a system."""
        return self.imperial if is_imperial(system, self.family) else self.metric

    def read(self, text: str, system: System) -> float:
        """A typed number in SI: with its unit behind it, or in the system's without one.

        Raises
        ------
        ValueError
            In words, for showing beside the field.
        """
        number, suffix = _number_and_unit(text)
        if not suffix:
            return self.unit(system).read(read_number(number))
        for spellings, unit in self.typed_as:
            if suffix in spellings.lower().split():
                return unit.read(read_number(number))
        known = [spellings.split()[0] for spellings, _ in self.typed_as]
        if not known or any(c.isdigit() for c in suffix):
            raise ValueError(f"“{text.strip()[:24]}” is not a number.")
        listed = known[0] if len(known) == 1 else f"{', '.join(known[:-1])} or {known[-1]}"
        raise ValueError(f"“{suffix[:12]}” is no unit here: write {listed}.")


_BEHIND = re.compile(r"^(?P<number>[\s\d.,+\u2212\u2009\u202f\u00a0-]*\d[.,]?)\s*(?P<unit>[^\d\s.,+−-].{0,11})$")


def _number_and_unit(text: str) -> tuple[str, str]:
    """A number and what stands behind it, small and without spaces; all of it a number where nothing does."""
    found = _BEHIND.match(text.strip())
    if found is None:
        return text, ""
    return found["number"], re.sub(r"\s", "", found["unit"]).lower().replace("\u2126", "ω")


def _same(unit: Unit, *typed_as: tuple[str, Unit]) -> Quantity:
    return Quantity(unit, unit, typed_as)


def _times(factor: float) -> Unit:
    return Unit("", factor)


_INCH = _times(1.0 / 0.0254)
_LENGTHS = (
    ("cm", _times(100.0)),
    ("mm", _times(1000.0)),
    ("m", _times(1.0)),
    ('in " inch inches ″ ”', _INCH),
    ("ft feet foot ' ′", _times(1.0 / 0.3048)),
)
MASS = Quantity(
    Unit("g", 1000.0, decimals=0),
    Unit("oz", 35.273_961_95, decimals=1),
    (
        ("g gr gram grams", _times(1000.0)),
        ("kg", _times(1.0)),
        ("oz ounce ounces", _times(35.273_961_95)),
        ("lb lbs pound pounds", _times(1.0 / 0.453_592_37)),
    ),
    "weights",
)
_CELSIUS, _FAHRENHEIT = Unit("°C", decimals=0), Unit("°F", 1.8, 32.0, decimals=0)
TEMPERATURE = Quantity(_CELSIUS, _FAHRENHEIT, (("°C c", _CELSIUS), ("°F f", _FAHRENHEIT)), "temperature")
ALTITUDE = Quantity(Unit("m", decimals=0), Unit("ft", 3.280_839_895, decimals=0), (_LENGTHS[2], _LENGTHS[4]))
SPEED = Quantity(
    Unit("km/h", 3.6, decimals=0),
    Unit("mph", 2.236_936_292, decimals=0),
    (
        ("km/h kmh kph", _times(3.6)),
        ("m/s ms", _times(1.0)),
        ("mph", _times(2.236_936_292)),
        ("kn kt kts knots", _times(1.943_844_49)),
    ),
)
LENGTH = Quantity(Unit("cm", 100.0, decimals=1), Unit("in", 39.370_078_74, decimals=1), _LENGTHS)
DISTANCE = Quantity(
    Unit("km", 0.001, decimals=2),
    Unit("mi", 1.0 / 1609.344, decimals=2),
    (
        ("km", _times(0.001)),
        ("m", _times(1.0)),
        ("mi mile miles", _times(1.0 / 1609.344)),
        ("ft feet", _times(1.0 / 0.3048)),
    ),
)
AREA = Quantity(
    Unit("dm²", 100.0, decimals=1),
    Unit("sq in", 1550.003_1, decimals=0),
    (
        ("dm² dm2", _times(100.0)),
        ("cm² cm2", _times(10_000.0)),
        ("m² m2", _times(1.0)),
        ("sqin in² in2", _times(1.0 / 0.0254**2)),
        ("sqft ft² ft2", _times(1.0 / 0.3048**2)),
    ),
)
CAPACITY = _same(Unit("mAh", 1000.0, decimals=0), ("mAh ma", _times(1000.0)), ("Ah", _times(1.0)))
CURRENT = _same(Unit("A", decimals=1), ("A amp amps", _times(1.0)), ("mA", _times(1000.0)))
VOLTAGE = _same(Unit("V", decimals=2), ("V volt volts", _times(1.0)), ("mV", _times(1000.0)))
MILLIVOLTS = _same(Unit("mV", 1000.0, decimals=1), ("mV", _times(1000.0)), ("V volt volts", _times(1.0)))
MILLIOHM = _same(Unit("mΩ", 1000.0, decimals=1), ("mΩ mohm mohms", _times(1000.0)), ("Ω ohm ohms", _times(1.0)))
POWER = _same(Unit("W", decimals=1), ("W watt watts", _times(1.0)), ("kW", _times(0.001)))
WATT_HOURS = _same(Unit("Wh", decimals=1), ("Wh", _times(1.0)))
WIRE = _same(Unit("mm²", decimals=2))
MILLIMETRE = _same(Unit("mm", 1000.0, decimals=1), *(_LENGTHS[k] for k in (1, 0, 3)))
SHARE = _same(Unit("%", 100.0, decimals=0), ("%", _times(100.0)))
RATIO = _same(Unit("", decimals=2), ("x × times", _times(1.0)))
KV = _same(Unit("rpm/V", decimals=0), ("KV rpm/V", _times(1.0)))
RATE = _same(Unit("C", decimals=0), ("C", _times(1.0)))
PRICE = _same(Unit("", decimals=2))
COUNT = _same(Unit("", decimals=0), ("S cells cell", _times(1.0)), ("P", _times(1.0)))
SECONDS = _same(Unit("s", decimals=1), ("s sec seconds", _times(1.0)), ("min", _times(1.0 / 60.0)))
DURATION = _same(Unit("m:ss", decimals=0))
#: A flight's length: a plain number is minutes, and a point or comma may stand for the colon phones lack.
FLIGHT_TIME = _same(Unit("min", decimals=0))


def span_words(values: NDArray[np.float64], unit: str, digits: int) -> str:
    """From where to where numbers reach, shape (n,), in their own unit; so that a wrong one is seen at a glance."""
    known = values[~np.isnan(values)]
    if not known.size:
        return "empty throughout"
    low, high = float(known.min()), float(known.max())
    return f"{low:.{digits}f} to {high:.{digits}f} {unit}" if high > low else f"{low:.{digits}f} {unit} throughout"


def group(value: float, decimals: int = 0) -> str:
    """A number with thin-space thousands and a true minus."""
    if not math.isfinite(value):
        return "–"
    text = f"{value:,.{decimals}f}".replace(",", THIN_SPACE)
    if float(f"{value:.{decimals}f}") == 0.0:
        text = text.lstrip("-")
    return text.replace("-", "−")


def minutes(seconds: float | None) -> str:
    """Minutes as m:ss, to the nearest second."""
    if seconds is None or not math.isfinite(seconds):
        return "–"
    return clock(seconds)


def typed(si: float | None, quantity: Quantity, system: System) -> str:
    """A value as a person would type it: no more digits than it needs."""
    if si is None:
        return ""
    if quantity is DURATION or quantity is FLIGHT_TIME:
        return minutes(si)
    unit = quantity.unit(system)
    return f"{round(unit.show(si), unit.decimals + 3):.10g}"


_NUMBER = re.compile(r"^[+-]?(\d+([.,]\d*)?|[.,]\d+)$")


def read_number(text: str) -> float:
    """A typed number: decimal point or comma, spaces between thousands, true minus.

    Raises
    ------
    ValueError
        In words, for showing beside the field.
    """
    compact = re.sub(r"[\s\u2009\u202f\u00a0]", "", text).replace("−", "-")
    if len(compact) > 20 or not _NUMBER.match(compact):
        shown = text.strip()[:24] + ("…" if len(text.strip()) > 24 else "")
        raise ValueError(f"“{shown}” is not a number.")
    return float(compact.replace(",", "."))


_GAUGE = re.compile(r"^\s*(?:awg\s*(\d{1,2})|(\d{1,2})\s*awg)\s*$", re.IGNORECASE)
#: Wire gauges pilots use, thickest first.
GAUGES = (8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30)


def gauge_mm2(gauge: int) -> float:
    """Copper cross-section of a wire gauge [mm²]: d = 0.127 mm · 92^((36 − n)/39) (ASTM B258)."""
    diameter_mm: float = 0.127 * 92.0 ** ((36 - gauge) / 39.0)
    return round(math.pi / 4.0 * diameter_mm**2, 3)


def read_wire_mm2(text: str) -> float:
    """A typed wire: square millimetres, or a gauge as “12 AWG”.

    Raises
    ------
    ValueError
    """
    gauge = _GAUGE.match(text)
    if gauge is None:
        return read_number(text)
    number = int(gauge[1] or gauge[2])
    if number not in GAUGES:
        raise ValueError(f"Gauges run from {GAUGES[0]} to {GAUGES[-1]} in twos: write 12 AWG, or mm².")
    return gauge_mm2(number)


def read_numbers(text: str) -> list[float]:
    """Several typed numbers with spaces, semicolons or strokes between them.

    Raises
    ------
    ValueError
    """
    parts = re.split(r"[\s;/|]+", text.strip())
    if len(parts) > 64:
        raise ValueError("That is more numbers than a pack has cells.")
    return [read_number(part) for part in parts]


def read_duration_s(text: str) -> float:
    """A typed time: m:ss, h:mm:ss, or plain seconds.

    Raises
    ------
    ValueError
    """
    parts = text.strip().split(":")
    if len(parts) == 1:
        return read_number(text)
    if (
        len(parts) > 3
        or not all(p.isascii() and p.isdigit() and len(p) <= 4 for p in parts)
        or any(int(p) > 59 for p in parts[1:])
    ):
        raise ValueError(f"“{text.strip()[:24]}” is not a time: write minutes and seconds as 1:30.")
    total = 0.0
    for part in parts:
        total = total * 60.0 + int(part)
    return total


_POINTED = re.compile(r"^\s*(\d{1,4})\s*[.,]\s*(\d+)\s*$")


def read_flight_time_s(text: str) -> float:
    """The length of a flight: 4:10, 4.10 and 4,10 are four minutes ten, 4 is four minutes, 250s are seconds.

    Raises
    ------
    ValueError
        Where a digit is missing: 4.5 may be 4:05 or 4:30 or 4:50.
    """
    plain = text.strip().removesuffix("min").strip()
    if plain.endswith("s") and ":" not in plain:
        return read_number(plain[:-1])
    pointed = _POINTED.match(plain)
    if pointed is not None:
        minutes_, rest = int(pointed[1]), pointed[2]
        if len(rest) != 2 or int(rest) > 59:
            raise ValueError(
                f"Minutes and seconds, with two digits for the seconds: {minutes_}:05 or {minutes_}:30?"
            )
        return 60.0 * minutes_ + int(rest)
    if ":" in plain:
        return read_duration_s(plain)
    return 60.0 * read_number(plain)
