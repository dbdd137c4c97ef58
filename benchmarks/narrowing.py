"""How much narrower a measurement makes a first range: as foretold, and as it comes out with what was measured."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np

from benchmarks.timing import Row
from zesty_cell.core.answer.forecast import Forecast, forecast, power_by_weight_sigma
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.sheet import Sheet, corrected
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.learn.correction import learn
from zesty_cell.core.learn.learned import predicted
from zesty_cell.core.learn.observation import Observation
from zesty_cell.core.learn.surer import MeasureKey, surer
from zesty_cell.core.parts.craft import Assumed, MeasuredCharge, MeasuredFullThrottle, MeasuredPoint
from zesty_cell.core.parts.measured import ChargerReading, PackTests
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.parts.power_doubt import POWER_SIGMA
from zesty_cell.core.parts.starting import KINDS, Kind, starting_craft, usual_pack

#: Pilots of each kind of craft.
_PILOTS = 6
_FLIGHT_SIGMA, _REST_SIGMA = 0.055, 0.05


def _sheet(kind: Kind) -> Sheet:
    pack = usual_pack(kind)
    craft = starting_craft(kind, name="first", pack_kg=pack_figures(pack).mass_kg, pack=pack)
    return Sheet(name="first", craft=craft, pack=pack, flying=PATTERNS[kind.patterns["mixed"]])


class _Pilot:
    """One pilot whose craft and pack differ from what is assumed as far as that says, and who measures."""

    def __init__(self, sheet: Sheet, rng: np.random.Generator) -> None:
        self.sheet, self._rng, self._setup = sheet, rng, set_up(sheet)
        load, figures = self._setup.load, self._setup.figures
        power_sigma = math.hypot(load.power_sigma, power_by_weight_sigma(self._setup))
        self.power, self.capacity, self.resistance, self.full = np.exp(
            rng.normal(size=4)
            * (power_sigma, figures.capacity_sigma, figures.resistance_sigma, load.full_throttle_sigma)
        )
        self._mass_kg = self._setup.all_up_mass_kg
        self._volts = 0.9 * figures.full_v

    def _off(self, sigma: float) -> float:
        return float(np.exp(sigma * self._rng.normal()))

    def _with_craft(self, **update: object) -> Sheet:
        return self.sheet.model_copy(update={"craft": self.sheet.craft.model_copy(update=update)})

    def weighed(self) -> Sheet:
        """Craft and pack on a scale, found a little off what was assumed."""
        craft, pack = self.sheet.craft, self.sheet.pack
        dry_kg = craft.dry_mass_kg * self._off(craft.assumed.weight)
        mass_kg = self._setup.figures.mass_kg * self._off(self._setup.figures.mass_sigma)
        known = Assumed.model_validate(craft.assumed.model_dump() | {"weight": 0.0})
        return self._with_craft(dry_mass_kg=dry_kg, assumed=known).model_copy(
            update={"pack": pack.model_copy(update={"mass_kg": mass_kg, "mass_known": "measured"})}
        )

    def _level_w(self) -> float:
        return self._setup.load.steady_w * self.power + self._setup.load.avionics_w

    def hover_charge(self) -> Sheet:
        """One hover, and what the charger put back."""
        charge_ah = self._level_w() / self._volts * 240.0 / 3600.0 * self._off(POWER_SIGMA["charge"])
        return self._with_craft(
            steady=MeasuredCharge(
                charge_ah=charge_ah, duration_s=240.0, voltage_v=self._volts, all_up_mass_kg=self._mass_kg
            )
        )

    def hover_amps(self) -> Sheet:
        """Amps of a hover, by a sensor nobody checked."""
        amps = self._level_w() / self._volts * self._off(POWER_SIGMA["measured"]) * self._off(0.10)
        return self._with_craft(
            steady=MeasuredPoint(current_a=amps, voltage_v=self._volts, all_up_mass_kg=self._mass_kg)
        )

    def full_amps(self) -> Sheet:
        """Amps of a climb, by the same sensor."""
        load, figures = self._setup.load, self._setup.figures
        rest_v, ohm = figures.nominal_v, figures.resistance_ohm + load.motor_resistance_ohm
        c = load.full_throttle_a_v2 * self.full * self._off(0.10)
        x = 2.0 * c * rest_v * ohm
        amps = 2.0 * c * rest_v * rest_v / (x + 1.0 + math.sqrt(2.0 * x + 1.0))
        loaded_v = rest_v - amps * figures.resistance_ohm
        full = MeasuredFullThrottle(current_a=amps, voltage_v=loaded_v, where="flight")
        return self._with_craft(full_throttle=full)

    def charger_ohm(self) -> Sheet:
        """Cells' resistance as a charger shows it."""
        pack = self.sheet.pack
        ohm = self._setup.figures.cell_resistance_ohm / pack.parallel * self.resistance * self._off(0.15)
        tests = PackTests(charger=ChargerReading(cells_ohm=(ohm,) * pack.series, pack_c=25.0))
        return self.sheet.model_copy(update={"pack": pack.model_copy(update={"tests": tests})})

    def flown(self, *, flights: int, charge: bool, rest: bool) -> Sheet:
        """Flights of half the time, as the log knows them."""
        logs = np.log((self.power, self._off(0.08), self.capacity, self.resistance))
        duration_s = round(0.5 * forecast(self.sheet).flight.landing_s)
        used, left, _, _ = predicted(self._setup, logs=logs, durations_s=np.array([float(duration_s)]))
        seen = []
        for _ in range(flights):
            lively = self._off(_FLIGHT_SIGMA)
            seen.append(
                Observation(
                    pack="own",
                    duration_s=duration_s,
                    used_ah=float(used[0]) * lively * self._off(0.02) if charge else None,
                    left=1.0 - (1.0 - float(left[0])) * lively + _REST_SIGMA * self._rng.normal() if rest else None,
                )
            )
        return corrected(self.sheet, learn(self.sheet, seen).learned_factors("own"))


_MEASURED: dict[MeasureKey, Callable[[_Pilot], Sheet]] = {
    "weigh": _Pilot.weighed,
    "hover_charge": _Pilot.hover_charge,
    "hover_amps": _Pilot.hover_amps,
    "full_amps": _Pilot.full_amps,
    "charger_ohm": _Pilot.charger_ohm,
    "flight": lambda pilot: pilot.flown(flights=1, charge=True, rest=False),
    "rest_volts": lambda pilot: pilot.flown(flights=1, charge=False, rest=True),
    "three_flights": lambda pilot: pilot.flown(flights=3, charge=True, rest=True),
}


def _width(result: Forecast) -> float:
    return math.log(result.range.high_s / result.range.low_s)


def narrowings(kinds: tuple[Kind, ...], *, pilots: int) -> Iterator[tuple[MeasureKey, float, float]]:
    """Each measurement of each pilot: by how much the range gets narrower as foretold, and as it does [1]."""
    for k, kind in enumerate(kinds):
        one = _sheet(kind)
        now = forecast(one)
        told = {m.key: m.narrower for m in surer(now).measures}
        for seed in range(pilots):
            pilot = _Pilot(one, np.random.default_rng([k, seed]))
            for key, narrower in told.items():
                if key in _MEASURED:
                    yield key, narrower, 1.0 - _width(forecast(_MEASURED[key](pilot))) / _width(now)


def narrowing() -> list[Row]:
    """Foretold against found, by measurement and over all."""
    by_key: dict[str, list[tuple[float, float]]] = {}
    for key, told, found in narrowings(tuple(KINDS.values()), pilots=_PILOTS):
        by_key.setdefault(key, []).append((told, found))
    rows = []
    for key, pairs in by_key.items():
        told, found = (float(np.mean(column)) for column in zip(*pairs, strict=True))
        rows.append((key, told, found, len(pairs)))
    return [
        Row(
            f"Narrower by “{key.replace('_', ' ')}”",
            f"{100 * told:.0f} % foretold, {100 * found:.0f} % found",
            "within a third",
            abs(told - found) <= found / 3.0,
            f"{count} pilots with nine kinds of starting craft",
        )
        for key, told, found, count in rows
    ]
