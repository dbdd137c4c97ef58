"""Voices: every word a WAV that a transmitter takes, and own files checked and converted."""

from __future__ import annotations

import io
import threading
import wave
import zipfile

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.sheets import sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.rules import Timer
from zesty_cell.core.callouts.schools import write_plan
from zesty_cell.core.callouts.sounds import SOUND_NAME_LENGTH, spoken_sounds
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.espeak import SPEEDS, VOICES, Voice, VoiceError, speak, voice_of
from zesty_cell.formats.voices_wav import (
    PEAK,
    RATES_HZ,
    read_wav,
    resample,
    spoken_wav,
    tidy,
    voices_zip,
    wav_bytes,
)


@pytest.fixture(scope="module")
def plan():
    return write_plan(forecast(sheet()), school="loaded voltage").plan


def _open(data):
    with wave.open(io.BytesIO(data), "rb") as file:
        samples = np.frombuffer(file.readframes(file.getnframes()), dtype="<i2")
        return file.getnchannels(), file.getsampwidth(), file.getframerate(), samples


@pytest.mark.parametrize("rate_hz", RATES_HZ)
@pytest.mark.parametrize("voice", VOICES, ids=lambda v: v.key)
def test_words_become_a_wav_of_the_kind_transmitters_take(voice, rate_hz):
    channels, width, rate, samples = _open(
        spoken_wav("telemetry lost", voice=voice, words_a_minute=SPEEDS["usual"], rate_hz=rate_hz)
    )
    assert (channels, width, rate) == (1, 2, rate_hz)
    assert 0.4 < samples.size / rate < 2.0
    peak = np.abs(samples.astype(int)).max()
    assert peak == pytest.approx(PEAK * 32767, abs=2)
    # No more than a trace of silence at either end.
    loud = np.flatnonzero(np.abs(samples.astype(int)) > 0.02 * peak)
    assert loud[0] <= 0.02 * rate
    assert samples.size - loud[-1] <= 0.02 * rate + 2


def test_voices_and_speeds_differ():
    usual = [speak("land now", voice=v)[0] for v in VOICES]
    for k, one in enumerate(usual):
        for other in usual[k + 1 :]:
            assert one.size != other.size or not np.array_equal(one, other)
    slow, brisk = (speak("land now", voice=VOICES[0], words_a_minute=SPEEDS[s])[0].size for s in ("slow", "brisk"))
    assert slow > 1.15 * brisk


def test_markup_and_odd_letters_are_only_words():
    for text in ("<break/> & land", "Übung, 3.5 V …", "x" * 60):
        assert speak(text, voice=VOICES[0])[0].size > 1000


def test_an_unknown_voice_is_a_word_and_an_unknown_key_the_first():
    assert voice_of("nobody") is VOICES[0]
    with pytest.raises(VoiceError, match="no voice"):
        speak("x", voice=Voice("x", "nobody", "gmw/nobody-at-all-zz"))


def test_two_threads_do_not_mix_their_words():
    # The library adds breath by chance, so samples differ from one time to the next; lengths hardly do.
    alone = {w: speak(w, voice=VOICES[0])[0].size for w in ("pack low", "telemetry lost")}
    wrong = []

    def again(words):
        for _ in range(20):
            size = speak(words, voice=VOICES[0])[0].size
            if abs(size - alone[words]) > 0.03 * alone[words]:
                wrong.append(words)

    threads = [threading.Thread(target=again, args=(w,)) for w in alone for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == []


def test_a_plans_zip_holds_every_word_once_with_its_list(plan):
    sounds = spoken_sounds(plan)
    data = voices_zip(sounds, voice=VOICES[0], words_a_minute=165, rate_hz=16_000)
    with zipfile.ZipFile(io.BytesIO(data)) as opened:
        assert opened.testzip() is None
        names = opened.namelist()
        listed = opened.read("words.txt").decode().splitlines()
        for name in names:
            if name.endswith(".wav"):
                assert _open(opened.read(name))[:3] == (1, 2, 16_000)
    assert names == [*(f"{s.file}.wav" for s in sounds), "words.txt"]
    assert len(set(names)) == len(names)
    assert listed[0].split("  ") == [f"{sounds[0].file}.wav", sounds[0].words]


def test_minutes_and_numbers_are_among_the_sounds(plan):
    sounds = {s.words: s.file for s in spoken_sounds(plan)}
    assert sounds["1 minute"] == "t1m"
    assert sounds["10 minutes"] == "t10m"
    assert {"20", "90", "point", "volts", "hundred", "no telemetry"} <= set(sounds)
    down = Timer(key="timer", at_s=150.0, counts="down", last_s=10)
    words = {s.words for s in spoken_sounds(plan.model_copy(update={"timers": (down,), "rules": ()}))}
    assert {"1 minute left", "10", "1"} <= words
    assert "point" not in words
    assert all(len(s) <= SOUND_NAME_LENGTH for s in sounds.values())


# Own files


def _wav(samples, *, rate_hz=22_050, width=2, channels=1):
    file = io.BytesIO()
    with wave.open(file, "wb") as out:
        out.setnchannels(channels)
        out.setsampwidth(width)
        out.setframerate(rate_hz)
        full = 2 ** (8 * width - 1) - 1
        whole = np.rint(samples * full).astype(np.int64)
        if width == 1:
            raw = (whole + 128).astype(np.uint8).tobytes()
        else:
            raw = b"".join(int(v).to_bytes(width, "little", signed=True) for v in whole)
        out.writeframes(raw)
    return file.getvalue()


_TONE = 0.3 * np.sin(2 * np.pi * 440.0 * np.arange(22_050) / 22_050)


@pytest.mark.parametrize("width", [1, 2, 3, 4])
@pytest.mark.parametrize("channels", [1, 2])
def test_an_own_wav_is_mixed_converted_trimmed_and_made_loud(width, channels):
    quiet = np.concatenate((np.zeros(9000), _TONE, np.zeros(9000)))
    data = _wav(np.repeat(quiet, channels), width=width, channels=channels)
    samples = read_wav(data, to_hz=16_000)
    assert samples.size / 16_000 == pytest.approx(1.03, abs=0.02)
    assert np.abs(samples).max() == pytest.approx(PEAK)
    spectrum = np.abs(np.fft.rfft(samples))
    assert np.argmax(spectrum) * 16_000 / samples.size == pytest.approx(440.0, abs=2.0)
    assert _open(wav_bytes(samples, rate_hz=16_000))[:3] == (1, 2, 16_000)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "not a WAV"),
        (b"RIFF....WAVEjunk", "not a WAV"),
        (b"\x00" * 1000, "not a WAV"),
        (_wav(np.zeros(5000)), "silent"),
        (_wav(np.zeros(22_050 * 21)), "s long"),
        (b"x" * 8_000_001, "8,000,001 bytes"),
        (_wav(_TONE, rate_hz=1000), "odd layout"),
    ],
)
def test_what_is_no_callout_is_refused_in_words(data, words):
    with pytest.raises(FileFormatError, match=words):
        read_wav(data, to_hz=16_000)


@given(st.binary(max_size=200))
def test_any_bytes_are_refused_or_read(data):
    for head in (
        b"",
        b"RIFF\xc8\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x01\x00\x80>\x00\x00\x00}\x00\x00\x02\x00\x10\x00",
    ):
        try:
            samples = read_wav(head + data, to_hz=16_000)
        except FileFormatError:
            continue
        assert np.all(np.isfinite(samples))


def test_resampling_keeps_a_tone_and_silence_is_nothing():
    there = resample(_TONE, rate_hz=22_050, to_hz=32_000)
    back = resample(there, rate_hz=32_000, to_hz=22_050)
    assert there.size == 32_000
    assert back == pytest.approx(_TONE, abs=1e-6)
    assert tidy(np.zeros(100), rate_hz=16_000).size == 0
