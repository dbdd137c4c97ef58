"""Which packs a craft could be flown with at all."""

from __future__ import annotations

import pytest

from tests.sheets import heron, pomelo, satsuma
from zesty_cell.core.choose.fits import could_fly


@pytest.mark.parametrize(
    ("pack", "craft", "takes"),
    [
        (pomelo(), {}, True),
        (satsuma(), {}, True),
        # Six cells full are 25.2 V: 25.2 V take them, 25.1 do not.
        (satsuma(), {"limits": {"maximum_v": 25.2}}, True),
        (satsuma(), {"limits": {"maximum_v": 25.1}}, False),
        # Told at 21.0 V: four LiPo cells give 14.4 amid a flight, 0.69 of it; five 18.0.
        (satsuma(series=4), {}, False),
        (satsuma(series=5), {}, True),
        (satsuma(series=7), {}, True),
        (satsuma(series=8), {}, False),
        # Half as heavy again as the craft, and a little more.
        (satsuma(capacity_ah=5.0, mass_kg=0.926), {}, True),
        (satsuma(capacity_ah=5.0, mass_kg=0.928), {}, False),
    ],
)
def test_by_voltage_and_by_weight(pack, craft, takes):
    assert could_fly(heron(**craft), pack) is takes
