"""A plug or a lead whose resistance was measured: a part of one's own, with its interval and its source."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import datetime
from typing import Annotated

from pydantic import Field

from zesty_cell.core.entity import Entity, Name
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact

#: A meter's last digit [V], its scale and the ammeter's [1], one standard deviation each.
_DIGIT_V, _VOLTS_SCALE, _AMPS_SCALE = 0.0001, 0.01, 0.015
#: A 90 % interval reaches this many standard deviations to each side [1]; Student's, for few readings.
_Z90, _T90 = 1.645, {1: 6.314, 2: 2.920, 3: 2.353, 4: 2.132, 5: 2.015}
#: Plugs and leads lie under this [Ω].
MOST_OHM = 0.2


class OwnPart(Entity):
    """A measured plug or lead, both poles [Ω]; ``reach_ohm`` is how far its 90 % interval reaches to each side."""

    ohm: Annotated[float, Field(ge=0, le=MOST_OHM)]
    reach_ohm: Annotated[float, Field(ge=0, le=MOST_OHM)]
    source: Name
    measured_at: datetime


def part_of_millivolts(readings: Sequence[tuple[float, float]], /) -> tuple[float, float]:
    """Resistance from voltages across a part at currents through it, and how far its 90 % interval reaches [Ω].

    Least squares through nothing, R = ΣVI/ΣI²; the scatter is that of the readings about it, at least the meter's
    last digit, and the scales of both meters come on top.

    Parameters
    ----------
    readings : sequence of (float, float)
        Volts across it, both poles together, and amps [V, A]; one or more.

    Raises
    ------
    OutOfRangeError
        No reading, no current, or a part that resists more than any plug or lead.
    """
    amps = sum(i * i for _, i in readings)
    if not readings or min(i for _, i in readings) <= 0.0:
        raise OutOfRangeError(fact("refused.part.no_current"), field="readings", value=0.0, limit=0.0)
    ohm = sum(v * i for v, i in readings) / amps
    if not 0.0 <= ohm <= MOST_OHM:
        why = fact("refused.part.beyond", ohm=ohm, most_ohm=MOST_OHM)
        raise OutOfRangeError(why, field="readings", value=ohm, limit=MOST_OHM)
    free = len(readings) - 1
    left = sum((v - ohm * i) ** 2 for v, i in readings)
    scatter_v = max(math.sqrt(left / free), _DIGIT_V) if free else _DIGIT_V
    times = _T90.get(free, _Z90) if free and scatter_v > _DIGIT_V else _Z90
    by_scatter = times * scatter_v / math.sqrt(amps)
    by_scales = _Z90 * ohm * math.hypot(_VOLTS_SCALE, _AMPS_SCALE)
    return ohm, math.hypot(by_scatter, by_scales)
