"""Of a discharge, the lines that tell: dense where the current stepped, even over the charge."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.discharge.run import DischargeRun
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import diffusion_factor, open_circuit_v, resistance_shape, temperature_factor
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import cell_cooling_w_k, pack_figures

FloatArray = NDArray[np.float64]

#: So many lines of a run are fitted, evenly over its charge; so many steps of the current are followed.
_EVEN, _MOST_STEPS = 160, 40
#: A step of the current is this share of the largest, from line to line [1].
_STEP = 0.2
#: Lines after a step that are kept: these times after it [s].
_AFTER_S = (1.0, 2.0, 4.0, 8.0, 16.0, 30.0)
#: Pairs of the bank from here on freeze as diffusion does [s].
SLOW_FROM_S = 150.0
#: Without a written temperature a bench is so warm [°C].
BENCH_C = 20.0
#: Longer runs are thinned to so many lines before anything is done with them.
_MOST_LINES = 6000


@dataclass(frozen=True)
class RunOf:
    """A run with the air it was made in [°C]; None where nobody wrote it down."""

    run: DischargeRun
    air_c: float | None = None


@dataclass(frozen=True)
class RunRows:
    """The chosen lines of a run.

    Attributes
    ----------
    seen_v, amps, drawn_ah : array of float, shape (rows,)
        Mean cell [V], whole pack [A, Ah].
    held : array of float, shape (time constants, rows)
        What each of the bank holds of the current, by the chemistry's resistance over charge and temperature as it
        was while it was being built up [A].
    expected : array of float, shape (2, rows)
        That resistance at each line, of conduction and of diffusion, over mid-charge and 25 °C [1].
    steps_amid : int
        How often the current stepped between a fifth and four fifths of what the run gave.
    air_c : float
        [°C].
    probe_c : array of float, shape (rows,) or None
        As the probe had it [°C].
    """

    seen_v: FloatArray
    amps: FloatArray
    drawn_ah: FloatArray
    held: FloatArray
    expected: FloatArray
    steps_amid: int
    air_c: float
    probe_c: FloatArray | None
    _place: NDArray[np.int64]
    _time_s: FloatArray
    _heat_w: FloatArray
    _heat_j_k: float
    _cooling_w_k: float
    _asked: dict[tuple[float, float], FloatArray] = field(default_factory=dict)

    @property
    def probed(self) -> bool:
        """Whether a probe was read."""
        return self.probe_c is not None

    def celsius(self, heat: float, cooling: float, /) -> FloatArray:
        """Temperature of each chosen line [°C]; ``heat`` and ``cooling`` are factors on what is expected [1]."""
        if self.probe_c is not None:
            return self.probe_c
        if (heat, cooling) not in self._asked:
            heat_j_k = self._heat_j_k * heat
            tau = heat_j_k / (self._cooling_w_k * cooling)
            warmer = _held(self._heat_w, self._time_s, tau)[self._place] * tau / heat_j_k
            self._asked.clear()  # asked for again and again while something else is moved
            self._asked[heat, cooling] = self.air_c + warmer
        return self._asked[heat, cooling]


def _held(values: FloatArray, time_s: FloatArray, tau_s: float) -> FloatArray:
    """First-order lag of a value that stands from each line to the next (exact for that)."""
    keep = np.exp(-np.diff(time_s) / tau_s).tolist()
    out, x = [0.0], 0.0
    for k, value in zip(keep, values.tolist(), strict=False):
        x = x * k + value * (1.0 - k)
        out.append(x)
    return np.array(out)


def rows_of(run: DischargeRun, air_c: float | None, /, *, pack: Pack, taus_s: Sequence[float]) -> RunRows:
    """The lines of a run that are fitted.

    Parameters
    ----------
    air_c : float or None
        Of the bench [°C].
    taus_s : sequence of float
        The bank [s].
    """
    of = np.arange(run.time_s.size)
    if of.size > _MOST_LINES:
        of = np.unique(np.linspace(0, of.size - 1, _MOST_LINES).astype(np.int64))
    time_s, amps, drawn = run.time_s[of], run.current_a[of], run.drawn_ah[of]
    steps = np.flatnonzero(np.abs(np.diff(amps)) > _STEP * float(amps.max())) + 1
    place = _chosen(time_s, steps, drawn)
    amid = (drawn[steps] > 0.2 * drawn[-1]) & (drawn[steps] < 0.8 * drawn[-1])
    chemistry, figures = chemistry_for(pack.chemistry), pack_figures(pack)
    left = np.clip(1.0 - drawn / figures.capacity_ah, 0.0, 1.0)
    lost_v = pack.series * open_circuit_v(chemistry=chemistry, charge_left=left) - run.pack_v[of]
    cells = pack.cell_count
    thinned = RunRows(
        seen_v=run.pack_v[of] / pack.series,
        amps=amps,
        drawn_ah=drawn,
        held=np.zeros((0, of.size)),
        expected=np.zeros((2, of.size)),
        steps_amid=int(amid.sum()),
        air_c=BENCH_C if air_c is None else air_c,
        probe_c=None if run.temperature_c is None else run.temperature_c[of],
        _place=np.arange(of.size),
        _time_s=time_s,
        _heat_w=np.maximum(lost_v, 0.0) * amps,
        _heat_j_k=figures.cell_mass_kg * cells * chemistry.specific_heat_j_kg_k,
        _cooling_w_k=cells
        * cell_cooling_w_k(
            mass_kg=figures.cell_mass_kg * cells, chemistry=chemistry, cell_count=cells, cooling="still air"
        ),
    )
    celsius = thinned.celsius(1.0, 1.0)
    shape = resistance_shape(chemistry=chemistry, charge_left=left)
    fast = shape * temperature_factor(chemistry=chemistry, temperature_c=celsius)
    slow = shape * diffusion_factor(chemistry=chemistry, temperature_c=celsius)
    held = [_held(amps * (slow if tau >= SLOW_FROM_S else fast), time_s, tau)[place] for tau in taus_s]
    return replace(
        thinned,
        seen_v=thinned.seen_v[place],
        amps=amps[place],
        drawn_ah=drawn[place],
        held=np.stack(held),
        expected=np.stack((fast, slow))[:, place],
        probe_c=None if thinned.probe_c is None else thinned.probe_c[place],
        _place=place,
        _asked={},
    )


def _chosen(time_s: FloatArray, steps: NDArray[np.int64], drawn: FloatArray) -> NDArray[np.int64]:
    """Evenly over the charge, and some times after each step; not the line of a step, read in its midst."""
    even = np.searchsorted(drawn, np.linspace(0.0, float(drawn[-1]), _EVEN))
    parts = [even, [0]]
    for k in steps[:: max(1, math.ceil(steps.size / _MOST_STEPS))]:
        parts.append([k - 1])
        parts.append(np.searchsorted(time_s, time_s[k] + np.array(_AFTER_S)))
    found = np.unique(np.concatenate([np.asarray(p, dtype=np.int64) for p in parts]))
    found = found[found < time_s.size]
    return found[~np.isin(found, steps)]
