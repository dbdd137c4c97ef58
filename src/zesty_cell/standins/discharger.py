"""A simulated discharger with a hidden pack on it: holds a current, a power or a pattern, and writes CSV.

Nothing of the core's circuit is used: three RC pairs drawn anew for each pack, other curves of charge and
temperature, cells that differ, and instruments that round and are a little out.
"""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures

FloatArray = NDArray[np.float64]
Mode = Literal["current", "power", "pattern"]

#: Usual time constants [s] and resistances over the ohmic one, of three pairs; each pack has its own near them.
_TAUS_S, _RATIOS = (7.0, 45.0, 420.0), (0.28, 0.40, 0.62)
_B_K, _B_WARM_K, _B_SLOW_K = 3100.0, 1300.0, 4300.0
_CP_J_KG_K = 980.0
#: Cooling on a bench [W/K] of a pack of one kilogram, by its mass to the power of two thirds.
_COOLING_W_K = 0.7
#: Recorded at rest before the load, and after it [s].
_BEFORE_S, _AFTER_S = 10.0, 30.0
#: A run is ended after so long whatever happens [s], and so many lines.
_LONGEST_S, _MOST_LINES = 40_000.0, 60_000


def _rounded(knots_v: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Straight lines between knots, corners rounded off over a percent or two of the charge: z [1] and [V]."""
    fine = np.linspace(-0.3, 1.3, 3201)
    steps = knots_v.size - 1
    lines = np.interp(fine, np.linspace(0.0, 1.0, knots_v.size), knots_v)
    lines += np.where(fine < 0.0, fine * steps * (knots_v[1] - knots_v[0]), 0.0)
    lines += np.where(fine > 1.0, (fine - 1.0) * steps * (knots_v[-1] - knots_v[-2]), 0.0)
    weights = np.exp(-0.5 * (np.arange(-80, 81) * 0.0005 / 0.012) ** 2)
    return fine[80:-80], np.convolve(lines, weights / weights.sum(), mode="valid")


class HiddenPack:
    """An individual pack whose true figures nobody is told.

    Parameters
    ----------
    pack : Pack
        As its label has it.
    seed : int
    capacity, resistance : float, optional
        True over estimated [1]; drawn without.
    """

    def __init__(
        self, pack: Pack, *, seed: int, capacity: float | None = None, resistance: float | None = None
    ) -> None:
        rng = np.random.default_rng(seed)
        self.pack, self.chemistry = pack, chemistry_for(pack.chemistry)
        figures = pack_figures(pack)
        self.capacity_ah = figures.capacity_ah * (math.exp(0.05 * rng.normal()) if capacity is None else capacity)
        factor = math.exp(0.2 * rng.normal()) if resistance is None else resistance
        s = pack.series
        self._external_ohm = figures.external_ohm()
        self._cell_ohm = figures.cell_resistance_ohm * factor / pack.parallel * np.exp(0.04 * rng.normal(size=s))
        self._ratios = [r * math.exp(0.2 * rng.normal()) for r in _RATIOS]
        self._taus_s = [t * math.exp(0.15 * rng.normal()) for t in _TAUS_S]
        self._b_k = _B_K * math.exp(0.08 * rng.normal())
        self._shape_depth, self._shape_width = 0.9 * math.exp(0.2 * rng.normal()), 0.07
        self._heat_j_k = figures.cell_mass_kg * pack.cell_count * _CP_J_KG_K * math.exp(0.1 * rng.normal())
        self._cooling_w_k = _COOLING_W_K * figures.mass_kg**0.66 * math.exp(0.3 * rng.normal())
        self._cells_ah = self.capacity_ah * (1.0 + 0.008 * rng.normal(size=s))
        self.capacity_ah = float(self._cells_ah.mean())  # of the mean cell
        knots = np.array(self.chemistry.ocv_v)
        z = np.linspace(0.0, 1.0, knots.size)
        waves = rng.normal(size=4) * (0.006, 0.005, 0.003, 0.002)
        wander = sum(a * np.sin((k + 1) * math.pi * z) for k, a in enumerate(waves))
        self._rest = _rounded(np.maximum.accumulate(knots + wander))

    def rest_v(self, z: FloatArray) -> FloatArray:
        """Rest voltage of one cell at a state of charge [1]; on along the last slopes beyond both ends [V]."""
        return np.interp(z, *self._rest)

    def mean_rest_v(self, left: FloatArray) -> FloatArray:
        """What the mean cell rests at with so much of the pack's own charge left [1], cells being unlike [V]."""
        drawn_ah = (1.0 - left) * self.capacity_ah
        return np.asarray(np.mean([self.rest_v(1.0 - drawn_ah / own_ah) for own_ah in self._cells_ah], axis=0))

    def _shape(self, z: FloatArray) -> FloatArray:
        return 1.0 + self._shape_depth * np.exp(-np.maximum(z, 0.0) / self._shape_width)

    def _warm(self, celsius: float) -> tuple[float, float]:
        x = 1.0 / (celsius + 273.15) - 1.0 / 298.15
        fast = math.exp((self._b_k if x > 0.0 else _B_WARM_K) * x)
        return fast, math.exp((_B_SLOW_K if x > 0.0 else _B_WARM_K) * x)

    def one_second_ohm(self) -> float:
        """What a second of a steady current shows of the whole pack at the plug, 25 °C and mid-charge [Ω]."""
        built = sum(r * -math.expm1(-1.0 / t) for r, t in zip(self._ratios, self._taus_s, strict=True))
        cells = float((self._cell_ohm * self._shape(np.full(self._cell_ohm.size, 0.5))).sum())
        return self._external_ohm + cells * (1.0 + built)

    def start(self, air_c: float, /) -> _Running:
        """Put it on the discharger, full and rested."""
        return _Running(self, air_c)


class _Running:
    """A hidden pack under load, a step at a time."""

    def __init__(self, hidden: HiddenPack, air_c: float) -> None:
        self.h, self.air_c, self.celsius = hidden, air_c, air_c
        self.used_ah = 0.0
        self._pairs = np.zeros((3, hidden.pack.series))

    def cells_v(self, amps: float) -> FloatArray:
        """Each cell under a current, without what is outside of them [V]."""
        h = self.h
        z = 1.0 - self.used_ah / h._cells_ah
        warm, _ = h._warm(self.celsius)
        return np.asarray(h.rest_v(z) - self._pairs.sum(axis=0) - amps * h._cell_ohm * warm * h._shape(z))

    def volts(self, amps: float) -> float:
        """At the plug [V]."""
        return float(self.cells_v(amps).sum()) - amps * self.h._external_ohm

    def amps_for(self, watts: float) -> float:
        """The current of a power [A]; what the pack gives at most where it cannot give it."""
        e, r = self.volts(0.0), self.volts(0.0) - self.volts(1.0)
        root = e * e - 4.0 * watts * r
        return 2.0 * watts / (e + math.sqrt(root)) if root > 0.0 else e / (2.0 * r)

    def step(self, amps: float, dt_s: float) -> None:
        """Let a current flow."""
        h = self.h
        z = 1.0 - self.used_ah / h._cells_ah
        warm, slow = h._warm(self.celsius)
        shape = h._shape(z)
        heat = amps * amps * float((h._cell_ohm * shape).sum()) * warm + amps * float(self._pairs.sum())
        for k, (ratio, tau) in enumerate(zip(h._ratios, h._taus_s, strict=True)):
            keep = math.exp(-dt_s / tau)
            ohm = h._cell_ohm * ratio * shape * (slow if k == 2 else warm)
            self._pairs[k] = self._pairs[k] * keep + amps * ohm * (1.0 - keep)
        self.celsius += (heat - h._cooling_w_k * (self.celsius - self.air_c)) * dt_s / h._heat_j_k
        self.used_ah += amps * dt_s / 3600.0


@dataclass(frozen=True)
class Setting:
    """What the discharger is told to do.

    Attributes
    ----------
    mode : Mode
    amps, watts : float
        To hold [A, W].
    pattern : sequence of (float, float)
        Seconds and watts, over and over [s, W].
    cutoff_v : float
        Where it stops [V], whole pack.
    every_s : float
        Between two lines [s].
    """

    mode: Mode = "current"
    amps: float = 1.0
    watts: float = 0.0
    pattern: Sequence[tuple[float, float]] = ()
    cutoff_v: float = 0.0
    every_s: float = 1.0


class Discharger:
    """The instrument: what it shows is rounded and a little out, the same in every run.

    Parameters
    ----------
    seed : int
    volts_error, amps_error : float
        One standard deviation of its scales [1].
    step_v, step_a, step_ah : float
        What it rounds to [V, A, Ah].
    """

    def __init__(
        self, *, seed: int, volts_error: float = 0.0005, amps_error: float = 0.003, step_v: float = 0.001,
        step_a: float = 0.01, step_ah: float = 0.001,
    ) -> None:  # fmt: skip
        rng = np.random.default_rng(seed)
        self._scale_v, self._scale_a = 1.0 + volts_error * rng.normal(), 1.0 + amps_error * rng.normal()
        self._offset_v, self._offset_c = 0.002 * rng.normal(), 0.5 * rng.normal()
        self._rng = rng
        self._step_v, self._step_a, self._step_ah = step_v, step_a, step_ah

    def lines(self, hidden: HiddenPack, setting: Setting, *, air_c: float = 20.0) -> Iterator[list[float]]:
        """Time [s], volts, amps, charge [Ah], temperature [°C] and each cell's volts, as it shows them."""
        running = hidden.start(air_c)
        t, amps, counted, over = 0.0, 0.0, 0.0, math.inf
        wanted = _wanted(setting)
        for _ in range(_MOST_LINES):
            amps = 0.0 if t < _BEFORE_S or t >= over else wanted(running, t - _BEFORE_S)
            cells, volts = running.cells_v(amps), running.volts(amps)
            if over == math.inf and t > _BEFORE_S and volts <= setting.cutoff_v:
                over, amps = t, 0.0
                cells, volts = running.cells_v(0.0), running.volts(0.0)
            yield [t, *self._shown(volts, amps, counted, running.celsius, cells)]
            if t >= min(over + _AFTER_S, _LONGEST_S):
                return
            running.step(amps, setting.every_s)
            counted += amps * self._scale_a * setting.every_s / 3600.0
            t += setting.every_s

    def _shown(self, volts: float, amps: float, counted: float, celsius: float, cells: FloatArray) -> list[float]:
        noise = self._rng.normal(size=2 + cells.size)

        def stepped(value: float, step: float) -> float:
            return round(round(value / step) * step, 6)

        return [
            stepped(volts * self._scale_v + self._offset_v + 0.0005 * noise[0], self._step_v),
            stepped(amps * self._scale_a, self._step_a),
            stepped(counted, self._step_ah),
            stepped(celsius + self._offset_c + 0.05 * noise[1], 0.1),
            *(stepped(float(v) + 0.002 * noise[2 + k], 0.001) for k, v in enumerate(cells)),
        ]

    def csv(self, hidden: HiddenPack, setting: Setting, *, air_c: float = 20.0) -> bytes:
        """A run as the discharger writes it: semicolons, its own names."""
        out = io.StringIO()
        cells = ";".join(f"Cell {k + 1} [V]" for k in range(hidden.pack.series))
        out.write(f"Elapsed [s];Voltage [V];Current [A];Capacity [mAh];Temp [°C];{cells}\n")
        for t, volts, amps, ah, celsius, *each in self.lines(hidden, setting, air_c=air_c):
            row = [f"{t:g}", f"{volts:.3f}", f"{amps:.2f}", f"{1000 * ah:.0f}", f"{celsius:.1f}"]
            out.write(";".join([*row, *(f"{v:.3f}" for v in each)]) + "\n")
        return out.getvalue().encode()


def _wanted(setting: Setting) -> Callable[[_Running, float], float]:
    """The current to draw, by the pack and the time under load [s]."""
    if setting.mode == "current":
        return lambda _running, _t: setting.amps
    if setting.mode == "power":
        return lambda running, _t: running.amps_for(setting.watts)
    ends = np.cumsum([s for s, _ in setting.pattern])

    def of_pattern(running: _Running, t: float) -> float:
        k = int(np.searchsorted(ends, t % float(ends[-1]), side="right"))
        return running.amps_for(setting.pattern[min(k, len(setting.pattern) - 1)][1])

    return of_pattern
