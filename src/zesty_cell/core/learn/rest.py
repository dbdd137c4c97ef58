"""How far a pack has still to recover when its rest voltage is read: diffusion takes minutes to even out."""

from __future__ import annotations

import math

import numpy as np

from zesty_cell.core.parts.chemistry import diffusion_factor, temperature_factor
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.core.parts.pack_figures import pack_figures

#: When nobody said how long after landing a rest voltage was read, it was about so long [s], and so much of
#: what was still to come is in doubt [1].
USUAL_AFTER_S, USUAL_DOUBT = 120.0, 0.8
#: What is still in doubt where the time was said [1]: currents of the last minutes, and other cells than ours.
SAID_DOUBT = 0.5
#: A flight warms its pack by about so much over the air [K].
_WARMER_K = 12.0


def still_to_recover_v(
    *,
    pack: Pack,
    used_ah: float,
    flown_s: float,
    after_s: float,
    air_c: float | None,
    landed_c: float | None = None,
) -> float:
    """What a cell's voltage still rises by after a reading at rest [V].

    The pairs hold v1 and v2 of the mean current when it lands, and lose them with their time constants (K3):
    i·R0·(r1·f·(1 − e^(−T/τ1))·e^(−t/τ1) + r2·g·(1 − e^(−T/τ2))·e^(−t/τ2)).

    Parameters
    ----------
    used_ah, flown_s : float
        Charge of the flight, whole pack, and its length [Ah, s].
    after_s : float
        From landing to the reading [s].
    air_c, landed_c : float, optional
        Air of the day, and the pack when it landed [°C].
    """
    chemistry, figures = cells_of(pack), pack_figures(pack)
    cell_a = used_ah * 3600.0 / max(flown_s, 1.0) / pack.parallel
    pack_c = landed_c if landed_c is not None else (20.0 if air_c is None else air_c) + _WARMER_K
    at = np.array(min(max(pack_c, -30.0), 80.0))
    fast = float(temperature_factor(chemistry=chemistry, temperature_c=at)) * chemistry.polarisation_ratio
    slow = float(diffusion_factor(chemistry=chemistry, temperature_c=at)) * chemistry.diffusion_ratio
    left = 0.0
    for ratio, tau_s in ((fast, chemistry.polarisation_tau_s), (slow, chemistry.diffusion_tau_s)):
        left += ratio * -math.expm1(-flown_s / tau_s) * math.exp(-after_s / tau_s)
    return cell_a * figures.cell_resistance_ohm * left


def rested_v(
    *,
    pack: Pack,
    rest_v: float,
    used_ah: float,
    flown_s: float,
    after_s: float | None,
    air_c: float | None,
    landed_c: float | None = None,
) -> tuple[float, float]:
    """A rest voltage as it would be hours later, and one standard deviation of the correction [V a cell].

    Parameters
    ----------
    rest_v : float
        As read [V a cell].
    after_s : float, optional
        From landing to the reading [s]; about two minutes where nobody said.
    used_ah, flown_s, air_c, landed_c : float
        As :func:`still_to_recover_v` [Ah, s, °C].
    """
    rises_v = still_to_recover_v(
        pack=pack,
        used_ah=used_ah,
        flown_s=flown_s,
        after_s=USUAL_AFTER_S if after_s is None else after_s,
        air_c=air_c,
        landed_c=landed_c,
    )
    return rest_v + rises_v, rises_v * (USUAL_DOUBT if after_s is None else SAID_DOUBT)
