"""Discharge files of any charger or load: what their columns are, and what of them is refused where."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.discharge.test_discharge import a_pack
from zesty_cell.core.errors import OutOfRangeError, ZestyCellError
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.discharge_csv import DischargeColumn, DischargeMapping, guess_discharge, read_discharge
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.standins.discharger import Discharger, HiddenPack, Setting
from zesty_cell.words.say import say


def a_file(head: str, line, *, lines: int = 120) -> bytes:
    return "\n".join([head, *(line(k) for k in range(lines))]).encode()


def read(data: bytes, *, series: int = 4, **change):
    table = read_table(data)
    mapping = guess_discharge(table, series=series).model_copy(update=change)
    return read_discharge(table, mapping), mapping


def roles(mapping) -> dict[str, tuple[int, str]]:
    return {c.role: (c.column, c.unit) for c in mapping.columns}


def test_the_stand_ins_file_is_read_with_its_cells():
    pack = a_pack()
    data = Discharger(seed=3).csv(HiddenPack(pack, seed=3), Setting(amps=1.5, cutoff_v=13.2, every_s=10.0))
    found, mapping = read(data)
    assert roles(mapping) == {
        "time_s": (0, "s"), "pack_v": (1, "V"), "current_a": (2, "A"), "used_ah": (3, "mAh"),
        "temperature_c": (4, "°C"), "cell_1": (5, "V"), "cell_2": (6, "V"), "cell_3": (7, "V"), "cell_4": (8, "V"),
    }  # fmt: skip
    assert found.run.cells_v.shape[0] == 4
    assert found.run.rest_v == pytest.approx(16.8, abs=0.05)
    assert found.run.total_ah == pytest.approx(1.559)


@pytest.mark.parametrize(
    ("head", "line", "expected"),
    [
        (
            "Time(ms),Voltage(mV),Current(mA),Capacity(mAh)",
            lambda k: f"{k * 10000},{16000 - 10 * k},2000,{k * 5.5:.0f}",
            {"time_s": (0, "ms"), "pack_v": (1, "mV"), "current_a": (2, "mA"), "used_ah": (3, "mAh")},
        ),
        (
            "Zeit;Spannung V;Strom A;Entnommen Ah;Akkutemperatur",
            lambda k: f"{k * 10};{16 - 0.01 * k:.2f};2,0;{k * 0.0055:.4f};2{k % 9},0".replace(".", ","),
            {
                "time_s": (0, "s"), "pack_v": (1, "V"), "current_a": (2, "A"), "used_ah": (3, "Ah"),
                "temperature_c": (4, "°C"),
            },
        ),
        (
            "temps,tension,courant,element 1,element 2",
            lambda k: f"{k * 10},{8 - 0.01 * k:.2f},2.0,{4 - 0.005 * k:.3f},{4 - 0.005 * k:.3f}",
            {"time_s": (0, "s"), "pack_v": (1, "V"), "current_a": (2, "A"), "cell_1": (3, "V"), "cell_2": (4, "V")},
        ),
    ],
)  # fmt: skip
def test_columns_are_known_by_their_words_and_sizes(head, line, expected):
    series = 2 if "element" in head else 4
    found, mapping = read(a_file(head, line), series=series)
    assert roles(mapping) == expected
    assert found.run.mean_a == pytest.approx(2.0, rel=0.02)
    assert found.run.pack_v[0] == pytest.approx(16.0 if series == 4 else 8.0)


def test_without_a_voltage_of_the_pack_its_cells_are_summed():
    found, mapping = read(
        a_file("t,amps,cell1,cell2", lambda k: f"{k},3,{4 - 0.004 * k:.3f},{3.9 - 0.004 * k:.3f}")
    )
    assert mapping.of("pack_v") is None
    assert found.run.pack_v[0] == pytest.approx(7.9)


def test_of_a_cycle_the_longest_discharge_is_taken_with_its_rest():
    def line(k):
        amps = 1.0 if k < 100 else 0.0 if k < 110 else -2.0 if k < 250 else 0.0 if k < 260 else 1.0
        volts = 14 + 0.02 * k if k < 100 else 16.0 if k < 110 else 16 - 0.02 * (k - 110) if k < 250 else 14.0
        return f"{10 * k},{volts:.3f},{amps}"

    found, _ = read(a_file("time,voltage,current", line, lines=360))
    assert found.run.total_ah == pytest.approx(2.0 * 1400 / 3600, rel=0.02)
    assert found.run.rest_v == 16.0
    assert any("longest discharge of several" in say(note) for note in found.notes)


@pytest.mark.parametrize(
    ("data", "line", "words"),
    [
        (a_file("time,voltage,current", lambda k: f"{k if k < 50 else k - 40},15,2"), 52, "goes back"),
        (a_file("time,voltage,current", lambda k: f"{k},{'=1+1' if k == 7 else 15},2"), 9, "formula"),
        (a_file("time,voltage,current", lambda k: f"{k},{'low' if k == 7 else 15},2"), 9, "not a number"),
        (a_file("time,voltage,current", lambda k: f"{'' if k == 7 else k},15,2"), 9, "no time"),
        (b"time,voltage,current\n", 1, "no line of numbers"),
    ],
)
def test_what_is_wrong_is_told_with_its_line(data, line, words):
    with pytest.raises(FileFormatError, match=words) as refused:
        read(data)
    assert refused.value.line == line


def test_text_in_numbers_counts_as_nothing_where_one_says_so():
    data = a_file("time,voltage,current", lambda k: f"{k},{'low' if k == 7 else 16 - 0.01 * k},2")
    found, _ = read(data, lenient=True)
    assert found.run.time_s.size == 119


def test_time_voltage_and_current_are_asked_for():
    data = a_file("time,voltage", lambda k: f"{k},{16 - 0.01 * k}")
    with pytest.raises(OutOfRangeError, match="which current was set"):
        read(data)
    found, mapping = read(data, held_a=3.6)
    assert found.run.total_ah == pytest.approx(119 * 3.6 / 3600)
    table = read_table(data)
    for missing, words in (("time_s", "which column is the time"), ("pack_v", "which column is the voltage")):
        columns = tuple(c for c in mapping.columns if c.role != missing)
        with pytest.raises(FileFormatError, match=words):
            read_discharge(table, DischargeMapping(columns=columns, held_a=1.0))
    beyond = (*mapping.columns, DischargeColumn(role="current_a", column=9, unit="A"))
    with pytest.raises(FileFormatError, match="has not"):
        read_discharge(table, DischargeMapping(columns=beyond))


def test_one_thing_is_one_column():
    column = DischargeColumn(role="pack_v", column=1, unit="V")
    with pytest.raises(ValidationError, match="taken for the same"):
        DischargeMapping(columns=(column, column))
    with pytest.raises(ValidationError):
        DischargeColumn(role="cell_25", column=1, unit="V")


_CELLS = st.sampled_from(["1", "-2.5", "0", "", "nan", "x", "9e99", "16,4", "1:02"])
_ROWS = st.lists(st.lists(_CELLS, min_size=4, max_size=4), min_size=2, max_size=40)


@settings(max_examples=60, deadline=None)
@given(_ROWS, st.sampled_from(["time,voltage,current,cell 1", "a;b;c;d", "t\tV\tA\tmAh"]))
def test_any_table_is_read_or_refused_in_words(rows, head):
    separator = next(s for s in ",;\t" if s in head)
    data = "\n".join([head, *(separator.join(row) for row in rows)]).encode()
    try:
        found, _ = read(data, held_a=1.0)
    except ZestyCellError as error:
        words = str(error)
        assert words
        return
    assert np.isfinite(found.run.pack_v).all()
    assert found.run.total_ah > 0.0
