"""Who asks, and by which network."""

from __future__ import annotations

from fastapi import Request

from zesty_cell.network import Network
from zesty_cell.network.devices import Device
from zesty_cell.paired import ASKED_BY


def network_of(request: Request) -> Network:
    """How the application is reached."""
    network: Network = request.app.state.network
    return network


def asked_by(request: Request) -> Device | None:
    """The device that asks; None for this machine itself."""
    device: Device | None = request.scope.get(ASKED_BY)
    return device
