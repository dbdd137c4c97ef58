"""The command line, as a person would run it."""

from __future__ import annotations

import io
import json
import socket
import sys

import pytest

from tests.sheets import sheet
from zesty_cell.cli import main
from zesty_cell.formats.sheet_json import write_sheet
from zesty_cell.store.database import Database


def test_forecast_of_a_file_prints_what_to_set(tmp_path, capsys):
    path = tmp_path / "sheet.json"
    path.write_text(write_sheet(sheet()))
    assert main(["forecast", str(path)]) == 0
    out = capsys.readouterr().out
    assert "Be on the ground at" in out
    assert "pack low" in out
    assert "Checks" in out


def test_forecast_of_standard_input_as_json(monkeypatch, capsys):
    class Stdin:
        buffer = io.BytesIO(write_sheet(sheet()).encode())

    monkeypatch.setattr(sys, "stdin", Stdin)
    assert main(["forecast", "-", "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["landing_reason"] == "charge used"


@pytest.mark.parametrize(("content", "words"), [(None, "cannot read"), ("{", "Line 1"), ("{}", "not a Zesty Cell")])
def test_bad_files_end_with_a_word_and_status_two(tmp_path, capsys, content, words):
    path = tmp_path / "sheet.json"
    if content is not None:
        path.write_text(content)
    assert main(["forecast", str(path)]) == 2
    assert words in capsys.readouterr().err


def test_a_port_that_is_taken_is_a_word_and_not_a_trace(tmp_path, capsys):
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = str(taken.getsockname()[1])
        assert main(["serve", "--port", port, "--database", str(tmp_path / "x.sqlite")]) == 2
    assert "--port" in capsys.readouterr().err


def test_schema_sheet_prints_a_json_schema(capsys):
    assert main(["schema", "sheet"]) == 0
    assert json.loads(capsys.readouterr().out)["$schema"].startswith("https://json-schema.org")


@pytest.mark.parametrize(
    "arguments", [["serve", "--port", "0"], ["serve", "--host", "moon"], ["schema", "moon"], []]
)
def test_wrong_arguments_are_refused(arguments, capsys):
    with pytest.raises(SystemExit) as caught:
        main(arguments)
    assert caught.value.code == 2
    assert "usage" in capsys.readouterr().err


def test_schema_callouts_prints_a_json_schema(capsys):
    assert main(["schema", "callouts"]) == 0
    assert json.loads(capsys.readouterr().out)["title"] == "Zesty Cell callouts"


def test_a_taken_port_of_the_bench_transmitter_is_a_word(capsys):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        assert main(["bench-transmitter", "--port", str(taken.getsockname()[1])]) == 2
    assert "is taken" in capsys.readouterr().err


def test_backup_and_restore_from_the_command_line(tmp_path, capsys):
    place, file, new = tmp_path / "mine.sqlite", tmp_path / "mine.backup", tmp_path / "new.sqlite"
    Database(place).close()
    assert main(["backup", str(file), "--database", str(place)]) == 0
    assert "whole and checked" in capsys.readouterr().out
    assert main(["restore", str(file), "--database", str(new)]) == 0
    assert "0 sheets, 0 flights" in capsys.readouterr().out
    assert new.exists()
    assert main(["backup", str(file), "--database", str(place)]) == 2
    assert "is there already" in capsys.readouterr().err
    assert main(["restore", str(tmp_path / "none"), "--database", str(place)]) == 2
    assert "Nothing was changed" in capsys.readouterr().err
