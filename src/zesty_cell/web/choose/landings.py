"""Where each chemistry in view lands, as the address says."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from starlette.datastructures import QueryParams

from zesty_cell.core.answer.plausibility import landing_volts_doubt
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.candidates import LandingVolts, landing_on
from zesty_cell.core.fact import Words
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.chemistry import Chemistry, ChemistryKey
from zesty_cell.core.parts.pack import Pack
from zesty_cell.words.landing import CHEMISTRY_WORDS
from zesty_cell.words.units import read_number

#: Where each chemistry in view lands.
Volts = dict[ChemistryKey, LandingVolts]


@dataclass(frozen=True)
class LandingField:
    """A landing voltage of a chemistry in view: its key in the address, its words, what is flown, and as typed."""

    key: str
    words: str
    flown: str
    typed: str
    error: Words


def _landing_typed(text: str, *, chemistry: Chemistry, at: str) -> tuple[float | None, Words]:
    """A landing voltage as typed [V a cell], and what is wrong with it."""
    if not text:
        return None, ""
    try:
        value = read_number(text)
    except ValueError as wrong:
        return None, str(wrong)
    doubt = landing_volts_doubt(value, chemistry=chemistry, field=at)
    return (None, doubt.why) if doubt else (value, "")


def landings_of(sheet: Sheet, packs: Sequence[Pack], query: QueryParams) -> tuple[tuple[LandingField, ...], Volts]:
    """Where each chemistry in view lands, if the sheet's rule looks at a voltage: as typed, else its own."""
    looked_at = [
        (name, words)
        for name, words in (("loaded_v", "under load"), ("rest_v", "at rest"))
        if getattr(sheet.landing, name) is not None
    ]
    fields: list[LandingField] = []
    volts: Volts = {}
    for key in dict.fromkeys(p.chemistry for p in packs):
        for name, words in looked_at:
            at = f"land.{key}.{name}"
            typed = query.get(at, "").strip()[:20]
            value, error = _landing_typed(typed, chemistry=chemistry_for(key), at=at)
            if value is not None:
                volts[key] = replace(volts.get(key, LandingVolts()), **{name: value})
            flown = getattr(landing_on(sheet, chemistry=key, volts=volts), name)
            fields.append(LandingField(at, f"{CHEMISTRY_WORDS[key]} {words}", f"{flown:.2f}", typed, error))
    return tuple(fields), volts
