"""Bring it to your phone: what to scan, in which order, and the devices that are paired."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from zesty_cell.core.fact import Words, fact
from zesty_cell.network import Network
from zesty_cell.network.devices import RIGHTS, Code, Devices, PairingError
from zesty_cell.web.drawing.qr import qr_code
from zesty_cell.web.http import kept_of, page, say
from zesty_cell.web.phone.asking import asked_by, network_of

router = APIRouter(include_in_schema=False)


class ShownCode:
    """The code that was given last: only its hash is stored, and who asked for it sees it while it can be typed."""

    def __init__(self) -> None:
        self.code: Code | None = None

    def open(self, devices: Devices | None) -> Code | None:
        """The code, while it can still be typed."""
        if self.code is not None and (devices is None or not devices.still_open(self.code)):
            self.code = None
        return self.code


def _when(seconds: float) -> datetime:
    return datetime.fromtimestamp(seconds, UTC)


def _address(request: Request, network: Network, path: str) -> str:
    """Where a phone finds a page: on the network, or through the proxy that this was asked through."""
    if network.lan is not None:
        return network.lan.url(path)
    return f"https://{request.headers.get('host', '')}{path}" if network.proxy else ""


def _show(request: Request, *, error: Words = "", status: int = 200) -> Response:
    network = network_of(request)
    shown = kept_of(request, ShownCode).open(network.devices)
    devices = network.devices.all() if network.devices is not None else []
    pair_url = _address(request, network, f"/pair?code={shown.code}") if shown else ""
    lan = network.lan
    context = {
        "network": network,
        "lan": lan,
        "by_name": lan.by_name() if lan is not None else "",
        "home": _address(request, network, "/field"),
        "trust": qr_code(lan.certificate_url) if lan is not None and lan.certificate_url else None,
        "code": shown,
        "code_until": _when(shown.until) if shown else None,
        "pair": qr_code(pair_url) if pair_url else None,
        "devices": [(d, _when(d.paired_at), _when(d.used_at)) for d in devices],
        "mine": asked_by(request),
        "error": error,
    }
    return page(request, "phone.html", context, status=status)


@router.get("/phone")
def show(request: Request) -> Response:
    """What to scan, and who is paired."""
    return _show(request)


@router.post("/phone/code")
def give_code(request: Request, right: Annotated[str, Form(max_length=20)] = "field") -> Response:
    """Show a code to pair a device with."""
    devices = network_of(request).devices
    wanted = next((r for r in RIGHTS if r == right), None)
    if devices is None or wanted is None:
        words = fact("typed.pairing.nothing") if devices is None else fact("typed.pairing.may")
        return _show(request, error=words, status=422)
    try:
        kept_of(request, ShownCode).code = devices.new_code(wanted)
    except PairingError as error:
        return _show(request, error=error.why, status=429)
    return RedirectResponse("/phone", 303)


@router.post("/phone/devices/{device_id}/name")
def rename(request: Request, device_id: int, name: Annotated[str, Form(max_length=200)] = "") -> Response:
    """Call a device something else."""
    devices = network_of(request).devices
    try:
        if devices is not None:
            devices.rename(device_id, name)
    except PairingError as error:
        return _show(request, error=error.why, status=422)
    return say(RedirectResponse("/phone", 303), fact("said.device.renamed"))


@router.post("/phone/devices/{device_id}/cut-off")
def cut_off(request: Request, device_id: int) -> Response:
    """Let a device in no more, from its next request on."""
    devices = network_of(request).devices
    if devices is not None:
        devices.cut_off(device_id)
    return say(
        RedirectResponse("/phone", 303),
        fact("said.device.cut_off"),
    )
