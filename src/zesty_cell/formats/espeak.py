"""The espeak-ng library, driven through ctypes: the one place that touches it.

It keeps its state in globals of the library, so one lock serialises everything, and it is loaded on the
first word spoken, not before.
"""

from __future__ import annotations

import ctypes
import threading
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import fact

_SYNCHRONOUS = 2  # AUDIO_OUTPUT_SYNCHRONOUS: samples come to the callback before Synth returns
_UTF8 = 1  # espeakCHARS_UTF8
_RATE, _PITCH = 1, 3  # espeakRATE [words a minute], espeakPITCH [0 to 100]
_LOCK = threading.Lock()


class VoiceError(ZestyCellError, RuntimeError):
    """The voice library is not there or does not answer; the message says what to do."""


@dataclass(frozen=True)
class Voice:
    """A voice: its key in addresses, what it is called, and the library's name for it."""

    key: str
    title: str
    identifier: str


VOICES: tuple[Voice, ...] = (
    Voice("calm", "calm, British", "gmw/en-GB-x-rp"),
    Voice("bright", "bright, American", "gmw/en-US+f3"),
    Voice("deep", "deep, American", "gmw/en-US+m3"),
    Voice("north", "Scottish", "gmw/en-GB-scotland"),
)
#: Words a minute.
SPEEDS: dict[str, int] = {"slow": 135, "usual": 165, "brisk": 200}

_Callback = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.POINTER(ctypes.c_short), ctypes.c_int, ctypes.c_void_p)


class _Library:
    """The library, initialised."""

    def __init__(self) -> None:
        try:
            import espeakng_loader

            self.lib = ctypes.CDLL(str(espeakng_loader.get_library_path()))
            data = str(espeakng_loader.get_data_path())
        except (ImportError, OSError) as error:
            raise VoiceError(fact("voice.missing")) from error
        self.rate_hz = int(self.lib.espeak_Initialize(_SYNCHRONOUS, 400, data.encode(), 0))
        if self.rate_hz <= 0:
            raise VoiceError(fact("voice.no_data"))
        self._heard: list[NDArray[np.int16]] = []
        # Kept, or the library would call into freed memory.
        self._callback = _Callback(self._hear)
        self.lib.espeak_SetSynthCallback(self._callback)

    def _hear(self, samples: ctypes._Pointer[ctypes.c_short], count: int, _events: int | None) -> int:
        if samples and count > 0:
            self._heard.append(np.ctypeslib.as_array(samples, (count,)).copy())
        return 0

    def speak(self, text: str, voice: Voice, words_a_minute: int) -> NDArray[np.int16]:
        if self.lib.espeak_SetVoiceByName(voice.identifier.encode()) != 0:
            raise VoiceError(fact("voice.unknown", title=voice.title))
        self.lib.espeak_SetParameter(_RATE, words_a_minute, 0)
        self.lib.espeak_SetParameter(_PITCH, 50, 0)
        self._heard.clear()
        words = text.encode()
        if self.lib.espeak_Synth(words, len(words) + 1, 0, 0, 0, _UTF8, None, None) != 0:
            raise VoiceError(fact("voice.silent"))
        self.lib.espeak_Synchronize()
        return np.concatenate(self._heard) if self._heard else np.zeros(0, dtype=np.int16)


@cache
def _library() -> _Library:
    return _Library()


def speak(text: str, *, voice: Voice, words_a_minute: int = SPEEDS["usual"]) -> tuple[NDArray[np.int16], int]:
    """Words as samples, and their rate.

    Parameters
    ----------
    text : str
        Plain words; markup in it is read as it stands.
    voice : Voice
    words_a_minute : int

    Returns
    -------
    samples : int16 array, shape (n,)
    rate_hz : int

    Raises
    ------
    VoiceError
    """
    with _LOCK:
        library = _library()
        return library.speak(text, voice, words_a_minute), library.rate_hz


def voice_of(key: str) -> Voice:
    """The voice of a key; the first one for an unknown."""
    return next((v for v in VOICES if v.key == key), VOICES[0])
