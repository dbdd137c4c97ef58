"""Starting beyond this machine: its network made ready, and said on the terminal."""

from __future__ import annotations

import socket
import sys
from pathlib import Path
from typing import TextIO

from sqlalchemy.exc import DatabaseError

from zesty_cell.network import BeyondError, Network
from zesty_cell.network.addresses import present_names
from zesty_cell.network.authority import Authority, own_folder
from zesty_cell.network.devices import Devices, PairingError, Right
from zesty_cell.network.listeners import Beyond, Lan


def open_devices(database: Path) -> Devices:
    """The devices of a database.

    Raises
    ------
    BeyondError
        When their file cannot be read.
    """
    path = own_folder(database) / "devices.sqlite"
    try:
        return Devices(path)
    except DatabaseError as error:
        raise BeyondError(
            f"The list of paired devices, {path.parent.name}/{path.name}, cannot be read. Delete it and pair anew."
        ) from error


def _listen(port: int) -> socket.socket:
    try:
        return socket.create_server(("0.0.0.0", port))  # noqa: S104 - over TLS and for paired devices
    except OSError as error:
        raise BeyondError(f"cannot listen on port {port} beyond this machine: {error.strerror}.") from error


def lan_network(database: Path, *, port: int, certificate_port: int) -> tuple[Network, Beyond]:
    """The network of ``--lan``: its authority, its devices, its listeners.

    Raises
    ------
    BeyondError
        When a port is taken or the devices cannot be read.
    AuthorityError
        When what is kept of the authority cannot be used.
    """
    from zesty_cell.web.phone.certificate_app import create_certificate_app

    folder = own_folder(database)
    lan = Lan(Authority(folder, names=present_names()), port, certificate_port)
    secure = _listen(port)
    try:
        plain = _listen(certificate_port)
    except BeyondError:
        secure.close()
        raise
    network = Network(devices=open_devices(database), lan=lan)
    return network, Beyond(lan, secure, plain, create_certificate_app(lan))


def tell_code(
    devices: Devices, right: Right, *, url: str, certificate_url: str = "", to: TextIO | None = None
) -> None:
    """Say on the terminal how a device is paired: a code to scan, and the same in words."""
    import segno

    to = sys.stdout if to is None else to
    try:
        code = devices.new_code(right)
    except PairingError as error:
        print(str(error), file=to, flush=True)
        return
    lines = [f"Right: {right}. Good for five minutes, once."]
    if url:
        address = f"{url}?code={code.code}"
        segno.make(address, error="m", micro=False).terminal(out=to, compact=True)
        lines.append(f"Scan it, or open {url} and type {code.shown}")
    else:
        lines.append(f"On the device open /pair and type {code.shown}")
    if certificate_url:
        lines.append(f"First, once a phone: have it trust this machine, {certificate_url}")
    print("\n".join(lines), file=to, flush=True)
