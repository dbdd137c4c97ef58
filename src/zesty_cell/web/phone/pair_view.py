"""Pairing: the one page that a device which is not paired is shown."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response
from starlette.types import Receive, Scope

from zesty_cell.core.fact import Words, fact
from zesty_cell.network.devices import PairingError
from zesty_cell.paired import keep_token, right_of, token_of
from zesty_cell.web.http import page
from zesty_cell.web.phone.asking import asked_by, network_of

router = APIRouter(include_in_schema=False)


def _pair_page(
    request: Request, *, code: str = "", name: str = "Phone", error: Words = "", status: int = 200
) -> Response:
    device = asked_by(request)
    itself = device is None and right_of(request.scope) == "everything"
    context = {"code": code, "name": name, "error": error, "paired": device, "itself": itself}
    return page(request, "phone_pair.html", context, status=status)


@router.get("/pair")
def pair_page(request: Request, code: Annotated[str, Query(max_length=60)] = "") -> Response:
    """Where a device that was shown a code pairs itself."""
    return _pair_page(request, code=code)


@router.post("/pair")
def pair(
    request: Request,
    code: Annotated[str, Form(max_length=60)] = "",
    name: Annotated[str, Form(max_length=200)] = "",
) -> Response:
    """Take the code, once."""
    devices = network_of(request).devices
    if devices is None:
        return _pair_page(request, code=code, name=name, error=fact("typed.pairing.not_here"), status=422)
    try:
        token, _ = devices.pair(code, name)
    except PairingError as error:
        return _pair_page(request, code=code, name=name, error=error.why, status=422)
    before = token_of(request.headers)
    known = devices.of_token(before) if before else None
    if known is not None:  # the same device, paired anew
        devices.cut_off(known.id)
    response = RedirectResponse("/pocket", 303)
    keep_token(response, token)
    return response


async def unpaired(scope: Scope, receive: Receive) -> Response:
    """What a browser that is not paired is shown, whatever page it asks for."""
    return _pair_page(Request(scope, receive), status=401)
