"""Whatever a person can enter, choosing answers with numbers or with a clear refusal."""

from __future__ import annotations

import math

import numpy as np
from hypothesis import given, settings

from tests.core.answer.test_any_sheet import any_sheets
from zesty_cell.core.choose.buys import what_buys_minutes
from zesty_cell.core.choose.chain import parts_chain
from zesty_cell.core.choose.compare import PURPOSES, compare_one, verdict
from zesty_cell.core.choose.knee import knee
from zesty_cell.core.choose.power import STYLES, first_cell_count, more_power
from zesty_cell.core.choose.travel import out_and_back
from zesty_cell.core.errors import OutOfRangeError


def finite(*values: float | None) -> bool:
    return all(v is None or math.isfinite(v) for v in values)


def refusal_of(work, *args, **kwargs):
    """What a call gives, or why it is refused."""
    try:
        return work(*args, **kwargs), None
    except OutOfRangeError as error:
        return None, error


@settings(max_examples=30)
@given(sheet=any_sheets)
def test_any_sheet_can_be_chosen_for(sheet):
    row, refused = refusal_of(compare_one, sheet)
    if refused:
        assert refused.field.startswith("landing.")
        return
    assert finite(row.mean_a, row.cruise_a, row.honest_share, row.full_half_a, row.used_wh, row.mah_per_km)
    assert 0.0 <= row.low_s <= row.high_s
    for purpose in PURPOSES:
        assert verdict([row], purpose=purpose).sentence
    for buy in what_buys_minutes(sheet):
        assert finite(buy.gained_s, buy.heavier_kg, buy.spare_change, buy.full_change_a)
    for option in more_power(sheet):
        assert finite(option.at_landing.landing_s, option.motor_share, option.esc_share)
    for style in STYLES:
        count, refused = refusal_of(first_cell_count, sheet, style=style)
        assert count.reason if count else refused.field == "style"
    chain = parts_chain(setup=row.setup, flight=row.flight, at_landing=row.at_landing, honest=row.honest)
    assert all(finite(link.load, link.share) for link in chain.links)
    trip, refused = refusal_of(out_and_back, setup=row.setup, flight=row.flight)
    if trip:
        assert finite(trip.distance_m, trip.out_mah_km, trip.back_mah_km)
    else:
        assert "speed" in str(refused) or "does not get" in str(refused)


@settings(max_examples=40)
@given(sheet=any_sheets)
def test_any_sheet_has_a_knee_or_a_reason(sheet):
    curve, refused = refusal_of(knee, sheet, chemistry=sheet.pack.chemistry)
    if refused:
        assert str(refused)
        return
    assert np.all(np.isfinite(curve.landing_s))
    assert np.all(np.diff(curve.mass_kg) > 0.0)
    assert curve.knee_kg is None or curve.mass_kg[0] <= curve.knee_kg <= curve.mass_kg[-1]
