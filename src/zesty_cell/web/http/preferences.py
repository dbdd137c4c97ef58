"""What a person likes to see, remembered in a cookie: units, volts per cell or pack, theme."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from fastapi import Request, Response

from zesty_cell.words.face import Reader
from zesty_cell.words.units import FAMILIES, Family, is_imperial, known_system, system_with

COOKIE = "zesty_cell_view"
CHOICES = {"volts": ("cell", "pack"), "theme": ("paper", "dusk", "sun")}


@dataclass(frozen=True)
class Preferences(Reader):
    """One person's view."""

    theme: Literal["paper", "dusk", "sun"] = "paper"

    def in_units(self, family: Family) -> str:
        """“metric” or “imperial”, for one family of quantities."""
        return "imperial" if is_imperial(self.units, family) else "metric"

    def changed(self, name: str, value: str) -> Preferences:
        """A copy with one choice changed; itself when the choice is not one we know."""
        if name == "units":
            return replace(self, units=known_system(value))
        if name in FAMILIES and value in ("metric", "imperial"):
            return replace(self, units=system_with(self.units, name, imperial=value == "imperial"))
        if value not in CHOICES.get(name, ()):
            return self
        return replace(self, **{name: value})  # type: ignore[arg-type]


def preferences_of(request: Request) -> Preferences:
    """Read from the cookie; whatever is not understood is left at its default."""
    view = Preferences()
    for part in request.cookies.get(COOKIE, "")[:200].split("."):
        name, _, value = part.partition("-")
        view = view.changed(name, value)
    return view


def remember(response: Response, view: Preferences) -> None:
    """Store for a year; not readable by scripts, sent to this site only."""
    text = f"units-{view.units}.volts-{view.volts}.theme-{view.theme}"
    response.set_cookie(COOKIE, text, max_age=31_536_000, httponly=True, samesite="strict")
