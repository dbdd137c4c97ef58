"""The landing rule, and chemistries, in a few words."""

from __future__ import annotations

from zesty_cell.core.asked.sheet import Sheet

#: Short words for chemistries, one for each, where two are lithium-ion.
CHEMISTRY_WORDS = {
    "lipo": "LiPo",
    "lihv": "LiHV",
    "liion_power": "li-ion power",
    "liion_energy": "li-ion energy",
    "lifepo4": "LiFePO4",
    "nimh": "NiMH",
}


def landing_words(sheet: Sheet) -> str:
    """The landing rule in a few words."""
    rule = sheet.landing
    words = []
    if rule.charge_kept is not None:
        words.append(f"land with {100 * rule.charge_kept:.0f} % left")
    if rule.rest_v is not None:
        words.append(f"land at {rule.rest_v:.2f} V a cell at rest")
    if rule.loaded_v is not None:
        words.append(f"land at {rule.loaded_v:.2f} V a cell under load")
    if rule.timer_s is not None:
        words.append(f"land at {rule.timer_s / 60:.0f} min")
    return " or ".join(words)
