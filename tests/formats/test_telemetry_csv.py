"""Telemetry logs: columns found and guessed, and every way a log can be broken said with its place."""

from __future__ import annotations

from contextlib import suppress

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_cell.formats import csv_table
from zesty_cell.formats.csv_table import MOST_BYTES, is_number, read_named_rows, read_table
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.telemetry_columns import ColumnChoice, Mapping, guess_mapping
from zesty_cell.formats.telemetry_csv import read_telemetry, time_parts
from zesty_cell.words.say import say

PLAIN = b"time (s),voltage (V),current (A),used (mAh)\n0.0,24.9,11.2,0\n0.1,24.7,14.0,1\n0.2,24.6,14.5,2\n"


def log_of(data: bytes, series: int = 6, **changed):
    table = read_table(data)
    mapping = guess_mapping(table, series=series).model_copy(update=changed)
    return read_telemetry(table, mapping)


def refusal(data: bytes, series: int = 6, **changed) -> FileFormatError:
    with pytest.raises(FileFormatError) as caught:
        log_of(data, series, **changed)
    return caught.value


def roles(data: bytes, series: int = 6) -> dict[str, tuple[str, str]]:
    table = read_table(data)
    return {c.role: (table.names[c.column], c.unit) for c in guess_mapping(table, series=series).columns}


def test_a_plain_log_is_read_in_si_units():
    log = log_of(PLAIN).telemetry
    np.testing.assert_allclose(log.time_s, [0.0, 0.1, 0.2])
    np.testing.assert_allclose(log.pack_v, [24.9, 24.7, 24.6])
    np.testing.assert_allclose(log.current_a, [11.2, 14.0, 14.5])
    np.testing.assert_allclose(log.used_ah, [0.0, 0.001, 0.002])
    assert log.throttle is None
    assert log.armed is None


def test_temperature_and_altitude_are_read_for_looking_at():
    data = b"t (s),VBat (V),Temp (\xc2\xb0F),Alt (ft)\n0,24.9,68,0\n1,24.8,86,100\n2,24.7,104,200\n"
    assert roles(data)["temperature_c"] == ("Temp (°F)", "°F")
    log = log_of(data).telemetry
    np.testing.assert_allclose(log.temperature_c, [20.0, 30.0, 40.0])
    np.testing.assert_allclose(log.altitude_m, [0.0, 30.48, 60.96])


def test_columns_are_known_by_their_words_in_any_order():
    data = b"Thr;rxBatt (V);Cell min (V);Capa used (mAh);Curr (A);VBAT (V);Arm;Timestamp;Sats\n" + b"".join(
        f"{1100 + k};5.1;4.1;{k};10.5;24.8;1;{100 * k};9\n".encode() for k in range(5)
    )
    assert roles(data) == {
        "time_s": ("Timestamp", "ms"),
        "pack_v": ("VBAT (V)", "V"),
        "cell_v": ("Cell min (V)", "V"),
        "receiver_v": ("rxBatt (V)", "V"),
        "used_ah": ("Capa used (mAh)", "mAh"),
        "current_a": ("Curr (A)", "A"),
        "throttle": ("Thr", "us"),
        "armed": ("Arm", "yes"),
    }
    log = log_of(data).telemetry
    np.testing.assert_allclose(log.throttle, [0.1, 0.101, 0.102, 0.103, 0.104])
    np.testing.assert_allclose(log.time_s, [0.0, 0.1, 0.2, 0.3, 0.4])


@pytest.mark.parametrize(
    ("name", "number", "series", "unit", "volts"),
    [
        ("battery", "24.8", 6, "V", 24.8),
        ("battery", "24812", 6, "mV", 24.812),
        ("battery", "2481", 6, "cV", 24.81),
        ("battery", "248", 6, "dV", 24.8),
        ("battery", "4.1", 1, "V", 4.1),
        ("battery (mV)", "4100", 1, "mV", 4.1),
        ("battery_mV", "4100", 1, "mV", 4.1),
    ],
)
def test_units_of_volts_are_told_by_name_or_by_size(name, number, series, unit, volts):
    data = f"time,{name}\n0,{number}\n1,{number}\n".encode()
    assert roles(data, series)["pack_v"] == (name, unit)
    np.testing.assert_allclose(log_of(data, series).telemetry.pack_v, volts)


@pytest.mark.parametrize(
    ("times", "unit", "steps"),
    [
        (("0", "0.1", "0.3"), "s", (0.0, 0.1, 0.3)),
        (("1000", "1100", "1300"), "ms", (0.0, 0.1, 0.3)),
        (("1000000", "1100000", "1300000"), "us", (0.0, 0.1, 0.3)),
        (("0:59.9", "1:00.0", "1:00.2"), "clock", (0.0, 0.1, 0.3)),
        (("23:59:59.9", "00:00:00.0", "00:00:00.2"), "clock", (0.0, 0.1, 0.3)),
        (("2026-05-03 14:02:59.900", "2026-05-03 14:03:00", "2026-05-03T14:03:00.2"), "clock", (0.0, 0.1, 0.3)),
    ],
)
def test_times_come_as_seconds_counts_clocks_and_dates(times, unit, steps):
    data = ("time,volts\n" + "".join(f"{t},24.5\n" for t in times)).encode()
    assert roles(data)["time_s"] == ("time", unit)
    log = log_of(data).telemetry
    np.testing.assert_allclose(log.time_s - log.time_s[0], steps, atol=1e-6)


def test_decimal_commas_between_semicolons():
    log = log_of(b"Zeit time;Volts;Amps\n0,0;24,9;11,2\n0,1;24,7;14\n").telemetry
    np.testing.assert_allclose(log.pack_v, [24.9, 24.7])
    np.testing.assert_allclose(log.current_a, [11.2, 14.0])


@pytest.mark.parametrize("separator", [",", ";", "\t", "|"])
@pytest.mark.parametrize("coding", ["utf-8", "utf-8-sig", "utf-16"])
@pytest.mark.parametrize("ending", ["\n", "\r\n"])
def test_any_separator_coding_and_line_ending(separator, coding, ending):
    lines = [separator.join(row) for row in (("time", "volts"), ("0", "24.9"), ("1", "24.7"), ("2", "24.6"))]
    log = log_of((ending.join(lines) + ending).encode(coding)).telemetry
    np.testing.assert_allclose(log.pack_v, [24.9, 24.7, 24.6])


def test_lines_before_the_names_and_empty_cells_are_passed_over():
    data = b"log of 3 May\n\ntime,volts,amps\n0,24.9,\n1,,--\n2,24.6,12\n"
    log = log_of(data).telemetry
    np.testing.assert_allclose(log.pack_v, [24.9, np.nan, 24.6])
    np.testing.assert_allclose(log.current_a, [np.nan, np.nan, 12.0])


def test_a_last_line_that_is_cut_off_is_left_out_with_a_word():
    read = log_of(PLAIN + b"0.3,24")
    assert len(read.telemetry) == 3
    assert tuple(map(say, read.notes)) == ("Line 5, the last, is cut off and was left out.",)


@pytest.mark.parametrize(
    ("data", "line", "column", "words"),
    [
        (b"", None, None, "empty"),
        (b"\n \n", None, None, "empty"),
        (b"0.0,24.9\n0.1,24.7\n", 1, None, "should name the columns"),
        (b"time volts\n0.0 24.9\n0.1 24.7\n", 1, None, "Only one column"),
        (b"time,volts\none,two\nthree,four\n", 3, None, "no line of numbers"),
        (b"time,volts,amps\n0,0,24,9,11,2\n0,1,24,7,14,0\n", 2, None, "Decimal commas between commas"),
        (b"time,volts\n0,24.9\n1,high\n2,24.6\n", 3, 2, "“high” is not a number"),
        (b"time,volts\n0,24.9\n1,=2+3\n2,24.6\n", 3, 2, "“=2+3” is a formula"),
        (b"time,volts\n0,24.9\n1,@SUM(A1)\n2,24.6\n", 3, 2, "is a formula"),
        (b"time,volts\n0,24.9\n1,+cmd|' /C calc'!A0\n2,24.6\n", 3, 2, "is a formula"),
        (b"time,volts\n0,24.9\n1,1_000\n2,24.6\n", 3, 2, "not a number"),
        (b"time,volts\n0,24.9\n1,inf\n2,24.6\n", 3, 2, "not a number"),
        (b"time,volts\n0,24.9\n,24.8\n2,24.6\n", 3, 1, "no time"),
        (b"time,volts\n0,24.9\n5,24.8\n2,24.6\n3,24.5\n", 4, 1, "goes back from 5 s to 2 s"),
        (b"time,volts\n3,24.9\n2,24.8\n1,24.6\n", 2, None, "never goes forward"),
        (b"time,volts\n0,24.9\n1,24.8,7,7\n2,24.6\n", 3, None, "4 values where 2 columns"),
        (b"time,volts\n0,24.9\n1\n2,24.6\n", 3, None, "1 value where 2 columns"),
        (b"time,volts\n0,24.9\n1,24\x00.8\n2,24.6\n", 3, 5, "NUL byte"),
        (b'time,volts\n0,24.9\n1,"24.8\n2,24.6\n', 3, None, "quotes do not pair up"),
        (b"\x81\x8d\x8f" * 50, None, None, "not text"),
        (b"time,volts\n0,24.9\n", 1, None, "fewer than two lines"),
        (b"x,y\n0,24.9\n1,24.8\n", None, None, "which column is the time"),
        (b"time,height\n0,24.9\n1,24.8\n", None, None, "which column is the pack's voltage"),
    ],
)
def test_a_broken_log_is_refused_at_its_place(data, line, column, words):
    error = refusal(data)
    assert (error.line, error.column) == (line, column)
    assert words in str(error)


def test_two_hundred_megabytes_are_refused_by_their_size():
    with pytest.raises(FileFormatError, match="This file has 200 MB; up to 24 MB"):
        read_table(bytes(200_000_000))
    assert MOST_BYTES == 24_000_000


def test_text_in_numbers_can_be_taken_as_nothing_received():
    data = b"time,volts\n0,24.9\n1,high\n2,odd\n3,24.6\n"
    assert "So is one more cell, in line 4." in str(refusal(data))
    np.testing.assert_allclose(log_of(data, lenient=True).telemetry.pack_v, [24.9, np.nan, np.nan, 24.6])
    # A time is never left out without a word.
    assert refusal(b"time,volts\n0,24.9\nsoon,24.8\n2,24.6\n", lenient=True).line == 3


def test_one_of_two_flights_in_a_log_is_chosen():
    data = b"time,volts\n0,24.9\n1,24.8\n2,24.7\n0,16.4\n1,16.3\n"
    read = log_of(data, part=1)
    table = read_table(data)
    assert time_parts(table, guess_mapping(table, series=6)) == ((2, 4, 2.0), (5, 6, 1.0))
    np.testing.assert_allclose(read.telemetry.pack_v, [16.4, 16.3])
    assert tuple(map(say, read.notes)) == ("Only lines 5 to 6: the clock steps back around them.",)


def test_of_lines_with_the_same_time_the_last_counts():
    log = log_of(b"time,volts\n0,24.9\n0,24.8\n1,24.7\n").telemetry
    np.testing.assert_allclose(log.pack_v, [24.8, 24.7])


def test_a_column_that_is_not_there_is_refused():
    table = read_table(PLAIN)
    choices = (ColumnChoice(role="time_s", column=0, unit="s"), ColumnChoice(role="pack_v", column=9, unit="V"))
    with pytest.raises(FileFormatError, match="this file has not"):
        read_telemetry(table, Mapping(columns=choices))


@given(st.binary(max_size=400) | st.text(alphabet=',;\t"\n0123456789.-=xV\x00', max_size=400).map(str.encode))
def test_whatever_comes_is_read_or_refused(data):
    with suppress(FileFormatError):
        table = read_table(data)
        log = read_telemetry(table, guess_mapping(table, series=4)).telemetry
        assert (np.diff(log.time_s) > 0).all()


def test_a_clock_that_jumps_to_and_fro_is_no_clock():
    data = b"time,volts\n" + b"0,24.9\n1,24.8\n" * 60
    assert "The time goes back 59 times" in str(refusal(data))
    table = read_table(data)
    assert time_parts(table, guess_mapping(table, series=6)) == ()


def test_endless_names_are_cut():
    table = read_table(b"time," + b"v" * 5000 + b"\n0,24.9\n1,24.8\n")
    assert [len(n) for n in table.names] == [4, 60]


def flight_csv(header: str, *columns, lines: int = 120) -> bytes:
    """A made-up flight of a 6S pack: each column from its own function of the line."""
    return f"{header}\n".encode() + b"".join(
        (";".join(f"{column(k):g}" for column in columns) + "\n").encode() for k in range(lines)
    )


def seconds(k):
    return float(k)


def falling_v(k):
    return 24.9 - 0.02 * k - (1.2 if k % 10 == 0 else 0.0)


def steady_v(k):
    return 7.9


def used_mah(k):
    return 12.0 * k


def amps(k):
    return 40.0 if k % 10 == 0 else 9.0


@pytest.mark.parametrize(
    ("header", "pack"),
    [
        ("time;Battery (V);Volts B (V)", "Volts B (V)"),  # a steady supply under the better name
        ("time;VBat;Volt 2", "Volt 2"),
        ("time;Voltage;Sensor 4", "Sensor 4"),  # no telling name at all, and only it falls
    ],
)
def test_the_packs_voltage_is_the_one_that_falls(header, pack):
    assert roles(flight_csv(header, seconds, steady_v, falling_v))["pack_v"][0] == pack


def test_a_supply_of_the_packs_own_voltage_is_not_it():
    data = flight_csv("time;Battery (V);Volts B (V)", seconds, lambda k: 24.0, falling_v)
    assert roles(data)["pack_v"][0] == "Volts B (V)"


def test_time_in_italian_is_no_temperature():
    assert roles(flight_csv("Tempo (s);Tensione (V)", seconds, falling_v)) == {
        "time_s": ("Tempo (s)", "s"), "pack_v": ("Tensione (V)", "V"),
    }  # fmt: skip


def test_a_telling_name_wins_among_columns_that_fall():
    data = flight_csv("time;Sensor 4;Voltage", seconds, falling_v, lambda k: 24.8 - 0.015 * k)
    assert roles(data)["pack_v"] == ("Voltage", "V")
    # And with nothing that falls, the name is all there is.
    assert roles(flight_csv("time;Voltage", seconds, lambda k: 24.0))["pack_v"][0] == "Voltage"


def test_charge_used_grows_and_the_capacity_set_does_not():
    data = flight_csv("time;Capacity;Consumed;Volts", seconds, lambda k: 1300.0, used_mah, falling_v)
    assert roles(data)["used_ah"] == ("Consumed", "mAh")
    data = flight_csv("time;mAh used;mAh;Volts", seconds, lambda k: 1300.0 - k, used_mah, falling_v)
    assert roles(data)["used_ah"] == ("mAh", "mAh")


@pytest.mark.parametrize(
    ("low", "high", "unit", "idle", "full"),
    [
        (0.0, 1.0, "share", 0.0, 1.0), (0.0, 100.0, "%", 0.0, 1.0), (-100.0, 100.0, "both", 0.0, 1.0),
        (-1024.0, 1024.0, "counts", 0.0, 1.0), (-462.0, 562.0, "counts", 0.2744, 0.7744),
        (1000.0, 2000.0, "us", 0.0, 1.0),
    ],
)  # fmt: skip
def test_throttle_comes_in_five_ways(low, high, unit, idle, full):
    data = flight_csv("time;Thr;Volts", seconds, lambda k: low + (high - low) * (k % 5) / 4, falling_v)
    assert roles(data)["throttle"] == ("Thr", unit)
    throttle = log_of(data).telemetry.throttle
    assert (throttle.min(), throttle.max()) == (pytest.approx(idle, abs=1e-3), pytest.approx(full, abs=1e-3))


@pytest.mark.parametrize(
    "header",
    [
        "Zeit (s);Akkuspannung (V);Strom (A);Verbrauchte Kapazität (mAh);Gas (%);Höhe (m);Temperatur (°C)",
        "Temps (s);Tension batterie (V);Courant (A);Capacité consommée (mAh);Gaz (%);Altitude (m);Température (°C)",
        "Tiempo (s);Voltaje batería (V);Corriente (A);Consumido (mAh);Acelerador (%);Altura (m);Temperatura (°C)",
        "Tempo (s);Tensione batteria (V);Corrente (A);Consumato (mAh);Acceleratore (%);Quota (m);Temperatura (°C)",
        "Tijd (sec);Accuspanning (V);Stroom (A);Verbruikt (mAh);Gasstand (%);Hoogte (m);Temperatuur (°C)",
    ],
)
def test_columns_in_other_languages(header):
    data = flight_csv(
        header, seconds, falling_v, amps, used_mah, lambda k: 50.0 + k % 7, lambda k: 20.0, lambda k: 25.0
    )
    names = header.split(";")
    units = ("s", "V", "A", "mAh", "%", "m", "°C")
    keys = ("time_s", "pack_v", "current_a", "used_ah", "throttle", "altitude_m", "temperature_c")
    assert roles(data) == {key: (name, unit) for key, name, unit in zip(keys, names, units, strict=True)}


@pytest.mark.parametrize(
    ("name", "role"),
    [("Zellenspannung", "cell_v"), ("Empfängerspannung", "receiver_v"), ("Tension récepteur", "receiver_v")],
)
def test_grown_together_names(name, role):
    data = flight_csv(f"Zeit;Spannung;{name}", seconds, falling_v, lambda k: 4.1 if role == "cell_v" else 5.0)
    assert roles(data)[role][0] == name
    assert roles(data)["pack_v"][0] == "Spannung"


def test_armed_in_other_languages():
    data = b"Zeit;Spannung;Scharf\n0;24.9;nein\n1;24.8;ja\n2;24.7;ja\n"
    np.testing.assert_allclose(log_of(data).telemetry.armed, [0.0, 1.0, 1.0])


def csv_of(lines):
    return b"time,volts,more\n" + b"1,16,2\n" * lines


def test_more_lines_or_cells_than_a_flight_has_are_refused_before_anything_is_made_of_them(monkeypatch):
    monkeypatch.setattr(csv_table, "MOST_LINES", 100)
    assert read_table(csv_of(99)).count == 99
    for data in (csv_of(101), csv_of(101).replace(b"\n", b"\r"), b"a,b\n" + b"\n" * 200):
        with pytest.raises(FileFormatError, match="up to 100 are read"):
            read_table(data)
        with pytest.raises(FileFormatError, match="up to 100 are read"):
            read_named_rows(data)
    monkeypatch.setattr(csv_table, "MOST_CELLS", 250)
    assert read_table(csv_of(80)).count == 80
    with pytest.raises(FileFormatError, match="million cells"):
        read_table(csv_of(90))
    with pytest.raises(FileFormatError, match="million cells"):
        read_table(b"1," * 300)


def test_rows_are_read_again_as_often_as_they_are_asked_for_and_only_a_few_are_kept(monkeypatch):
    monkeypatch.setattr(csv_table, "_FIRST", 4)
    monkeypatch.setattr(csv_table, "_SPREAD", 10)
    text = "made by a radio\ntime,volts,\n" + "".join(f"{k},{16 - k / 100:.2f},\n\n" for k in range(40)) + "40"
    table = read_table(text.encode())
    assert table.count == 40
    for _ in range(2):
        blocks = list(table.blocks(16))
        assert [len(block[0]) for block in blocks] == [16, 16, 8]
        assert [cell for block in blocks for cell in block[0]] == [str(k) for k in range(40)]
        assert all(len(block) == 2 for block in blocks)
    assert len(table.first) == 4
    assert [row[0] for row in table.spread] == ["0", "9", "18", "27", "36"]
    assert list(table.lines[:3]) == [3, 5, 7]
    assert tuple(map(say, table.notes)) == ("Line 83, the last, is cut off and was left out.",)
    read = read_telemetry(table, guess_mapping(table, series=4))
    assert read.telemetry.pack_v.tolist() == pytest.approx([16 - k / 100 for k in range(40)])


@pytest.mark.parametrize("cell", ["9" * 400, "1e400", "-" + "9" * 400])
def test_a_number_beyond_all_numbers_is_none(cell):
    table = read_table(f"time,volts\n0,16\n1,{cell}\n2,{cell}\n".encode())
    assert not is_number(cell)
    time, volts = (
        ColumnChoice(role=r, column=k, unit=u) for k, (r, u) in enumerate([("time_s", "s"), ("pack_v", "V")])
    )
    mapping = Mapping(columns=(time, volts))
    with pytest.raises(FileFormatError, match=r"not a number\. So is one more cell, in line 4"):
        read_telemetry(table, mapping)
    guess_mapping(table, series=4)
