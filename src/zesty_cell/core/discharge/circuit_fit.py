"""The circuit that several discharges of one pack are fitted to.

A loaded voltage is the rest voltage less what the current takes.  One run cannot tell the two apart; runs at
different rates pass the same charge with different currents, and can.  Everything is estimated at once by least
squares with priors (Gauss-Newton; Tarantola, *Inverse Problem Theory*, 2005, eq. 3.51):

    v(t) = U(z) − I·R_ext/S − s(z)·[f(T)·(a0·I + Σ a_j·x_j) + g(T)·Σ a_k·x_k],   x_j' = (I − x_j)/τ_j

with U the chemistry's curve and a smooth deviation from it, s the chemistry's resistance over charge and a
deviation, and a bank of fixed time constants in place of two that would have to be guessed.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.discharge.rows import SLOW_FROM_S, RunOf, rows_of
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import (
    TEMPERATURE_GRID_LOW_C,
    TEMPERATURE_GRID_STEP_C,
    cell_table,
    temperature_table,
)
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures

FloatArray = NDArray[np.float64]

#: What a probe on the pack may be out, the same in every run, one standard deviation [K].
PROBE_ERROR_K = 0.5
#: Of a temperature that was written down, one standard deviation [K].
WRITTEN_ERROR_K = 1.5
#: The bank of time constants [s].
TAUS_S = (4.0, 15.0, 50.0, 160.0, 500.0)
#: Expected resistance of each over the ohmic one, and one standard deviation of its logarithm [1].
_BANK, _BANK_SIGMA = (0.12, 0.25, 0.30, 0.35, 0.40), 0.8
#: Knots of the rest voltage's deviation [1], close together where curves turn down, and how far it may be [V].
KNOTS = np.concatenate((np.linspace(0.0, 0.12, 13), np.linspace(0.15, 1.0, 35)))
_AWAY_V = 0.03
#: How much its slope may wander over the charge, amid and at the empty end, and over how much of it it does the
#: latter [V over a root of the charge, 1]: the wander of a slope over a stretch goes with its root (Wahba 1978).
_WANDER, _WANDER_EMPTY, _EMPTY_SHARE = 0.2, 3.0, 0.06
#: Deviation of the resistance's shape: at these charges [1], one standard deviation of the logarithm [1].
_SHAPE_AT = (0.0, 0.03, 0.06, 0.1, 0.16, 0.25, 0.5, 0.75, 1.0)
_SHAPE_SIGMA = (0.25, 0.2, 0.15, 0.12, 0.08, 0.04, 1e-4, 0.015, 0.025)
_MIDDLE = _SHAPE_AT.index(0.5)
#: One standard deviation of the whole capacity's and the resistance's logarithm before anything was seen [1].
_CAPACITY_SIGMA, _RESISTANCE_SIGMA = 0.15, 0.5
#: Of the temperature's exponent under 25 °C and above, one standard deviation [1].
_LAW_SIGMA = 0.35
#: Warmer than this no chemistry's law was ever held against anything [°C]: such lines weigh a fifth.
_LAW_UNTIL_C, _BEYOND_LAW = 60.0, 5.0
#: A pack that was called full begins within this share of it, one standard deviation [1].
_FULL_SIGMA = 0.006
#: Scatter of a line beside its rounding, one standard deviation [V a cell].
_LINE_V, _LEAST_LINE_V = 0.002, 0.0003
#: A full pack rests at its chemistry's full voltage within this, one standard deviation [V].
_FULL_V = 0.004
#: How far apart in charge the cells of a pack are, as far as it bends their mean near the knee [1].
_CELLS_APART = 0.001
_STEPS, _DAMPINGS = 20, 9


class CircuitFit:
    """The runs' chosen lines, the parameters with their priors, and how they fit.

    Parameters
    ----------
    runs : sequence of RunOf
    pack : Pack
        Without a curve of its own.
    """

    def __init__(self, runs: Sequence[RunOf], pack: Pack) -> None:
        self.pack, self.chemistry, self.figures = pack, chemistry_for(pack.chemistry), pack_figures(pack)
        self.runs, self.count = runs, len(runs)
        self.rows = [rows_of(r.run, r.air_c, pack=pack, taus_s=TAUS_S) for r in runs]
        self.run_of = np.concatenate([np.full(r.seen_v.size, k) for k, r in enumerate(self.rows)])
        self.seen_v = np.concatenate([r.seen_v for r in self.rows])
        self.amps = np.concatenate([r.amps for r in self.rows])
        self.drawn = np.concatenate([r.drawn_ah for r in self.rows])
        self.held = np.concatenate([r.held for r in self.rows], axis=1)
        self.built = np.concatenate([r.expected for r in self.rows], axis=1)
        self.external = self.figures.external_ohm() / pack.series
        self._cells, self._warm = cell_table(self.chemistry), temperature_table(self.chemistry)
        self._grid = np.linspace(0.0, 1.0, self._cells.shape[0])
        self._celsius = TEMPERATURE_GRID_LOW_C + TEMPERATURE_GRID_STEP_C * np.arange(self._warm.shape[0])
        steps, inner = np.diff(KNOTS), KNOTS[1:-1]
        wander = _WANDER + _WANDER_EMPTY * np.exp(-inner / _EMPTY_SHARE)
        self._bends = np.diff(np.diff(np.eye(KNOTS.size), axis=0) / steps[:, None], axis=0)
        self._bends /= (wander * np.sqrt(0.5 * (steps[1:] + steps[:-1])))[:, None]
        self._parameters()

    def _parameters(self) -> None:
        """Where each group of parameters stands, its expectation, and one standard deviation."""
        sizes = {
            "capacity": 1, "ohm": 1, "bank": len(TAUS_S), "deviation": KNOTS.size, "shape": len(_SHAPE_AT), "b": 2,
            "full": self.count, "warmer": self.count, "probe": 1, "heat": 1, "cooling": 1,
        }  # fmt: skip
        self.at: dict[str, slice] = {}
        first = 0
        for key, size in sizes.items():
            self.at[key] = slice(first, first + size)
            first += size
        self.expected, self.sigma = np.zeros(first), np.ones(first)
        written = [WRITTEN_ERROR_K if r.air_c is not None else 4.0 for r in self.runs]
        own = [0.5 if r.run.temperature_c is not None else w for r, w in zip(self.runs, written, strict=True)]
        spread: dict[str, float | FloatArray] = {
            "capacity": _CAPACITY_SIGMA, "ohm": _RESISTANCE_SIGMA, "bank": _BANK_SIGMA, "deviation": _AWAY_V,
            "shape": np.array(_SHAPE_SIGMA), "b": _LAW_SIGMA, "full": _FULL_SIGMA, "warmer": np.array(own),
            "probe": PROBE_ERROR_K, "heat": 0.15, "cooling": 0.5,
        }  # fmt: skip
        for key, sigma in spread.items():
            self.sigma[self.at[key]] = sigma
        # Empty is where the chemistry's curve ends: that is what capacity means here.
        self.sigma[self.at["deviation"].start] = 1e-5
        self.sigma[self.at["deviation"].stop - 1] = _FULL_V
        self.expected[self.at["bank"]] = np.log(_BANK)

    def loaded_v(self, theta: FloatArray) -> FloatArray:
        """Every chosen line's voltage of a cell [V]."""
        of = {key: theta[place] for key, place in self.at.items()}
        z = self.charge_left(theta)
        inside = np.clip(z, 0.0, 1.0)
        ohm = self.figures.cell_resistance_ohm / self.pack.parallel * math.exp(float(of["ohm"][0]))
        other = np.exp(np.interp(inside, _SHAPE_AT, of["shape"]))
        celsius = self.celsius(of)
        power = np.where(celsius < 25.0, 1.0 + of["b"][0], 1.0 + of["b"][1])
        # What the pairs hold was built up in the expected warmth: of what is otherwise, the present counts.
        shape = np.interp(inside, self._grid, self._cells[:, 1])
        warm = shape * np.interp(celsius, self._celsius, self._warm[:, 0]) ** power
        slow = shape * np.interp(celsius, self._celsius, self._warm[:, 1]) ** power
        fast_share, slow_share = warm / self.built[0], slow / self.built[1]
        takes = self.amps * warm
        for tau, share, held in zip(TAUS_S, np.exp(of["bank"]), self.held, strict=True):
            takes = takes + share * held * (slow_share if tau >= SLOW_FROM_S else fast_share)
        return np.asarray(self.rest_v(theta, z) - self.amps * self.external - ohm * other * takes)

    def charge_left(self, theta: FloatArray) -> FloatArray:
        """State of charge of every chosen line [1]."""
        capacity_ah = self.figures.capacity_ah * math.exp(float(theta[self.at["capacity"]][0]))
        return np.asarray(1.0 - self.drawn / capacity_ah + theta[self.at["full"]][self.run_of])

    def rest_v(self, theta: FloatArray, z: FloatArray) -> FloatArray:
        """U(z) [V]; beyond both ends along the last slope."""
        inside = np.clip(z, 0.0, 1.0)
        volts = np.interp(inside, self._grid, self._cells[:, 0])
        over = (z - 1.0) * 20.0 * (self.chemistry.ocv_v[-1] - self.chemistry.ocv_v[-2])
        under = z * 20.0 * (self.chemistry.ocv_v[1] - self.chemistry.ocv_v[0])
        beyond = np.where(z > 1.0, over, np.where(z < 0.0, under, 0.0))
        return np.asarray(volts + np.interp(inside, KNOTS, theta[self.at["deviation"]]) + beyond)

    def celsius(self, of: dict[str, FloatArray]) -> FloatArray:
        """Every chosen line's temperature [°C]."""
        parts = []
        heat, cooling = math.exp(float(of["heat"][0])), math.exp(float(of["cooling"][0]))
        for k, rows in enumerate(self.rows):
            off = float(of["warmer"][k]) + (float(of["probe"][0]) if rows.probed else 0.0)
            parts.append(rows.celsius(heat, cooling) + off)
        return np.concatenate(parts)

    def _misses(self, theta: FloatArray) -> FloatArray:
        """Lines, priors and bends, each over its standard deviation."""
        lines = (self.loaded_v(theta) - self.seen_v) / self._scatter_v
        bends = self._bends @ theta[self.at["deviation"]]
        return np.concatenate((lines, (theta - self.expected) / self.sigma, bends))

    def _slopes(self, theta: FloatArray, at: FloatArray) -> FloatArray:
        slopes = np.zeros((at.size, theta.size))
        place = self.at["deviation"]
        for k in range(theta.size):
            if place.start <= k < place.stop:
                continue
            moved = theta.copy()
            step = 1e-3 * min(float(self.sigma[k]), 1.0)
            moved[k] += step
            slopes[:, k] = (self._misses(moved) - at) / step
        # The deviation is straight between its knots: its slopes are their weights.
        lines = self.seen_v.size
        inside = np.clip(self.charge_left(theta), 0.0, 1.0)
        between = np.clip(np.searchsorted(KNOTS, inside, side="right") - 1, 0, KNOTS.size - 2)
        part = (inside - KNOTS[between]) / np.diff(KNOTS)[between]
        rows = np.arange(lines)
        slopes[rows, place.start + between] = (1.0 - part) / self._scatter_v
        slopes[rows, place.start + between + 1] = part / self._scatter_v
        slopes[lines : lines + theta.size, place] = np.eye(theta.size)[:, place] / self.sigma[place]
        slopes[lines + theta.size :, place] = self._bends
        return slopes

    def _nearer(self, theta: FloatArray) -> FloatArray:
        """Downhill until it hardly moves (Levenberg and Marquardt; Nocedal and Wright 2006, 10.3)."""
        at, damping = self._misses(theta), 1e-2
        for _ in range(_STEPS):
            slopes = self._slopes(theta, at)
            for _ in range(_DAMPINGS):
                damped = np.concatenate((slopes, np.diag(math.sqrt(damping) / self.sigma)))
                step = np.linalg.lstsq(damped, np.concatenate((-at, np.zeros(theta.size))), rcond=None)[0]
                found = self._misses(theta + step)
                if float(found @ found) < float(at @ at):
                    break
                damping *= 10.0
            else:
                return theta
            theta, at, damping = theta + step, found, damping / 10.0
            if float(np.abs(step / self.sigma).max()) < 0.01:
                break
        return theta

    def fit(self) -> tuple[FloatArray, FloatArray]:
        """Parameters and their covariance; how far lines scatter is first assumed, and then seen."""
        self._scatter_v = self._scatter(_LINE_V, self.expected)
        theta = self._nearer(self.expected.copy())
        seen = 1.4826 * float(np.median(np.abs(self.loaded_v(theta) - self.seen_v)))
        self._scatter_v = self._scatter(min(max(seen, _LEAST_LINE_V), 2.0 * _LINE_V), theta)
        theta = self._nearer(theta)
        at = self._misses(theta)
        slopes = self._slopes(theta, at)
        covariance = np.asarray(np.linalg.inv(slopes.T @ slopes), dtype=np.float64)
        return theta, covariance * self._wider(at[: self.seen_v.size])

    def _scatter(self, line_v: float, theta: FloatArray) -> FloatArray:
        """One standard deviation of every line [V]: wider where the curve is steep, for cells are not alike."""
        z = np.clip(self.charge_left(theta), 0.0, 1.0)
        slope = np.interp(z, self._grid, np.gradient(self._cells[:, 0], self._grid))
        hot = self.celsius({key: theta[place] for key, place in self.at.items()}) > _LAW_UNTIL_C
        return np.hypot(line_v, _CELLS_APART * slope) * np.where(hot, _BEYOND_LAW, 1.0)

    def _wider(self, misses: FloatArray) -> float:
        """How much wider than independent lines of the stated scatter would have it, as a variance [1].

        Lines that follow each other miss alike: so many of them say as much as one (Priestley 1981, 5.3.2).
        """
        scatter = max(float(np.mean(misses**2)), 0.25)
        after, before = [], []
        for k in range(self.count):
            own = misses[self.run_of == k]
            after.append(own[1:] * own[:-1])
            before.append(own[1:] ** 2)
        alike = float(np.concatenate(after).sum() / max(np.concatenate(before).sum(), 1e-12))
        alike = min(max(alike, 0.0), 0.9)
        return scatter * (1.0 + alike) / (1.0 - alike)

    def one_second_ohm(self, theta: FloatArray) -> float:
        """Whole pack at its plug, one second, 25 °C, mid-charge [Ω]."""
        return self.cell_ohm(theta) * self.pack.series / self.pack.parallel + self.figures.external_ohm()

    def cell_ohm(self, theta: FloatArray) -> float:
        """One cell, one second, 25 °C, mid-charge [Ω]."""
        built = sum(
            float(share) * -math.expm1(-1.0 / tau)
            for tau, share in zip(TAUS_S, np.exp(theta[self.at["bank"]]), strict=True)
        )
        ohm = self.figures.cell_resistance_ohm * math.exp(float(theta[self.at["ohm"]][0]))
        return ohm * math.exp(float(theta[self.at["shape"]][_MIDDLE])) * (1.0 + built)

    def capacity_ah(self, theta: FloatArray) -> float:
        """Of the whole pack [Ah]."""
        return self.figures.capacity_ah * math.exp(float(theta[self.at["capacity"]][0]))
