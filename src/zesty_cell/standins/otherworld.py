"""A world that is not our model: other cells, other air, other habits, written plainly and never fitted to.

What the core forecasts and learns is held against flights flown here.  Nothing of the core's circuit is used:
three RC pairs with other time constants stand for conduction and diffusion, resistance follows other curves of
charge and temperature, the rest voltage wanders about the core's table, a burst is a height that is gained with
an efficiency that falls with current, gusts blow, days differ, pilots are livelier when it is warm, and sensors
and entries err.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.parts.air import air_density_kg_m3
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.pack_figures import pack_figures

_BEGAN = datetime(2026, 3, 1, 9, 0, tzinfo=UTC)
_STEP_S = 0.5
#: Time constants [s] and resistances over that of one second at 25 °C, for three pairs.
_TAUS_S, _RATIOS = (7.0, 45.0, 420.0), (0.28, 0.40, 0.62)
#: Arrhenius of conduction and of the slowest pair [K], as logarithm over 1/T; flatter when warm.
_B_K, _B_WARM_K, _B_SLOW_K = 3100.0, 1300.0, 4300.0
_GUST_SIGMA, _GUST_S = 0.10, 30.0
_DAY_SIGMA = 0.03


@dataclass(frozen=True)
class Truth:
    """What nobody knows of one craft, its pack and its pilot; factors on the sheet's best estimate [1].

    Attributes
    ----------
    power, capacity, resistance, intensity : float
    scatter : float
        Of power from flight to flight, one standard deviation [1].
    sensor : float
        Shown over true current [1].
    odd : float
        Share of entries that are wrong [1].
    """

    power: float = 1.0
    capacity: float = 1.0
    resistance: float = 1.0
    intensity: float = 1.0
    scatter: float = 0.05
    sensor: float = 1.0
    odd: float = 0.0


def drawn_truth(rng: np.random.Generator, /) -> Truth:
    """A craft, a pack and a pilot as they come [1]: packs hold a tenth less and resist two fifths more."""
    return Truth(
        power=float(np.exp(0.07 * rng.normal())),
        capacity=float(0.90 * np.exp(0.03 * rng.normal())),
        resistance=float(1.40 * np.exp(0.12 * rng.normal())),
        intensity=float(np.exp(0.08 * rng.normal())),
        scatter=float(rng.uniform(0.03, 0.08)),
        sensor=float(1.0 + rng.uniform(-0.12, 0.12)),
        odd=0.15,
    )


@dataclass(frozen=True)
class TrueFlight:
    """A flight as it truly was, to the end of the charge; lists with a value each half second.

    Attributes
    ----------
    time_s, loaded_v, current_a, used_ah : list of float
        Of the whole pack [s, V, A, Ah].
    steady_v, full_a : list of float
        What the pattern's steady load would leave of the voltage, and what full throttle would draw [V, A].
    pairs_v : list of three floats
        What polarisation holds then, whole pack [V].
    capacity_ah, air_c : float
        Of the pack, and of the air [Ah, °C].
    """

    time_s: list[float]
    loaded_v: list[float]
    current_a: list[float]
    used_ah: list[float]
    steady_v: list[float]
    full_a: list[float]
    pairs_v: list[tuple[float, float, float]]
    capacity_ah: float
    air_c: float

    def left_at(self, time_s: float, /) -> float:
        """Charge left at a moment [1]."""
        return 1.0 - float(np.interp(time_s, self.time_s, self.used_ah)) / self.capacity_ah

    def reaches_s(self, left: float, /) -> float:
        """When so much of the charge [1] is left [s]; the end where it is not reached."""
        return float(np.interp((1.0 - left) * self.capacity_ah, self.used_ah, self.time_s))

    def held_under_s(self, pack_v: float, hold_s: float, /) -> float:
        """When the loaded voltage has stayed under a value so long [s]; the end where it never has."""
        since = None
        for t, v in zip(self.time_s, self.loaded_v, strict=True):
            if v >= pack_v:
                since = None
            elif since is None:
                since = t
            elif t - since >= hold_s:
                return t
        return self.time_s[-1]


class OtherWorld:
    """Flies a sheet's craft as it truly is; the same seed flies the same flights.

    Parameters
    ----------
    sheet : Sheet
    truth : Truth
    seed : int
    """

    def __init__(self, sheet: Sheet, *, truth: Truth, seed: int) -> None:
        self.sheet, self.truth = sheet, truth
        self._rng = np.random.default_rng(seed)
        self._chemistry = chemistry_for(sheet.pack.chemistry)
        knots = np.array(self._chemistry.ocv_v)
        z = np.linspace(0.0, 1.0, knots.size)
        # The cells' own curve: some millivolts beside the table, nowhere falling.
        waves = self._rng.normal(size=4) * (0.006, 0.005, 0.003, 0.002)
        wander = sum(a * np.sin((k + 1) * math.pi * z) for k, a in enumerate(waves))
        self._ocv: list[float] = np.maximum.accumulate(knots + wander).tolist()

    def _rest_v(self, z: float) -> float:
        x = min(max(z, 0.0), 1.0) * (len(self._ocv) - 1)
        k = min(int(x), len(self._ocv) - 2)
        return self._ocv[k] + (x - k) * (self._ocv[k + 1] - self._ocv[k])

    def day(self) -> float:
        """What a day does to power, as a logarithm."""
        return float(_DAY_SIGMA * self._rng.normal())

    def _steady_w(self, mass_kg: float, density: float) -> float:
        source = self.sheet.craft.steady
        amps = getattr(source, "current_a", None)
        if amps is None:
            raise ValueError("The other world flies crafts with a measured point.")
        measured_w = amps * source.voltage_v - self.sheet.craft.avionics_w  # type: ignore[union-attr]
        rotors = self.sheet.craft.lifts_itself()
        weight = (mass_kg / source.all_up_mass_kg) ** (0.95 if rotors else 1.45)  # type: ignore[union-attr]
        return float(measured_w * weight * (density / 1.225) ** (-0.08 if rotors else -0.48))

    def fly(
        self, *, air_c: float | None = None, day: float | None = None, worn: float = 1.0, until: float = 0.0
    ) -> TrueFlight:
        """One flight, to the end of the charge or until so much is left [1], on a day of its own or a given one.

        Parameters
        ----------
        air_c : float, optional
            Of that day [°C]; the sheet's without.
        day : float, optional
            What the day does to power, as a logarithm; drawn without.
        worn : float
            What use has done to the pack's resistance since [1].
        """
        rng, truth, pack, craft = self._rng, self.truth, self.sheet.pack, self.sheet.craft
        figures = pack_figures(pack)
        air = self.sheet.conditions.air_c if air_c is None else air_c
        s, p = pack.series, pack.parallel
        mass_kg = craft.dry_mass_kg + figures.mass_kg
        density = air_density_kg_m3(temperature_c=air, altitude_m=self.sheet.conditions.altitude_m)
        today = math.exp((self.day() if day is None else day) + truth.scatter * rng.normal())
        steady_w = self._steady_w(mass_kg, density) * truth.power * today
        lively = truth.intensity * (1.0 + 0.004 * (air - 15.0))
        capacity_ah = figures.capacity_ah * truth.capacity
        full_a, full_v = craft.full_throttle.current_a, craft.full_throttle.voltage_v  # type: ignore[union-attr]
        bench = getattr(craft.full_throttle, "where", None) == "bench"
        c = full_a / full_v**2 * (density / 1.225) * (0.80 if bench else 1.0)
        external = figures.external_ohm()
        warm_j_k = figures.cell_mass_kg * s * p * 980.0
        cool_w_k = {"airflow": 1.1, "still air": 0.5, "enclosed": 0.3}[craft.pack_cooling] * (mass_kg**0.66)
        r25 = figures.cell_resistance_ohm * truth.resistance * worn * s / p / (1.0 + _RATIOS[0] * 0.13)
        z, temperature = 1.0, air if self.sheet.conditions.pack_c is None else self.sheet.conditions.pack_c
        pairs, gust, t = [0.0, 0.0, 0.0], rng.normal(), 0.0
        keep, kick = math.exp(-_STEP_S / _GUST_S), math.sqrt(1.0 - math.exp(-2.0 * _STEP_S / _GUST_S))
        decays = [math.exp(-_STEP_S / tau) for tau in _TAUS_S]
        out = TrueFlight([], [], [], [], [], [], [], capacity_ah, air)
        share = self.sheet.flying.steady_activity().share
        cruise_w = steady_w * (share if share <= 1.0 else 1.0 + (share - 1.0) * lively) + craft.avionics_w
        acts, place, left_s, climb_j = self.sheet.flying.activities, -1, 0.0, 0.0
        noise = iter(rng.normal(size=20_000).tolist())
        low_s = 0.0
        while z > until and low_s < 10.0 and t < 10_000.0:
            if left_s <= 0.0:
                place = (place + 1) % len(acts)
                act = acts[place]
                left_s = max(act.duration_s * math.exp(0.15 * next(noise)), _STEP_S)
                climb_j = 0.0
                if act.of == "full throttle" and not act.as_timed:
                    spare_w = act.share * full_a * full_v * (0.80 if bench else 1.0) - steady_w
                    climb_j = max(spare_w, 0.0) * act.duration_s * lively * math.exp(0.15 * next(noise))
                    left_s = 3.0 * act.duration_s * lively
            gust = keep * gust + kick * next(noise)
            x = 1.0 / (temperature + 273.15) - 1.0 / 298.15
            warm = math.exp((_B_K if x > 0.0 else _B_WARM_K) * x)
            slow = math.exp((_B_SLOW_K if x > 0.0 else _B_WARM_K) * x)
            shape = 1.0 + 0.9 * math.exp(-max(z, 0.0) / 0.07)
            r0 = r25 * warm * shape
            e, r = s * self._rest_v(z) - sum(pairs), r0 + external
            q = 2.0 * c * e * (r + craft.motor_resistance_ohm)
            full = 2.0 * c * e * e / (q + 1.0 + math.sqrt(2.0 * q + 1.0))
            if act.of == "full throttle":
                amps = act.share * full
            else:
                share = act.share if act.share <= 1.0 else 1.0 + (act.share - 1.0) * lively
                watts = steady_w * share * math.exp(_GUST_SIGMA * gust) + craft.avionics_w
                root = e * e - 4.0 * watts * r
                amps = 2.0 * watts / (e + math.sqrt(root)) if root > 0.0 else e / (2.0 * r)
            volts = e - amps * r
            if climb_j > 0.0:  # what lifts: less of it the harder the motors are driven
                climb_j -= max(volts * amps - steady_w, 0.0) * (1.08 - 0.12 * amps / full_a) * _STEP_S
                if climb_j <= 0.0:
                    left_s = 0.0
            out.time_s.append(t)
            out.loaded_v.append(volts)
            out.current_a.append(amps)
            out.used_ah.append((1.0 - z) * capacity_ah)
            root = e * e - 4.0 * cruise_w * r
            out.steady_v.append(0.5 * (e + math.sqrt(root)) if root > 0.0 else 0.5 * e)
            out.full_a.append(full)
            out.pairs_v.append((pairs[0], pairs[1], pairs[2]))
            low_s = low_s + _STEP_S if volts < s * self._chemistry.hard_floor_v else 0.0
            z -= amps * _STEP_S / 3600.0 / capacity_ah
            for k, decay in enumerate(decays):
                ohm = r25 * _RATIOS[k] * shape * (slow if k == 2 else warm)
                pairs[k] = pairs[k] * decay + amps * ohm * (1.0 - decay)
            heat = amps * amps * r0 + amps * sum(pairs) - cool_w_k * (temperature - air)
            temperature += heat * _STEP_S / warm_j_k
            left_s -= _STEP_S
            t += _STEP_S
        return out

    def logged(self, flight: TrueFlight, /, *, number: int, duration_s: float, timer_s: float) -> LoggedFlight:
        """How the pilot logs a flight that he landed at a moment [s], now and then wrongly."""
        rng, truth = self._rng, self.truth
        used_ah = flight.capacity_ah * (1.0 - flight.left_at(duration_s))
        after_s = float(rng.choice((60.0, 120.0, 300.0, 900.0)))
        at = min(int(duration_s / _STEP_S), len(flight.pairs_v) - 1)
        sags_v = sum(v * math.exp(-after_s / tau) for v, tau in zip(flight.pairs_v[at], _TAUS_S, strict=True))
        rest_v = self._rest_v(flight.left_at(duration_s)) - sags_v / self.sheet.pack.series
        rest_v += 0.004 * rng.normal()
        put_back_ah, shown_ah = used_ah * math.exp(0.015 * rng.normal()), used_ah * truth.sensor
        wrong = rng.uniform()
        if wrong < truth.odd / 3.0:
            put_back_ah *= float(rng.choice((0.6, 1.35)))  # interrupted, or the charge of another pack
        elif wrong < 2.0 * truth.odd / 3.0:
            duration_s *= float(rng.choice((0.7, 1.3)))  # looked at the wrong clock
        elif wrong < truth.odd:
            rest_v += float(rng.choice((-0.08, 0.08)))
        return LoggedFlight(
            landed_at=_BEGAN + timedelta(days=number),
            duration_s=max(round(duration_s), 5),
            pattern=self.sheet.flying.name,
            timer_s=timer_s,
            rest_v_per_cell=round(min(max(rest_v, 0.9), self._chemistry.full_v), 2),
            rest_after_s=after_s if rng.uniform() < 0.7 else None,
            put_back_ah=put_back_ah if rng.uniform() < 0.75 else None,
            shown_ah=shown_ah if self.sheet.craft.can_show("charge") else None,
            air_c=round(flight.air_c),
        )
