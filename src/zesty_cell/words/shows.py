"""What a transmitter shows of a craft, in a few words."""

from __future__ import annotations

from zesty_cell.core.parts.craft import Shown

#: What a transmitter may show, in words.
SHOWN_WORDS: dict[Shown, str] = {"volts": "the pack’s volts", "charge": "charge used", "cells": "its lowest cell"}


def shown_words(shows: tuple[Shown, ...] | None) -> str:
    """What a transmitter shows, in a few words."""
    words = [SHOWN_WORDS[what] for what in shows or ()]
    return " and ".join((", ".join(words[:-1]), words[-1])) if len(words) > 1 else words[0] if words else "nothing"
