"""A simulated craft: it flies a sheet with a hidden true pack, and its sensors are out as real ones are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.asked.flying import STEP_S
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.dry_run import flight_frames
from zesty_cell.core.callouts.engine import Frames
from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.flight.one import Flight, fly
from zesty_cell.core.flight.setup import Factors, Setup, set_up
from zesty_cell.core.parts.chemistry import diffusion_factor, temperature_factor
from zesty_cell.standins.course import Course

#: From one flight to the next the power of the same pilot, in cruise and in bursts, varies by this, one sigma [1].
VARIES = 0.04
#: Seconds on the ground before and after, in a log [s].
_STILL_S = 8.0


@dataclass(frozen=True)
class Hidden:
    """What is true and no sheet knows, as factors on the sheet's best estimate [1]."""

    power: float = 1.0
    capacity: float = 1.0
    resistance: float = 1.0
    intensity: float = 1.0


@dataclass(frozen=True)
class Sensors:
    """How a craft's sensors are out.

    Attributes
    ----------
    voltage, current : float
        Shown over true [1].
    noise_v, noise_a : float
        One standard deviation of a reading [V, A].
    drift : float
        How the charge shown differs from flight to flight, one standard deviation [1].
    """

    voltage: float = 1.0
    current: float = 1.0
    noise_v: float = 0.03
    noise_a: float = 0.25
    drift: float = 0.0


@dataclass(frozen=True)
class SimulatedFlight:
    """A flight that was flown.

    Attributes
    ----------
    setup, flight : Setup, Flight
        Of the truth.
    duration_s, used_ah : float
        [s, Ah].
    shown_ah : float
        By the craft's current sensor [Ah].
    rest_v : float
        Of a cell, a minute after landing [V].
    """

    setup: Setup
    flight: Flight
    duration_s: float
    used_ah: float
    shown_ah: float
    rest_v: float


class SimulatedCraft:
    """Flies a sheet again and again; the same seed flies the same flights.

    Parameters
    ----------
    sheet : Sheet
    hidden : Hidden
    sensors : Sensors
    seed : int
    varies : float
        How the power varies from flight to flight, one sigma [1].
    """

    def __init__(
        self,
        sheet: Sheet,
        *,
        seed: int,
        hidden: Hidden | None = None,
        sensors: Sensors | None = None,
        varies: float = VARIES,
    ) -> None:
        self.sheet, self.varies = sheet, varies
        self.hidden = hidden or Hidden()
        self.sensors = sensors or Sensors()
        self._rng = np.random.Generator(np.random.PCG64(seed))
        # Its own, so that a sensor's whims do not change the flights.
        self._shown_rng = np.random.Generator(np.random.PCG64(seed + 7_919))

    def fly(
        self,
        timer_s: float,
        *,
        mood: float = 1.0,
        air_c: float | None = None,
        capacity: float = 1.0,
        resistance: float = 1.0,
    ) -> SimulatedFlight:
        """Fly to a timer, or until the craft has to come down.

        Parameters
        ----------
        timer_s : float
            [s].
        mood : float
            How hard, 1 as planned [1].
        air_c : float, optional
            Of that day [°C]; the sheet's without.
        capacity, resistance : float
            Of this individual on this day over the hidden ones [1].
        """
        today = mood * float(np.exp(self.varies * self._rng.normal()))
        one = np.ones(1)
        factors = Factors(
            power=self.hidden.power * today * one,
            capacity=self.hidden.capacity * capacity * one,
            resistance=self.hidden.resistance * resistance * one,
            full_throttle=today * one,
            intensity=self.hidden.intensity * one,
            air_c=0.0 * one,
        )
        sheet = self.sheet
        if air_c is not None:
            sheet = sheet.model_copy(update={"conditions": sheet.conditions.model_copy(update={"air_c": air_c})})
        setup = set_up(sheet)
        flight = fly(setup, factors=factors)
        duration_s = min(timer_s, flight.end_s)
        k = flight.index_at(duration_s)
        used_ah = float(flight.used_ah[k])
        return SimulatedFlight(
            setup=setup,
            flight=flight,
            duration_s=duration_s,
            used_ah=used_ah,
            shown_ah=used_ah * self.sensors.current * (1.0 + self.sensors.drift * self._shown_rng.normal()),
            rest_v=float(flight.rest_v[k]),
        )

    def frames(self, flown: SimulatedFlight, *, lost_s: tuple[float, float] | None = None) -> Frames:
        """What a transmitter would receive of a flight, with the sensors' errors and noise [s, V, Ah, A].

        Between the moments of ``lost_s`` [s] nothing is received: NaN.
        """
        plan = CalloutPlan(name="Log", series=self.sheet.pack.series)
        true = flight_frames(setup=flown.setup, flight=flown.flight, plan=plan, until_s=flown.duration_s)
        volts = true.pack_v * self.sensors.voltage + self._rng.normal(0.0, self.sensors.noise_v, len(true))
        current = true.current_a * self.sensors.current + self._rng.normal(0.0, self.sensors.noise_a, len(true))
        heard = np.ones(len(true))
        if lost_s is not None:
            heard[(true.time_s >= lost_s[0]) & (true.time_s <= lost_s[1])] = np.nan
        return Frames(
            time_s=true.time_s,
            pack_v=volts * heard,
            cell_v=volts / self.sheet.pack.series * heard,
            receiver_v=true.receiver_v * heard,
            used_ah=true.used_ah * self.sensors.current * heard,
            current_a=np.maximum(current, 0.0) * heard,
            throttle=true.throttle,
            armed=true.armed,
            switches=true.switches,
        )

    def _relaxing_v(self, flown: SimulatedFlight, after_s: NDArray[np.float64]) -> NDArray[np.float64]:
        """What polarisation still takes from a cell some time after landing [V]: both pairs die away."""
        flight, chemistry, end = flown.flight, flown.setup.chemistry, flown.flight.index_at(flown.duration_s)
        landed_c = np.array(float(flight.temperature_c[end]))
        ohm = flown.setup.figures.cell_resistance_ohm * self.hidden.resistance
        fast = chemistry.polarisation_ratio * float(temperature_factor(chemistry=chemistry, temperature_c=landed_c))
        slow = chemistry.diffusion_ratio * float(diffusion_factor(chemistry=chemistry, temperature_c=landed_c))
        cell_a = flight.current_a[: end + 1] / self.sheet.pack.parallel
        before_s = flown.duration_s - flight.time_s[: end + 1]
        left: NDArray[np.float64] = np.zeros(after_s.shape)
        for ratio, tau_s in ((fast, chemistry.polarisation_tau_s), (slow, chemistry.diffusion_tau_s)):
            landed_v = ohm * ratio * float(np.sum(cell_a * np.exp(-before_s / tau_s))) * STEP_S / tau_s
            left = left + landed_v * np.exp(-after_s / tau_s)
        return left

    def rest_v(self, flown: SimulatedFlight, *, after_s: float) -> float:
        """What a cell reads at rest some time after landing [V a cell, s]."""
        return flown.rest_v - float(self._relaxing_v(flown, np.array([after_s]))[0])

    def log_csv(
        self,
        flown: SimulatedFlight,
        *,
        rate_hz: int = 5,
        lost_s: tuple[float, float] | None = None,
        course: Course | None = None,
    ) -> bytes:
        """A flight as a logger writes it, on the ground before and after; the link may be lost for a stretch.

        Parameters
        ----------
        rate_hz : int
            Lines a second, a divisor of ten [Hz].
        lost_s : (from, to), optional
            [s].
        course : Course, optional
            Around which it flew; its receiver writes where it was.
        """
        frames = self.frames(flown)
        every, still = slice(None, None, 10 // rate_hz), int(_STILL_S * rate_hz)
        volts = np.pad(frames.pack_v[every], still)
        to_shown = self.sheet.pack.series * self.sensors.voltage
        volts[:still] = float(flown.flight.rest_v[0]) * to_shown
        volts[-still:] = (flown.rest_v - self._relaxing_v(flown, np.arange(1, still + 1) / rate_hz)) * to_shown
        volts[:still] += self._rng.normal(0.0, self.sensors.noise_v, still)
        volts[-still:] += self._rng.normal(0.0, self.sensors.noise_v, still)
        current = np.pad(frames.current_a[every], still, constant_values=0.4)
        used = np.pad(frames.used_ah[every], still, mode="edge")
        throttle = np.pad(frames.throttle[every], still)
        armed = np.pad(np.ones(throttle.size - 2 * still, dtype=int), still)
        time_s: NDArray[np.float64] = np.arange(volts.size) / rate_hz
        heard = np.ones(volts.size, dtype=bool)
        link = 96.0 + self._rng.normal(0.0, 1.2, volts.size)
        if lost_s is not None:
            heard = (time_s < lost_s[0]) | (time_s > lost_s[1])
            link -= 30.0 * np.exp(-(((time_s - lost_s[0]) / 20.0) ** 2))
        lines = ["Time (ms),VBat (V),Current (A),Used (mAh),Throttle (%),Armed,Link (%)"]
        place = [""] * volts.size
        if course is not None:
            lines[0] += ",GPS lat,GPS lon"
            place = [f",{both}" for both in course.flown(throttle, rate_hz=rate_hz, seed=volts.size)]
        lines += [
            f"{1000 * time_s[k]:.0f},{volts[k]:.2f},{current[k]:.1f},{1000 * used[k]:.0f},"
            f"{100 * throttle[k]:.0f},{armed[k]},{min(max(link[k], 0), 100):.0f}{place[k]}"
            for k in np.flatnonzero(heard)
        ]
        return ("\n".join(lines) + "\n").encode()
