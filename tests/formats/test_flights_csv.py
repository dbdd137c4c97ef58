"""The log as CSV: it can be read again as a table, and no cell is a formula."""

from __future__ import annotations

import contextlib
import csv
import io
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.formats.csv_table import read_named_rows
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.flights_csv import COLUMNS, NamedFlight, as_flight, read_flights, write_flights
from zesty_cell.words.say import say

NOON = datetime(2026, 5, 3, 12, 0, 5, tzinfo=UTC)


def test_every_figure_stands_in_its_column():
    flight = LoggedFlight(
        landed_at=NOON, duration_s=612.5, pattern="cruise", timer_s=600, rest_v_per_cell=3.712,
        rest_after_s=300, shown_ah=2.5,
        put_back_ah=2.731, charged_v_per_cell=4.2, cells_v=(3.71, 3.72), air_c=-4.5, how="hard",
        landed_by="the call", distance_m=5240.0, top_speed_m_s=25.0, propellers="7 × 4", note="gusty, by the wall",
    )  # fmt: skip
    plain = LoggedFlight(landed_at=NOON, duration_s=300, pattern="cruise", note="=1+1", set_aside="@home")
    text = write_flights([NamedFlight("Heron", "Pomelo 1", flight), NamedFlight("Heron", "Pomelo 1", plain)])
    names, *rows = csv.reader(io.StringIO(text))
    assert tuple(names) == COLUMNS
    assert rows[0] == [
        "2026-05-03 12:00:05", "Heron", "Pomelo 1", "cruise", "612.5", "600", "3.712", "300", "2500", "2731", "4.2",
        "",
        "3.71 3.72", "", "", "-4.5", "", "yes", "hard", "the call", "5.24", "90",
        "7 × 4", "gusty, by the wall", "",
    ]  # fmt: skip
    assert rows[1] == [
        "2026-05-03 12:00:05", "Heron", "Pomelo 1", "cruise", "300", "", "", "", "", "", "", "", "", "", "", "", "",
        "yes", "as planned", "", "", "", "", "'=1+1", "'@home",
    ]  # fmt: skip


def full_flight(**changes) -> LoggedFlight:
    return LoggedFlight.model_validate(
        dict(
            landed_at=NOON, duration_s=612.5, pattern="cruise", timer_s=600, rest_v_per_cell=3.712,
        rest_after_s=300, shown_ah=2.5,
            put_back_ah=2.731, charged_v_per_cell=4.2, charged_at=datetime(2026, 5, 4, 8, 0, tzinfo=UTC),
            cells_v=(3.71, 3.72), resistance_ohm=0.0123, charger_c=21.5, air_c=-4.5, hottest_c=38.0,
            began_full=False, how="hard", note="=1+1", set_aside="@home",
            distance_m=5240.0, top_speed_m_s=25.0, propellers="7 × 4", landed_by="enough",
        )
        | changes
    )  # fmt: skip


def read(text: str, **more):
    return read_flights(read_named_rows(text.encode()), **more)


def test_what_is_written_is_read_back_figure_by_figure():
    flight = full_flight()
    [line] = read(write_flights([NamedFlight("Heron", "Pomelo 1", flight)])).lines
    assert (line.craft, line.pack, line.wrong) == ("Heron", "Pomelo 1", "")
    assert as_flight(line, series=2, pattern="other") == flight


@pytest.mark.parametrize(
    ("name", "text", "metres"),
    [("distance (km)", "5.2", 5200), ("distance (m)", "5200", 5200), ("distance (mi)", "2", 3218.688)],
)
def test_a_distance_in_its_unit(name, text, metres):
    [line] = read(f"date,craft,pack,flew (s),{name}\n2026-05-03 12:00,Heron,Pomelo 1,600,{text}\n").lines
    assert as_flight(line, series=6, pattern="cruise").distance_m == pytest.approx(metres)


@pytest.mark.parametrize(
    ("name", "text", "speed"),
    [("top speed (km/h)", "90", 25), ("top speed (mph)", "50", 22.352), ("fastest (m/s)", "9", 9)],
)
def test_a_speed_in_its_unit(name, text, speed):
    [line] = read(f"date,craft,pack,flew (s),{name}\n2026-05-03 12:00,Heron,Pomelo 1,600,{text}\n").lines
    assert as_flight(line, series=6, pattern="cruise").top_speed_m_s == pytest.approx(speed)


def test_any_order_other_names_other_units_and_decimal_commas():
    text = (
        "pack;air (°F);flew (min);craft;date (UTC);put back (Ah);rest (V of the pack);cells;colour\n"
        "Pomelo 1;50;10,5;Heron;2026-05-03T12:00:05Z;2,731;22,2;3,71 3,70;red\n"
    )
    log = read(text)
    flight = as_flight(log.lines[0], series=6, pattern="cruise")
    assert log.unknown == ("colour",)
    assert (flight.duration_s, flight.put_back_ah, flight.pattern) == (630.0, 2.731, "cruise")
    assert flight.rest_v_per_cell == pytest.approx(3.7)
    assert flight.air_c == pytest.approx(10.0)
    assert flight.cells_v == (3.71, 3.7)
    clock = read(text.replace("flew (min)", "flew (m:ss)").replace("10,5", "10:30"))
    assert as_flight(clock.lines[0], series=6, pattern="cruise").duration_s == 630.0


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (("put back (mAh)", "put back (cups)"), "Line 1, column 10: “put back (cups)”: the unit “cups”"),
        (("craft", "plane"), "No column is named “craft”"),
        (("landed at (UTC),craft", "first,second"), "“landed at”, “craft”"),
    ],
)
def test_a_first_line_that_names_too_little_is_refused(change, words):
    text = write_flights([NamedFlight("Heron", "Pomelo 1", full_flight())]).replace(*change, 1)
    with pytest.raises(FileFormatError) as error:
        read(text)
    assert words in str(error.value)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (("612.5", "ten"), "“flew (s)”: “ten” is not a number."),
        (("612.5", ""), "“flew (s)” is missing."),
        (("2026-05-03 12:00:05", "yesterday"), "is no moment such as"),
        (("2731", "=2731"), "“=2731” is not a number."),
        (("3.71 3.72", "3.71 x"), "not numbers with spaces between"),
        (("2500", "1_000"), "is not a number"),
        (("2500", "nan"), ""),
        (("2500", "inf"), "is not a number"),
    ],
)
def test_a_wrong_value_is_told_with_its_column_and_the_others_are_read(change, words):
    good = NamedFlight("Heron", "Pomelo 1", full_flight())
    text = write_flights([good, good])
    first, second, third = text.split("\n")[:3]
    lines = read("\n".join([first, second.replace(*change, 1), third])).lines
    assert words in say(lines[0].wrong)
    assert lines[1].wrong == ""
    assert [line.line for line in lines] == [2, 3]


def test_a_figure_out_of_bounds_is_told_by_the_name_of_its_column():
    [line] = read(write_flights([NamedFlight("Heron", "Pomelo 1", full_flight())]).replace("612.5", "2")).lines
    with pytest.raises(ValueError, match=r"“flew \(s\)”: at least 5 s"):
        as_flight(line, series=6, pattern="cruise")


@pytest.mark.parametrize(
    ("head", "value", "words"),
    [
        ("flew (min)", "0.01", "“flew (min)”: at least 0.0833 min"),
        ("flew (m:ss)", "0:02", "“flew (m:ss)”: at least 0:05"),
        ("flew", "900000", "“flew”: at most 14400 s"),
        ("put back (mAh)", "-5", "“put back (mAh)”: at least 1 mAh"),
        ("rest (V of the pack)", "90", "“rest (V of the pack)”: at most 27 V"),
        ("air (°F)", "400", "“air (°F)”: at most 131 °F"),
    ],
)
def test_a_limit_is_said_in_the_unit_of_its_column(head, value, words):
    named, values = ("", "") if head.startswith("flew") else (",flew (s)", ",600")
    [line] = read(f"landed at,craft,pack{named},{head}\n2026-05-03 14:02,Heron,Pomelo 1{values},{value}\n").lines
    with pytest.raises(FileFormatError) as wrong:
        as_flight(line, series=6, pattern="cruise")
    assert str(wrong.value) == words


def test_a_line_with_more_values_than_columns_is_not_guessed_at():
    text = write_flights([NamedFlight("Heron", "Pomelo 1", full_flight())]).rstrip("\n") + ",and more\n"
    assert "More values than columns" in say(read(text).lines[0].wrong)


LOCAL = "landed at,craft,pack,flew (s)\n{},Heron,Pomelo 1,600\n"
BERLIN = ZoneInfo("Europe/Berlin")


def test_a_moment_without_a_zone_is_of_the_pilots_own():
    [line] = read(LOCAL.format("2026-07-01 14:02"), zone=BERLIN).lines
    assert line.values["landed_at"] == datetime(2026, 7, 1, 12, 2, tzinfo=UTC)
    [line] = read(LOCAL.format("2026-07-01T14:02:00-05:00"), zone=BERLIN).lines
    assert line.values["landed_at"] == datetime(2026, 7, 1, 19, 2, tzinfo=UTC)


def test_clock_changes_are_told():
    [gone] = read(LOCAL.format("2026-03-29 02:30"), zone=BERLIN).lines
    assert "02:30 was not that day: the clocks went forward" in say(gone.wrong)
    [twice] = read(LOCAL.format("2026-10-25 02:30"), zone=BERLIN).lines
    assert twice.wrong == ""
    assert "came twice that day; taken as the first" in say(twice.note)
    assert twice.values["landed_at"] == datetime(2026, 10, 25, 0, 30, tzinfo=UTC)


@settings(max_examples=60)
@given(text=st.text(max_size=300) | st.binary(max_size=300).map(lambda b: b.decode("latin-1")))
def test_no_text_breaks_it(text):
    with contextlib.suppress(FileFormatError):
        for line in read("landed at,craft,pack,flew\n" + text).lines:
            assert line.wrong or line.values
            with contextlib.suppress(ValueError):
                as_flight(line, series=4, pattern="cruise")
