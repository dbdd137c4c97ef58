"""How the core's numbers are written for one person: the only place where they become text."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.answer.check import Check
from zesty_cell.words.units import (
    ALTITUDE,
    DISTANCE,
    LENGTH,
    MASS,
    SPEED,
    TEMPERATURE,
    Family,
    Quantity,
    System,
    group,
    is_imperial,
    minutes,
    span_words,
)


def _apart(value: float, limit: float, decimals: int) -> tuple[str, str]:
    """Two numbers as they are read, with up to two decimals more where they would look the same and are not."""
    for more in range(3):
        texts = f"{value:.{decimals + more}f}", f"{limit:.{decimals + more}f}"
        if texts[0] != texts[1] or value == limit:
            break
    return texts


@dataclass(frozen=True)
class Reader:
    """How a person reads: units, and voltages per cell or of the pack."""

    units: System = "metric"
    volts: Literal["cell", "pack"] = "cell"


@dataclass(frozen=True)
class Face:
    """Formatters in a person's units; handed to the templates as ``face``."""

    view: Reader

    def _in(self, quantity: Quantity, si: float, decimals: int | None = None) -> str:
        unit = quantity.unit(self.view.units)
        return f"{group(unit.show(si), unit.decimals if decimals is None else decimals)} {unit.label}"

    def mass(self, kg: float) -> str:
        """Mass in g or oz; a light craft in tenths of a gram."""
        return self._in(MASS, kg, 1 if kg < 0.1 and not is_imperial(self.view.units, "weights") else None)

    def mass_about(self, kg: float) -> str:
        """Mass in a sentence, where tenths of a gram would be noise."""
        return self._in(MASS, kg, 1 if kg < 0.005 or is_imperial(self.view.units, "weights") else 0)

    def unit_label(self, family: Family) -> str:
        """What somebody reads a family of quantities in: g or oz, cm or in, °C or °F."""
        quantity = {"weights": MASS, "lengths": LENGTH, "temperature": TEMPERATURE}[family]
        return quantity.unit(self.view.units).label

    def altitude_unit(self) -> str:
        """What somebody reads heights in."""
        return ALTITUDE.unit(self.view.units).label

    def temperature(self, celsius: float) -> str:
        """Temperature."""
        return self._in(TEMPERATURE, celsius)

    def span(self, quantity: Quantity, values: NDArray[np.float64]) -> str:
        """From where to where numbers in SI reach, shape (n,), with nan where none is known."""
        unit = quantity.unit(self.view.units)
        return span_words(values * unit.factor + unit.offset, unit.label, unit.decimals)

    def temperature_difference(self, kelvins: float) -> str:
        """How far two temperatures are apart."""
        if is_imperial(self.view.units, "temperature"):
            return f"{group(1.8 * kelvins, 0)} °F"
        return f"{group(kelvins, 0)} °C"

    def size(self, metres: float) -> str:
        """A length of the hand: a rotor, a pack."""
        return self._in(LENGTH, metres)

    def altitude(self, metres: float) -> str:
        """Altitude."""
        return self._in(ALTITUDE, metres)

    def speed(self, metres_a_second: float) -> str:
        """Speed."""
        return self._in(SPEED, metres_a_second)

    def distance(self, metres: float) -> str:
        """A distance flown."""
        return self._in(DISTANCE, metres, 1 if metres >= 1000.0 else 2)

    def far(self, metres: float) -> str:
        """How far away something is: in small units while it is near."""
        return self.altitude(metres) if metres < 995.0 else self.distance(metres)

    def charge_per_distance(self, mah_per_km: float) -> str:
        """Charge for each kilometre or mile."""
        unit = DISTANCE.unit(self.view.units)
        return f"{mah_per_km / (1000.0 * unit.factor):.0f} mAh a {unit.label}"

    def time(self, seconds: float | None) -> str:
        """m:ss."""
        return minutes(seconds)

    def lap(self, seconds: float) -> str:
        """The time of a lap, to a tenth: 23.4 s, 1:03.4."""
        whole, tenths = divmod(round(10.0 * seconds), 10)
        return f"{whole}.{tenths} s" if whole < 60 else f"{whole // 60}:{whole % 60:02d}.{tenths}"

    def mah(self, ah: float) -> str:
        """Charge in mAh."""
        return f"{group(ah * 1000.0)} mAh"

    def number(self, value: float, decimals: int = 0) -> str:
        """A plain number with thin-space thousands."""
        return group(value, decimals)

    def cell_v(self, cell_v: float) -> str:
        """Volts per cell, two decimals."""
        return f"{cell_v:.2f}"

    def pack_v(self, pack_v: float, series: int) -> str:
        """Pack volts, as a transmitter is set: one decimal, two for one cell."""
        return f"{pack_v:.{2 if series == 1 else 1}f}"

    def volts(self, cell_v: float, series: int) -> str:
        """A voltage the way this person reads it: per cell or as pack."""
        if self.view.volts == "pack":
            return f"{cell_v * series:.{2 if series == 1 else 1}f} V"
        return f"{cell_v:.2f} V a cell" if series > 1 else f"{cell_v:.2f} V"

    def check_numbers(self, check: Check, series: int) -> str:
        """A check's number against its limit and the moment."""
        text = self._against(check, series)
        if check.at_s is not None and check.at_s > 0.0:
            text += f", at {minutes(check.at_s)}" if text else f"at {minutes(check.at_s)}"
        return text

    def _against(self, check: Check, series: int) -> str:
        value, limit = check.value, check.limit
        if value is None or limit is None or check.unit == "flights":
            return ""
        if check.unit == "times":
            return f"{value:.1f} times what full throttle takes where it was measured"
        if check.unit == "A":
            drawn, allowed = _apart(value, limit, 1 if limit < 20 else 0)
            return f"{drawn} A of {allowed} A"
        if check.unit == "V":
            return f"{self.volts(value, series)} against {self.volts(limit, series)}"
        if check.unit == "pack V":
            return f"{value:.1f} V of {limit:.1f} V"
        if check.unit == "°C":
            return f"{self.temperature(value)}, limit {self.temperature(limit)}"
        if check.unit == "kg":
            return f"{self.mass(value)} of {self.mass(limit)}"
        if check.unit == "share":
            there, wanted = _apart(100 * value, 100 * limit, 0)
            return f"{there} %, {wanted} % wanted"
        there, wanted = _apart(value, limit, 1)
        return f"{there}, {wanted} wanted"
