"""Spoken words as WAV files that transmitters take: mono, 16 bits, 16 or 32 kHz, loud, without silence."""

from __future__ import annotations

import io
import wave
import zipfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zesty_cell.core.callouts.sounds import Sound
from zesty_cell.core.fact import fact
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.espeak import Voice, speak

RATES_HZ: tuple[int, ...] = (16_000, 32_000)
#: Largest sample after normalising, of full scale [1]: a little room for a player's own filters.
PEAK = 0.89
#: Quieter than this share of the peak at either end is silence [1]; this much of it is left [s].
_SILENCE, _LEFT_S = 0.02, 0.015
#: An own WAV may be this long [s] and this large [bytes].
MOST_SECONDS, MOST_BYTES = 20.0, 8_000_000


def resample(samples: NDArray[np.float64], *, rate_hz: int, to_hz: int) -> NDArray[np.float64]:
    """Samples at another rate, band-limited, by the Fourier transform (the ends are silent, so nothing wraps)."""
    if rate_hz == to_hz or samples.size == 0:
        return samples
    count = round(samples.size * to_hz / rate_hz)
    spectrum = np.fft.rfft(samples)
    new = np.zeros(count // 2 + 1, dtype=complex)
    keep = min(spectrum.size, new.size)
    new[:keep] = spectrum[:keep]
    return np.asarray(np.fft.irfft(new, count) * (count / samples.size), dtype=np.float64)


def tidy(samples: NDArray[np.float64], *, rate_hz: int) -> NDArray[np.float64]:
    """Silence cut from both ends, the loudest sample at :data:`PEAK`."""
    peak = float(np.abs(samples).max(initial=0.0))
    if peak <= 0.0:
        return np.zeros(0)
    loud = np.flatnonzero(np.abs(samples) >= _SILENCE * peak)
    left = round(_LEFT_S * rate_hz)
    cut = samples[max(int(loud[0]) - left, 0) : int(loud[-1]) + left + 1]
    return cut * (PEAK / peak)


def wav_bytes(samples: NDArray[np.float64], *, rate_hz: int) -> bytes:
    """Samples between −1 and 1 as a WAV file, mono, 16 bits."""
    file = io.BytesIO()
    with wave.open(file, "wb") as out:
        out.setnchannels(1)
        out.setsampwidth(2)
        out.setframerate(rate_hz)
        out.writeframes(np.rint(np.clip(samples, -1.0, 1.0) * 32767.0).astype("<i2").tobytes())
    return file.getvalue()


def read_wav(data: bytes, *, to_hz: int) -> NDArray[np.float64]:
    """An own WAV as tidy samples at a rate: mixed to mono, resampled, trimmed, normalised.

    Raises
    ------
    FileFormatError
        When it is no WAV of whole-number samples, is silent, or too long.
    """
    if len(data) > MOST_BYTES:
        raise FileFormatError(fact("file.wav.large", size=len(data)))
    try:
        with wave.open(io.BytesIO(data), "rb") as file:
            channels, width, rate_hz, count = file.getparams()[:4]
            raw = file.readframes(count)
    except (wave.Error, EOFError, RuntimeError) as error:
        said = str(error)
        why = fact("file.wav.broken", error=said) if said else fact("file.wav.short")
        raise FileFormatError(why) from error
    if width not in (1, 2, 3, 4) or not 1 <= channels <= 8 or not 4_000 <= rate_hz <= 192_000:
        raise FileFormatError(fact("file.wav.odd"))
    if count > MOST_SECONDS * rate_hz:
        raise FileFormatError(fact("file.wav.long", length=count / rate_hz, most=MOST_SECONDS))
    samples = _whole(raw, width)
    samples = samples[: samples.size // channels * channels].reshape(-1, channels).mean(axis=1)
    pad = np.zeros(round(0.02 * rate_hz))
    tidied = tidy(resample(np.concatenate((pad, samples, pad)), rate_hz=rate_hz, to_hz=to_hz), rate_hz=to_hz)
    if tidied.size == 0:
        raise FileFormatError(fact("file.wav.silent"))
    return tidied


def _whole(raw: bytes, width: int) -> NDArray[np.float64]:
    """Samples between −1 and 1 from the bytes of a WAV."""
    if width == 1:
        return (np.frombuffer(raw, dtype=np.uint8).astype(np.float64) - 128.0) / 128.0
    if width == 3:
        parts = np.frombuffer(raw[: len(raw) // 3 * 3], dtype=np.uint8).reshape(-1, 3).astype(np.int64)
        whole = parts[:, 0] | (parts[:, 1] << 8) | (parts[:, 2] << 16)
        return np.where(whole >= 1 << 23, whole - (1 << 24), whole) / float(1 << 23)
    kind = "<i2" if width == 2 else "<i4"
    return np.frombuffer(raw[: len(raw) // width * width], dtype=kind).astype(np.float64) / float(
        1 << (8 * width - 1)
    )


def spoken_wav(text: str, *, voice: Voice, words_a_minute: int, rate_hz: int) -> bytes:
    """Words as a tidy WAV file.

    Raises
    ------
    VoiceError
    """
    samples, made_hz = speak(text, voice=voice, words_a_minute=words_a_minute)
    pad = np.zeros(round(0.02 * made_hz))
    padded = np.concatenate((pad, samples.astype(np.float64) / 32768.0, pad))
    tidied = tidy(resample(padded, rate_hz=made_hz, to_hz=rate_hz), rate_hz=rate_hz)
    return wav_bytes(tidied, rate_hz=rate_hz)


@dataclass(frozen=True)
class Line:
    """How a line is spoken where the pilot has a say: other words for the voice, or an own recording.

    Attributes
    ----------
    spoken_as : str or None
        What the voice says instead of the words.
    own_wav : bytes or None
        A WAV file as :func:`own_recording` makes it; it goes before the voice.
    """

    spoken_as: str | None = None
    own_wav: bytes | None = None


#: An own recording is kept at the highest rate that is given out.
_KEPT_HZ = max(RATES_HZ)


def own_recording(data: bytes) -> bytes:
    """A pilot's WAV, checked and converted: mono, 16 bits, trimmed, normalised, at the highest rate given out.

    Raises
    ------
    FileFormatError
    """
    return wav_bytes(read_wav(data, to_hz=_KEPT_HZ), rate_hz=_KEPT_HZ)


def line_wav(words: str, line: Line | None, *, voice: Voice, words_a_minute: int, rate_hz: int) -> bytes:
    """A line as a tidy WAV file: the own recording, or the voice.

    Raises
    ------
    VoiceError
    """
    if line is not None and line.own_wav is not None:
        return wav_bytes(read_wav(line.own_wav, to_hz=rate_hz), rate_hz=rate_hz)
    said = line.spoken_as if line is not None and line.spoken_as else words
    return spoken_wav(said, voice=voice, words_a_minute=words_a_minute, rate_hz=rate_hz)


def voices_zip(
    sounds: Iterable[Sound],
    *,
    voice: Voice,
    words_a_minute: int,
    rate_hz: int,
    lines: Mapping[str, Line] | None = None,
) -> bytes:
    """A ZIP of every sound as ``name.wav``, with a list of which words each holds.

    Parameters
    ----------
    lines : mapping, optional
        How single words are spoken otherwise.

    Raises
    ------
    VoiceError
    """
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as out:
        listed = []
        for sound in sounds:
            line = (lines or {}).get(sound.words)
            data = line_wav(sound.words, line, voice=voice, words_a_minute=words_a_minute, rate_hz=rate_hz)
            out.writestr(zipfile.ZipInfo(f"{sound.file}.wav", (2026, 1, 1, 0, 0, 0)), data)
            listed.append(f"{sound.file}.wav  {sound.words}")
        out.writestr(zipfile.ZipInfo("words.txt", (2026, 1, 1, 0, 0, 0)), "\n".join(listed) + "\n")
    return file.getvalue()
