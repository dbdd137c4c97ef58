"""The voices of a plan, as their page shows them."""

from __future__ import annotations

import io
import wave
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fastapi import Request
from fastapi.responses import Response

from zesty_cell.core.callouts.sounds import Sound, sounds_of, spoken_sounds
from zesty_cell.core.fact import Words
from zesty_cell.formats.espeak import SPEEDS, VOICES
from zesty_cell.formats.voices_wav import MOST_BYTES, RATES_HZ, Line
from zesty_cell.store import voices as store
from zesty_cell.store.errors import MissingRecordError
from zesty_cell.web.callouts.desk import Desk
from zesty_cell.web.http import page


@dataclass(frozen=True)
class _Shown:
    """A line of the page."""

    sound: Sound
    spoken_as: str
    own_s: float | None
    error: Words


def _seconds(wav: bytes) -> float:
    with wave.open(io.BytesIO(wav)) as file:
        return float(file.getnframes() / file.getframerate())


def _shown(
    sounds: tuple[Sound, ...], lines: dict[str, Line], errors: Mapping[str, Words], typed: Mapping[str, str]
) -> list[_Shown]:
    found = []
    for sound in sounds:
        line = lines.get(sound.words, Line())
        own_s = None if line.own_wav is None else _seconds(line.own_wav)
        found.append(
            _Shown(
                sound, typed.get(f"spoken.{sound.file}", line.spoken_as or ""), own_s, errors.get(sound.file, "")
            )
        )
    return found


def sounds_shown(desk: Desk) -> tuple[Sound, ...]:
    return () if desk.plan is None else spoken_sounds(desk.plan)


def sound_of(desk: Desk, file: str) -> Sound:
    found = next((s for s in sounds_shown(desk) if s.file == file), None)
    if found is None:
        raise MissingRecordError("sound", 0)
    return found


def voices_page(
    request: Request,
    desk: Desk,
    *,
    errors: Mapping[str, Words] | None = None,
    typed: Mapping[str, str] | None = None,
    status: int = 200,
) -> Response:
    sounds = sounds_shown(desk)
    lines = store.lines(desk.session, [s.words for s in sounds])
    own = {s.file for s in sounds_of(desk.plan)} if desk.plan else set()
    shown = _shown(sounds, lines, errors or {}, typed or {})
    context: dict[str, Any] = {
        "desk": desk,
        "groups": [
            ("Words of the plan", [s for s in shown if s.sound.file in own]),
            ("Times, numbers and units", [s for s in shown if s.sound.file not in own]),
        ],
        "voices": VOICES,
        "speeds": SPEEDS,
        "rates": RATES_HZ,
        "most_bytes": MOST_BYTES,
    }
    return page(request, "voices.html", context, status=status)
