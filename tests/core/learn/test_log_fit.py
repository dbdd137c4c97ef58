"""Fit of a telemetry log: a hidden pack is found within its intervals; what a log cannot tell is not claimed."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from tests.sheets import pomelo, satsuma, sheet
from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.learn import log_fit
from zesty_cell.core.learn.flights import ERROR_SHOWN
from zesty_cell.core.learn.log_fit import fit_log
from zesty_cell.core.learn.log_told import KEYS, LogTold, told_by_log
from zesty_cell.core.learn.observation import pack_told
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.telemetry_columns import guess_mapping
from zesty_cell.formats.telemetry_csv import read_telemetry
from zesty_cell.standins.craft import Hidden, Sensors, SimulatedCraft

SHEET = sheet()


def flown(hidden=None, sensors=None, *, seconds=900.0, of=SHEET, seed=3, **more):
    craft = SimulatedCraft(of, seed=seed, hidden=hidden, sensors=sensors)
    flight = craft.fly(seconds)
    table = read_table(craft.log_csv(flight, **more))
    return read_telemetry(table, guess_mapping(table, series=of.pack.series)).telemetry, flight


def fit(log, of=SHEET, **more):
    return fit_log(log, pack=of.pack, air_c=of.conditions.air_c, **more)


@pytest.mark.parametrize("seed", range(6))
def test_a_hidden_pack_is_found_within_the_intervals(seed):
    rng = np.random.default_rng(seed)
    capacity, resistance, voltage = np.exp(rng.normal(size=3) * (0.08, 0.25, 0.01))
    log, _ = flown(
        Hidden(capacity=float(capacity), resistance=float(resistance)), Sensors(voltage=float(voltage)), seed=seed
    )
    found = fit(log)
    for key, truth in (("capacity", capacity), ("resistance", resistance), ("voltage scale", voltage)):
        one = found.of(key)
        assert one.told
        assert one.low <= one.expected * truth <= one.high, key
        assert (
            abs(one.value / one.expected / truth - 1.0) < 0.02
        )  # nearer than the interval, which allows for other cells
    assert found.rmse_v < 0.012


def test_a_lithium_polymer_pack_in_freestyle_too():
    of = sheet(pack=satsuma(), pattern="freestyle")
    log, _ = flown(Hidden(capacity=0.9, resistance=1.4), of=of, seconds=170.0)
    found = fit(log, of)
    assert found.of("resistance").value == pytest.approx(1.4 * found.of("resistance").expected, rel=0.04)
    assert found.of("capacity").value == pytest.approx(0.9 * found.of("capacity").expected, rel=0.05)


def test_two_cells_in_parallel_share_the_current():
    one = pomelo()
    of = sheet(pack=pomelo(name="Two", parallel=2, capacity_ah=2 * one.capacity_ah, mass_kg=2 * one.mass_kg))
    log, _ = flown(Hidden(capacity=0.95, resistance=1.2), of=of, seconds=1500.0)
    found = fit(log, of)
    assert found.of("resistance").value == pytest.approx(1.2 * found.of("resistance").expected, rel=0.04)
    assert found.of("capacity").value == pytest.approx(0.95 * found.of("capacity").expected, rel=0.03)


def test_a_pack_that_gave_more_than_its_label_is_found_to_hold_it():
    """The search begins with room for what was drawn: from the label it would find the pack empty in the air."""
    log, flight = flown(Hidden(capacity=1.2), seconds=1330.0)
    assert flight.used_ah > SHEET.pack.capacity_ah
    assert fit(log).of("capacity").value == pytest.approx(1.2 * SHEET.pack.capacity_ah, rel=0.05)
    one = pomelo()
    two = sheet(pack=pomelo(name="Two", parallel=2, capacity_ah=2 * one.capacity_ah, mass_kg=2 * one.mass_kg))
    log, flight = flown(Hidden(capacity=1.2), of=two, seconds=2200.0)
    assert flight.used_ah > two.pack.capacity_ah
    assert fit(log, two).of("capacity").value == pytest.approx(1.2 * two.pack.capacity_ah, rel=0.05)


def test_a_pack_that_took_off_partly_charged_is_told():
    low = SHEET.model_copy(update={"conditions": SHEET.conditions.model_copy(update={"start_charge": 0.93})})
    log, _ = flown(of=low)
    start = fit(log).of("start")
    assert start.low <= 0.93 <= start.high
    assert start.value == pytest.approx(0.93, abs=0.006)
    assert start.value - start.low == pytest.approx(start.high - start.value, rel=1e-6)


def test_the_charge_put_back_tells_the_current_sensor_and_corrects_the_rest():
    log, flight = flown(Hidden(capacity=0.9, resistance=1.2), Sensors(current=0.86))
    blind, told = fit(log), fit(log, put_back_ah=flight.used_ah)
    assert told.current_scale == pytest.approx(0.86, abs=0.01)
    assert blind.current_scale is None
    for key, truth in (("capacity", 0.9), ("resistance", 1.2)):
        one, other = told.of(key), blind.of(key)
        assert one.value == pytest.approx(truth * one.expected, rel=0.02)
        assert abs(other.value / other.expected / truth - 1) > 0.05
    with pytest.raises(OutOfRangeError, match="another flight, or another unit"):
        fit(log, put_back_ah=0.1)


def test_a_short_hop_does_not_tell_the_capacity_and_says_so():
    log, _ = flown(Hidden(capacity=0.8), seconds=75.0)
    found = fit(log)
    assert found.of("resistance").told
    # Nothing is claimed of what a minute does not tell: a start that is not full looks the same.
    assert not found.of("capacity").told


def test_a_part_of_a_small_pack_is_more_of_it():
    """31 % of the label are 44 % of a pack that holds seven tenths of it: enough to tell its capacity."""
    log, flight = flown(Hidden(capacity=0.7), seconds=420.0)
    assert flight.used_ah / SHEET.pack.capacity_ah < 0.35 < flight.used_ah / (0.7 * SHEET.pack.capacity_ah)
    capacity = fit(log).of("capacity")
    assert capacity.told
    assert capacity.value == pytest.approx(0.7 * capacity.expected, rel=0.03)


def test_a_gap_is_not_fitted_to():
    whole, _ = flown()
    cut, _ = flown(lost_s=(300.0, 360.0))
    assert len(cut) < len(whole)
    assert fit(cut).of("resistance").value == pytest.approx(fit(whole).of("resistance").value, rel=0.02)


@pytest.mark.parametrize(("share", "told"), [((0.30, 0.45), True), ((0.62, 0.76), False), ((0.87, 1.0), False)])
def test_the_slow_polarisation_is_told_by_two_parts_of_a_log_or_not_at_all(share, told):
    """A gap elsewhere is no matter; where its end, or what its trend is told by, was not heard, nothing is said."""
    log, _ = flown()
    part = log.time_s / log.time_s[-1]
    heard = (part < share[0]) | (part > share[1])
    gap = replace(log, pack_v=np.where(heard, log.pack_v, np.nan))
    assert (fit(gap).slow is not None) == told


def test_a_small_craft_that_draws_hundredths_of_an_amp_is_fitted_too():
    log, _ = flown()
    mean_a = float(np.nanmean(log.current_a))
    small = replace(log, current_a=log.current_a * (0.01 / mean_a))
    assert float(np.ptp(small.current_a)) < 0.1
    assert fit(small).of("resistance") is not None


def test_a_step_is_taken_only_where_it_costs_less_whichever_side_it_leads_to():
    """What is expected counts as a square: a figure under it costs as much as one over it."""

    class Flat:
        """A log whose volts follow from nothing: only the prior tells steps apart."""

        seen_v = np.full(10, 3.5)

        def volts(self, theta):
            return np.full(10, 3.4)

    weights, here = np.ones(10), np.zeros(len(KEYS))
    cost = float(np.sum(weights * 0.1**2))
    for side in (-1.0, 1.0):
        gradient = np.zeros(len(KEYS))
        gradient[0] = side
        assert log_fit._better(Flat(), here, (np.eye(len(KEYS)), gradient, cost), (weights, 1.0), 1e-2) is None
        # From further out the way back is one that costs less.
        out = here.copy()
        out[0] = side * 0.4
        paid = cost + (0.4 / float(log_fit.PRIOR[0])) ** 2
        back = log_fit._better(Flat(), out, (np.eye(len(KEYS)), -gradient, paid), (weights, 1.0), 1e-2)
        assert back is not None
        assert abs(back[0][0]) < 0.4


def test_the_model_follows_the_logged_voltage():
    log, _ = flown(Hidden(resistance=1.3))
    found = fit(log)
    seen = np.interp(found.time_s, log.time_s - log.time_s[0], log.pack_v)
    assert np.sqrt(np.mean((seen - found.model_v) ** 2)) / 6 == pytest.approx(found.rmse_v, abs=2e-4)
    assert len(found.parameters) == len(KEYS)


def test_the_cell_voltage_does_where_there_is_no_packs():
    log, _ = flown()
    cells = replace(log, cell_v=log.pack_v / 6, pack_v=None)
    assert fit(cells).of("capacity").value == pytest.approx(fit(log).of("capacity").value, rel=0.01)


def test_what_a_fit_tells_goes_on_with_the_sensors_own_doubt():
    log, flight = flown(Hidden(capacity=0.9, resistance=1.3))
    for put_back_ah, scale_sigma in ((flight.used_ah, 0.015), (None, ERROR_SHOWN)):
        found = fit(log, put_back_ah=put_back_ah)
        told = told_by_log(found, at_c=12.0)
        one = found.of("resistance")
        assert told.resistance_ohm == one.value
        assert told.at_c == 12.0
        own = np.log(one.high / one.value) / 1.96
        assert told.resistance_sigma == pytest.approx(np.hypot(own, scale_sigma))
        assert told.capacity_ah == pytest.approx(0.9 * pack_figures(SHEET.pack).capacity_ah, rel=0.03)
    silent = replace(found, parameters=tuple(replace(p, told=False) for p in found.parameters))
    assert told_by_log(silent, at_c=12.0) is None


def test_what_a_log_told_is_over_what_the_sheets_pack_says():
    told = LogTold(resistance_ohm=0.0150, resistance_sigma=0.05, at_c=8.0)
    one = pack_told(told, pack="7", of=SHEET.pack)
    assert one.resistance == pytest.approx(np.log(0.0150 / SHEET.pack.cell_resistance_ohm))
    assert (one.pack, one.capacity, one.resistance_sigma, one.at_c) == ("7", None, 0.05, 8.0)


TIME = np.arange(0.0, 200.0, 0.2)


@pytest.mark.parametrize(
    ("log", "words"),
    [
        (Telemetry(time_s=TIME, pack_v=24 + 0 * TIME), "no current"),
        (Telemetry(time_s=TIME, current_a=8 + 0 * TIME), "no voltage"),
        (Telemetry(time_s=TIME[:100], current_a=8 + TIME[:100], pack_v=24 + 0 * TIME[:100]), "too short"),
        (Telemetry(time_s=TIME, current_a=8 + 0 * TIME, pack_v=24 + 0 * TIME), "hardly changes"),
        (Telemetry(time_s=TIME * 10, current_a=20 + TIME * 10, pack_v=24 + 0 * TIME), "More charge was drawn"),
    ],
)
def test_a_log_that_cannot_tell_is_refused_in_words(log, words):
    with pytest.raises(OutOfRangeError, match=words):
        fit(log)
