"""A simulated charger and cell checker: what they read is rounded, and a little out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures


@dataclass(frozen=True)
class Charge:
    """What a charger says when it is done.

    Attributes
    ----------
    put_back_ah : float
        [Ah].
    charged_v_per_cell : float
        [V].
    cells_v : tuple of float
        [V].
    resistance_ohm : float
        Of a cell, as the charger reads it [Ω].
    """

    put_back_ah: float
    charged_v_per_cell: float
    cells_v: tuple[float, ...]
    resistance_ohm: float


class SimulatedCharger:
    """Charges an individual pack.

    Parameters
    ----------
    seed : int
    accuracy : float
        How far its count is out, one sigma, the same in every charge [1].
    step_ah : float
        Of its display [Ah].
    """

    def __init__(self, *, seed: int, accuracy: float = 0.01, step_ah: float = 0.001) -> None:
        self._rng = np.random.Generator(np.random.PCG64(seed))
        self._scale = float(np.exp(accuracy * self._rng.normal()))
        self.step_ah = step_ah

    def charge(self, pack: Pack, *, used_ah: float, resistance: float = 1.0, spread_v: float = 0.004) -> Charge:
        """Charge a pack that has given ``used_ah`` [Ah] to full.

        Parameters
        ----------
        resistance : float
            True over estimated [1].
        spread_v : float
            Of the cells when it is done, one sigma [V].
        """
        full_v = chemistry_for(pack.chemistry).full_v
        cells = tuple(round(full_v + float(self._rng.normal(0.0, spread_v)), 3) for _ in range(pack.series))
        back = max(round(used_ah * self._scale / self.step_ah) * self.step_ah, self.step_ah)
        cell_ohm = pack_figures(pack).resistance_ohm / pack.series * resistance
        return Charge(
            put_back_ah=round(back, 4),
            charged_v_per_cell=round(full_v, 2),
            cells_v=cells,
            resistance_ohm=round(cell_ohm * float(np.exp(0.05 * self._rng.normal())), 4),
        )


class CellChecker:
    """Reads the cells of a resting pack; ``offset_v`` is how far it is out, ``step_v`` its display [V]."""

    def __init__(self, *, seed: int, offset_v: float = 0.005, step_v: float = 0.01) -> None:
        self._rng = np.random.Generator(np.random.PCG64(seed))
        self.offset_v, self.step_v = offset_v, step_v

    def read(self, *, rest_v: float, series: int, spread_v: float = 0.005) -> tuple[float, ...]:
        """Each cell of a pack that rests at ``rest_v`` a cell [V]."""
        cells = rest_v + self.offset_v + self._rng.normal(0.0, spread_v, series)
        return tuple(round(round(float(v) / self.step_v) * self.step_v, 3) for v in cells)
