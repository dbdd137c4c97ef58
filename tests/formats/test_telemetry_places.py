"""Columns of a log that tell where it was, and where laps begin: one for each half, or both in one cell."""

from __future__ import annotations

import numpy as np
import pytest

from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import guess_mapping
from zesty_cell.formats.telemetry_csv import read_telemetry

N = 60
TIME = [f"{0.2 * k:.1f}" for k in range(N)]
VOLTS = [f"{16.4 - 0.01 * k:.2f}" for k in range(N)]
LAT, LON = [47.1 + 1e-5 * k for k in range(N)], [-8.2 - 2e-5 * k for k in range(N)]


def table(header, *columns, separator=","):
    lines = [separator.join(("Time", "VBat", *header))]
    lines += [separator.join(row) for row in zip(TIME, VOLTS, *columns, strict=True)]
    return read_table("\n".join(lines).encode())


def read(found):
    return read_telemetry(found, guess_mapping(found, series=4)).telemetry


def seen(log):
    assert log.latitude_deg == pytest.approx(np.array(LAT), abs=1e-9)
    assert log.longitude_deg == pytest.approx(np.array(LON), abs=1e-9)


@pytest.mark.parametrize(
    "header",
    [("Latitude", "Longitude"), ("GPS lat", "GPS lon"), ("gpsLatitude (°)", "gpsLongitude (°)"),
     ("GPSLatitude", "GPSLongitude"), ("Breitengrad", "Längengrad"), ("lat_deg", "lng_deg")],
)  # fmt: skip
def test_one_column_for_each_half(header):
    found = table(header, [f"{v:.7f}" for v in LAT], [f"{v:.7f}" for v in LON])
    seen(read(found))


def test_ten_millionths_are_told_by_their_size():
    found = table(("lat", "lon"), [f"{1e7 * v:.0f}" for v in LAT], [f"{1e7 * v:.0f}" for v in LON])
    assert [c.unit for c in guess_mapping(found, series=4).columns][-2:] == ["1e-7", "1e-7"]
    seen(read(found))


@pytest.mark.parametrize("between", [" ", ", "])
@pytest.mark.parametrize("name", ["GPS", "Position", "gps coordinates"])
def test_both_in_one_cell(name, between):
    found = table((name,), [f'"{a:.7f}{between}{b:.7f}"' for a, b in zip(LAT, LON, strict=True)])
    mapping = guess_mapping(found, series=4)
    assert mapping.of("latitude_deg").column == mapping.of("longitude_deg").column == 2
    seen(read(found))


def test_both_in_one_cell_with_decimal_commas():
    def comma(value):
        return f"{value:.7f}".replace(".", ",")

    lines = ["Time;VBat;GPS"]
    lines += [
        f"{t.replace('.', ',')};{v.replace('.', ',')};{comma(a)} {comma(b)}"
        for t, v, a, b in zip(TIME, VOLTS, LAT, LON, strict=True)
    ]
    seen(read(read_table("\n".join(lines).encode())))


def test_what_is_named_after_it_is_not_it():
    found = table(("GPS speed", "GPS sats", "Lap time"), *[[f"{k * 1.5:.1f}" for k in range(N)]] * 3)
    keys = {c.role for c in guess_mapping(found, series=4).columns}
    assert keys == {"time_s", "pack_v"}
    # Half a position is none.
    found = table(("Longest leg",), [f"{v:.5f}" for v in LON])
    assert guess_mapping(found, series=4).of("longitude_deg") is None
    # No latitude is above 90°.
    found = table(("lat", "lon"), [f"{v + 100:.5f}" for v in LAT], [f"{v:.5f}" for v in LON])
    assert guess_mapping(found, series=4).of("latitude_deg") is None


def test_a_cell_with_one_number_is_refused_at_its_place_and_an_empty_one_is_nothing():
    cells = [f"{a:.7f} {b:.7f}" for a, b in zip(LAT, LON, strict=True)]
    mapping = guess_mapping(table(("GPS",), cells), series=4)
    empty = read_telemetry(table(("GPS",), [*cells[:40], "", *cells[41:]]), mapping).telemetry
    assert np.flatnonzero(np.isnan(empty.latitude_deg)).tolist() == [40]
    broken = table(("GPS",), [*cells[:40], "47.1", *cells[41:]])
    with pytest.raises(FileFormatError, match="not two numbers") as error:
        read_telemetry(broken, mapping)
    assert (error.value.line, error.value.column) == (42, 3)


@pytest.mark.parametrize("name", ["Lap", "lap marker", "Runde", "Vueltas"])
def test_marks_of_laps(name):
    found = table((name,), [str(k // 20) for k in range(N)])
    assert np.flatnonzero(np.diff(read(found).lap_mark)).tolist() == [19, 39]
