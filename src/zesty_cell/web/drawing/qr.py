"""A code that a phone scans, as one path."""

from __future__ import annotations

from dataclasses import dataclass

import segno

#: Light modules around it: four is what scanners are promised (ISO/IEC 18004).
_QUIET = 4


@dataclass(frozen=True)
class QrCode:
    """Width of its square in modules, and its dark ones as a path; what it says."""

    size: int
    path: str
    text: str


def qr_code(text: str, /) -> QrCode:
    """The code of a text, mended by a reader where a seventh of it is dirt."""
    made = segno.make(text, error="m", micro=False)
    strokes: list[str] = []
    for y, row in enumerate(made.matrix):
        x = 0
        while x < len(row):
            run = x
            while run < len(row) and row[run]:
                run += 1
            if run > x:
                strokes.append(f"M{x + _QUIET} {y + _QUIET}h{run - x}v1h-{run - x}z")
            x = run + 1
    return QrCode(len(made.matrix) + 2 * _QUIET, "".join(strokes), text)
