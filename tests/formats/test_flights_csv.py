"""The log as CSV: it can be read again as a table, and no cell is a formula."""

from __future__ import annotations

from datetime import UTC, datetime

from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.flights_csv import COLUMNS, NamedFlight, write_flights

NOON = datetime(2026, 5, 3, 12, 0, 5, tzinfo=UTC)


def test_every_figure_stands_in_its_column():
    flight = LoggedFlight(
        landed_at=NOON, duration_s=612.5, pattern="cruise", timer_s=600, rest_v_per_cell=3.712, shown_ah=2.5,
        put_back_ah=2.731, charged_v_per_cell=4.2, cells_v=(3.71, 3.72), air_c=-4.5, how="hard",
        note="gusty, by the wall",
    )  # fmt: skip
    plain = LoggedFlight(landed_at=NOON, duration_s=300, pattern="cruise", note="=1+1", set_aside="@home")
    text = write_flights([NamedFlight("Heron", "Pomelo 1", flight), NamedFlight("Heron", "Pomelo 1", plain)])
    table = read_table(text.encode())
    assert table.names == COLUMNS
    assert table.rows[0] == [
        "2026-05-03 12:00:05", "Heron", "Pomelo 1", "cruise", "612.5", "600", "3.712", "2500", "2731", "4.2",
        "3.71 3.72", "-4.5", "hard", "gusty, by the wall", "",
    ]  # fmt: skip
    assert table.rows[1] == [
        "2026-05-03 12:00:05", "Heron", "Pomelo 1", "cruise", "300", "", "", "", "", "", "", "", "as planned",
        "'=1+1", "'@home",
    ]  # fmt: skip
