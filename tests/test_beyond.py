"""Starting beyond this machine: only over TLS, with devices, and said in words."""

from __future__ import annotations

import io
import socket
import sqlite3

import pytest

from zesty_cell import beyond, serving
from zesty_cell.beyond import lan_network, open_devices, tell_code
from zesty_cell.cli import main
from zesty_cell.network import BeyondError
from zesty_cell.network.devices import MOST_CODES
from zesty_cell.network.listeners import Lan


@pytest.fixture
def database(tmp_path):
    path = tmp_path / "club.sqlite"
    sqlite3.connect(path).close()
    return path


def test_plain_http_beyond_this_machine_is_not_served(capsys, database):
    assert main(["serve", "--host", "0.0.0.0", "--database", str(database)]) == 2
    told = capsys.readouterr().err
    assert "--lan" in told
    assert "--behind-proxy" in told


def test_a_network_and_a_proxy_are_two_ways(capsys):
    with pytest.raises(SystemExit):
        main(["serve", "--lan", "--behind-proxy", "127.0.0.1"])
    assert "not allowed with" in capsys.readouterr().err


def test_a_code_is_told_in_a_picture_and_in_words(database):
    devices = open_devices(database)
    told = io.StringIO()
    tell_code(
        devices, "field", url="https://192.168.1.20:8767/pair", certificate_url="http://192.168.1.20:8768/", to=told
    )
    words = told.getvalue()
    assert "█" in words
    assert "https://192.168.1.20:8767/pair and type" in words
    assert "http://192.168.1.20:8768/" in words
    for _ in range(MOST_CODES):
        tell_code(devices, "field", url="", to=io.StringIO())
    refused = io.StringIO()
    tell_code(devices, "field", url="", to=refused)
    assert "within an hour" in refused.getvalue()
    devices.close()


def test_pair_gives_a_code_for_a_server_that_runs(capsys, database):
    assert main(["pair", "--right", "everything", "--database", str(database)]) == 0
    code = capsys.readouterr().out.split("type ")[1].strip()
    devices = open_devices(database)
    assert devices.pair(code, "The laptop")[1].right == "everything"
    devices.close()


def test_pair_says_where_there_is_nothing(capsys, tmp_path):
    assert main(["pair", "--database", str(tmp_path / "nothing.sqlite")]) == 2
    assert "there is nothing" in capsys.readouterr().err
    assert not (tmp_path / "nothing.network").exists()


def test_a_list_of_devices_that_cannot_be_read_says_what_to_do(capsys, database):
    folder = beyond.own_folder(database)
    (folder / "devices.sqlite").write_bytes(b"no database at all" * 100)
    assert main(["pair", "--database", str(database)]) == 2
    assert "Delete it and pair anew" in capsys.readouterr().err


def test_a_port_that_is_taken_is_a_word(database):
    with socket.create_server(("0.0.0.0", 0)) as taken, socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
        free.close()
        with pytest.raises(BeyondError, match=f"port {taken.getsockname()[1]}"):
            lan_network(database, port=taken.getsockname()[1], certificate_port=port)
        with pytest.raises(BeyondError, match=f"port {taken.getsockname()[1]}"):
            lan_network(database, port=port, certificate_port=taken.getsockname()[1])
        # What was opened before it is closed again.
        socket.create_server(("0.0.0.0", port)).close()


def test_a_machine_that_moves_shows_another_certificate(database, monkeypatch):
    from zesty_cell.network import listeners
    from zesty_cell.network.authority import Authority, own_folder

    here = ["192.168.1.20"]
    monkeypatch.setattr(listeners, "present_addresses", lambda: tuple(here))
    monkeypatch.setattr(listeners, "present_names", lambda: ("lighthouse", "lighthouse.local"))
    lan = Lan(Authority(own_folder(database), names=("lighthouse", "lighthouse.local")), 8767, 8768)
    assert lan.url("/field") == "https://192.168.1.20:8767/field"
    assert lan.certificate_url == "http://192.168.1.20:8768/"
    assert not lan.look_again()
    here[:] = ["10.0.0.4"]
    assert lan.look_again()
    assert "10.0.0.4" in lan.files.addresses
    assert lan.url() == "https://10.0.0.4:8767"
    here.clear()
    assert lan.look_again()
    assert (lan.url("/field"), lan.certificate_url) == ("", "")


def test_what_the_terminal_says_without_a_network(capsys, database, monkeypatch):
    from zesty_cell.network import Network, listeners
    from zesty_cell.network.authority import Authority, own_folder

    monkeypatch.setattr(listeners, "present_addresses", tuple)
    lan = Lan(Authority(own_folder(database), names=()), 8767, 8768)
    devices = open_devices(database)
    arguments = type("Arguments", (), {"host": "127.0.0.1", "port": 8765})
    serving._say_where(arguments, Network(devices=devices, lan=lan))
    assert "There is no network now" in capsys.readouterr().out
    serving._say_where(arguments, Network(devices=devices, proxy="10.0.0.2"))
    assert "through the proxy is paired first" in capsys.readouterr().out
    devices.close()
