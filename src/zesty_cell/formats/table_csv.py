"""Tables as CSV: commas, decimal points, one line of names with their units, nothing a spreadsheet would run."""

from __future__ import annotations

import csv
import io
import math
import unicodedata
from collections.abc import Mapping, Sequence
from typing import Any

#: What begins a formula, or a command, for one spreadsheet or another; wide forms of these letters too.
_BEGINNINGS = frozenset("=+-@|%")


def acts(words: str) -> bool:
    """Whether a spreadsheet may take words for something to work out."""
    if words[:1] in ("\t", "\r", "\n"):
        return True
    return unicodedata.normalize("NFKC", words.lstrip()[:1]) in _BEGINNINGS


def harmless(words: str) -> str:
    """Words that no spreadsheet takes for a formula."""
    return f"'{words}" if acts(words) else words


def as_written(cell: str) -> str:
    """The words that :func:`harmless` made a cell of: its apostrophe is not part of them."""
    return cell[1:] if cell[:1] == "'" and acts(cell[1:]) else cell


def _cell(value: Any) -> str:
    if value is None or (isinstance(value, float) and not math.isfinite(value)):
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.10g}"
    return str(value) if isinstance(value, int) else harmless(str(value))


def write_table(columns: Mapping[str, Sequence[Any]]) -> str:
    """Columns of the same length as CSV; what is missing, or no number, is left empty.

    Raises
    ------
    ValueError
        When columns differ in length.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(columns)
    for row in zip(*columns.values(), strict=True):
        writer.writerow([_cell(value) for value in row])
    return out.getvalue()
