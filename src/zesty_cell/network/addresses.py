"""Where this machine is found on its network, and who asks from where."""

from __future__ import annotations

import ipaddress
import socket
from contextlib import suppress
from typing import Final

import psutil

#: What a home, a hall and a hotspot give out (RFC 1918, 3927, 6598), and networks of laboratories (RFC 2544,
#: 5737): no address of the open internet.  The authority vouches for nothing else.
PRIVATE: Final = tuple(
    ipaddress.IPv4Network(text)
    for text in (
        "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "100.64.0.0/10", "127.0.0.0/8",
        "198.18.0.0/15", "192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24",
    )
)  # fmt: skip
#: Documentation addresses (RFC 5737): nothing is sent, only asked which way it would go.
_ANYWHERE: Final = ("192.0.2.1", 9)


def is_private(address: str) -> bool:
    """Whether an IPv4 address is of a network that is not the open one."""
    with suppress(ValueError):
        found = ipaddress.ip_address(address)
        return isinstance(found, ipaddress.IPv4Address) and any(found in net for net in PRIVATE)
    return False


def is_loopback(address: str) -> bool:
    """Whether a peer is this machine itself, an IPv4 address in IPv6's clothes too."""
    try:
        found = ipaddress.ip_address(address)
    except ValueError:  # no address at all: nobody is trusted for it
        return False
    if isinstance(found, ipaddress.IPv6Address) and found.ipv4_mapped is not None:
        found = found.ipv4_mapped
    return found.is_loopback


def _way_out() -> str:
    """This machine's address on the way to the rest of the world; empty where there is none."""
    with suppress(OSError), socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        probe.connect(_ANYWHERE)
        return str(probe.getsockname()[0])
    return ""


def present_addresses() -> tuple[str, ...]:
    """Private IPv4 addresses beyond loopback, the one on the way out first."""
    found = {
        item.address
        for items in psutil.net_if_addrs().values()
        for item in items
        if item.family == socket.AF_INET and is_private(item.address) and not is_loopback(item.address)
    }
    first = _way_out()
    return tuple(sorted(found, key=lambda address: (address != first, ipaddress.IPv4Address(address))))


def present_names() -> tuple[str, ...]:
    """The machine's own name, and the one that multicast DNS gives it; empty where it has none of use."""
    name = socket.gethostname().partition(".")[0].lower()
    good = bool(name) and len(name) <= 63 and all(c.isascii() and (c.isalnum() or c == "-") for c in name)
    return (name, f"{name}.local") if good and name != "localhost" else ()
