"""A made-up course that a simulated craft flies, and a receiver that writes where it was, metres out."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_METRES_PER_DEGREE = 111_200.0
#: The receiver's slow wander and its noise, one sigma [m], and what is left of the wander after 1 s.
_WANDER_M, _NOISE_M, _KEPT = 1.5, 0.3, 0.97


@dataclass(frozen=True)
class Course:
    """A closed way around a point.

    Parameters
    ----------
    latitude_deg, longitude_deg : float
        Its middle [°].
    reach_m : float
        Half its length; it is half as wide [m].
    fast_m_s : float
        At full throttle [m/s].
    """

    latitude_deg: float
    longitude_deg: float
    reach_m: float
    fast_m_s: float

    def flown(self, throttle: NDArray[np.float64], *, rate_hz: int, seed: int) -> list[str]:
        """Latitude and longitude as the receiver writes them, by the throttle (n,) [1]; seven decimals."""
        rng = np.random.Generator(np.random.PCG64(seed))
        # Faster with more throttle, never quite still in the air: [m/s], a second or so behind the stick.
        wanted = np.where(throttle > 0.05, self.fast_m_s * (0.45 + 0.55 * throttle), 0.0)
        behind = np.exp(-np.arange(0.0, 6.0, 1.0 / rate_hz))
        speed = np.convolve(wanted, behind / behind.sum())[: throttle.size]
        turn = np.linspace(0.0, 1.0, 721)
        x = self.reach_m * np.cos(2.0 * np.pi * turn)
        y = 0.5 * self.reach_m * (np.sin(2.0 * np.pi * turn) + 0.35 * np.sin(6.0 * np.pi * turn))
        way = np.concatenate(([0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))))
        at = np.cumsum(speed) / rate_hz % way[-1]
        keep = _KEPT ** (1.0 / rate_hz)
        wander = np.zeros((2, throttle.size))
        steps = rng.normal(size=(2, throttle.size)) * _WANDER_M * math.sqrt(1.0 - keep * keep)
        for k in range(1, throttle.size):
            wander[:, k] = keep * wander[:, k - 1] + steps[:, k]
        east, north = np.stack((np.interp(at, way, x), np.interp(at, way, y))) + wander
        north, east = north + _NOISE_M * rng.normal(size=north.size), east + _NOISE_M * rng.normal(size=east.size)
        lat = self.latitude_deg + north / _METRES_PER_DEGREE
        lon = self.longitude_deg + east / (_METRES_PER_DEGREE * math.cos(math.radians(self.latitude_deg)))
        return [f"{a:.7f},{b:.7f}" for a, b in zip(lat, lon, strict=True)]
