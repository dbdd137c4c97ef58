"""Who is this machine itself, and which of its addresses a phone can use."""

from __future__ import annotations

import socket

import pytest

from zesty_cell.network import addresses
from zesty_cell.network.addresses import is_loopback, is_private, present_addresses, present_names


@pytest.mark.parametrize(
    ("address", "itself"),
    [
        ("127.0.0.1", True), ("127.8.9.1", True), ("::1", True), ("::ffff:127.0.0.1", True),
        ("192.168.1.20", False), ("::ffff:192.168.1.20", False), ("fe80::1", False), ("8.8.8.8", False),
        ("", False), ("localhost", False), ("127.0.0.1.example", False), ("0.0.0.0", False),
    ],
)  # fmt: skip
def test_this_machine_itself(address, itself):
    assert is_loopback(address) is itself


@pytest.mark.parametrize(
    ("address", "private"),
    [
        ("10.0.0.1", True), ("172.16.0.1", True), ("172.31.255.255", True), ("172.32.0.1", False),
        ("192.168.255.1", True), ("192.169.0.1", False), ("169.254.3.4", True), ("100.64.0.1", True),
        ("100.63.255.255", False), ("100.128.0.0", False), ("8.8.8.8", False), ("::1", False), ("home", False),
    ],
)  # fmt: skip
def test_private_networks(address, private):
    assert is_private(address) is private


class Interface:
    def __init__(self, family, address):
        self.family, self.address = family, address


def test_present_addresses_are_those_a_phone_can_reach(monkeypatch):
    found = {
        "lo": [Interface(socket.AF_INET, "127.0.0.1")],
        "eth": [Interface(socket.AF_INET, "10.0.0.9"), Interface(socket.AF_INET6, "fe80::1")],
        "wifi": [Interface(socket.AF_INET, "192.168.1.20"), Interface(socket.AF_INET, "192.168.1.3")],
        "dsl": [Interface(socket.AF_INET, "9.9.9.9")],
    }
    monkeypatch.setattr(addresses.psutil, "net_if_addrs", lambda: found)
    monkeypatch.setattr(addresses, "_way_out", lambda: "192.168.1.20")
    assert present_addresses() == ("192.168.1.20", "10.0.0.9", "192.168.1.3")
    monkeypatch.setattr(addresses, "_way_out", lambda: "9.9.9.9")
    assert present_addresses() == ("10.0.0.9", "192.168.1.3", "192.168.1.20")


@pytest.mark.parametrize(
    ("called", "names"),
    [
        ("Lighthouse.example.org", ("lighthouse", "lighthouse.local")), ("localhost", ()), ("", ()),
        ("Käthe", ()), ("a" * 64, ()), ("two words", ()),
    ],
)  # fmt: skip
def test_names(monkeypatch, called, names):
    monkeypatch.setattr(socket, "gethostname", lambda: called)
    assert present_names() == names
