"""Beyond this machine: its addresses, its own certificate authority, the devices that are paired, the listeners."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.words import say  # noqa: F401 - whoever catches these can say them

if TYPE_CHECKING:
    from zesty_cell.network.devices import Devices
    from zesty_cell.network.listeners import Lan


class BeyondError(ZestyCellError, RuntimeError):
    """It cannot be reached from beyond this machine, with the reason."""


@dataclass(frozen=True)
class Network:
    """How an application is reached from beyond its machine; not at all by default.

    Attributes
    ----------
    devices : Devices or None
        That are paired; None where nobody is to be.
    lan : Lan or None
        Its own listeners over TLS.
    proxy : str
        Address of the reverse proxy that everybody comes through; empty without one.
    """

    devices: Devices | None = None
    lan: Lan | None = None
    proxy: str = ""
