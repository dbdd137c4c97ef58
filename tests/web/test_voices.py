"""The voices of a plan: other words, own recordings checked and converted, all in the ZIP."""

from __future__ import annotations

import html
import io
import re
import wave
import zipfile

import numpy as np
import pytest

PAGE = "/callouts/8/voices"


def tone(seconds=0.5, rate_hz=44_100, channels=2, hz=440.0):
    """A WAV file of a tone between silences."""
    t = np.arange(int(seconds * rate_hz)) / rate_hz
    sound = np.concatenate((np.zeros(rate_hz // 4), 0.2 * np.sin(2 * np.pi * hz * t), np.zeros(rate_hz // 4)))
    file = io.BytesIO()
    with wave.open(file, "wb") as out:
        out.setnchannels(channels)
        out.setsampwidth(2)
        out.setframerate(rate_hz)
        out.writeframes(np.repeat((32767 * sound).astype("<i2"), channels).tobytes())
    return file.getvalue()


def record(client, data, file="landnow"):
    return client.post(f"{PAGE}/{file}/own-voice", files={"wav": ("mine.wav", data, "audio/wav")})


def sounds(client, rate=16_000):
    """The files of the ZIP: rate and samples by name."""
    found = {}
    with zipfile.ZipFile(io.BytesIO(client.get(f"/callouts/8/voices.zip?rate={rate}").content)) as archive:
        for name in archive.namelist():
            if name.endswith(".wav"):
                with wave.open(io.BytesIO(archive.read(name))) as file:
                    assert (file.getnchannels(), file.getsampwidth()) == (1, 2)
                    found[name] = (file.getframerate(), np.frombuffer(file.readframes(file.getnframes()), "<i2"))
    return found


def test_every_line_of_the_plan_is_on_the_page(client):
    page = client.get(PAGE).text
    listed = set(re.findall(r"<td>(\w+)\.wav</td>", page))
    assert listed == {name.removesuffix(".wav") for name in sounds(client)}
    assert {"landnow", "packlow", "telelost", "sixcells", "t1m", "n20", "volts"} <= listed


@pytest.mark.parametrize("rate", [16_000, 32_000])
def test_an_own_recording_takes_the_place_of_the_voice(client, rate):
    before = sounds(client, rate)["landnow.wav"][1]
    assert record(client, tone()).status_code == 303
    assert "yours, 0.5 s" in client.get(PAGE).text
    rate_hz, samples = sounds(client, rate)["landnow.wav"]
    assert rate_hz == rate
    assert samples.size != before.size
    # Silence cut, as loud as the rest, and still the tone that was recorded.
    assert samples.size == pytest.approx(0.53 * rate, rel=0.03)
    assert np.abs(samples).max() == pytest.approx(0.89 * 32767, rel=0.02)
    strongest = np.argmax(np.abs(np.fft.rfft(samples.astype(float)))) * rate / samples.size
    assert strongest == pytest.approx(440.0, abs=3.0)
    # Heard in the page too, and let go of with an undo.
    heard = client.get("/callouts/say.wav?words=land+now").content
    with wave.open(io.BytesIO(heard)) as file:
        assert file.getnframes() == pytest.approx(0.53 * 16_000, rel=0.03)
    client.post(f"{PAGE}/landnow/spoken")
    assert "yours," not in client.get(PAGE).text
    client.post(f"{PAGE}/landnow/own")
    assert "yours, 0.5 s" in client.get(PAGE).text


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "This is not a WAV file that can be read"),
        (b"ID3\x03 not a wav at all", "This is not a WAV file that can be read"),
        (tone()[:30], "This is not a WAV file that can be read"),
        (tone(seconds=21.0, rate_hz=8000, channels=1), "a callout is 20 s at most"),
        (tone(hz=0.0), "This WAV is silent."),
    ],
)
def test_what_is_no_recording_is_refused_at_its_line(client, data, words):
    answer = record(client, data)
    assert answer.status_code == 422
    error = re.search(r'id="error-landnow" role="alert">(.*?)</p>', answer.text)[1]
    assert words in html.unescape(error)
    assert "yours," not in client.get(PAGE).text


def test_the_voice_says_other_words_in_every_plan_with_the_line(client):
    plain = sounds(client)["landnow.wav"][1]
    answer = client.post(PAGE, data={"spoken.landnow": "land right now, my friend", "spoken.packlow": "pack low"})
    assert answer.status_code == 303
    page = client.get("/callouts/4/voices").text
    assert 'value="land right now, my friend"' in page
    assert 'value="pack low"' not in page
    assert sounds(client)["landnow.wav"][1].size > 1.3 * plain.size
    client.post(PAGE, data={"spoken.landnow": ""})
    assert 'value="land right now' not in client.get(PAGE).text


def test_words_too_long_are_refused_at_their_line(client):
    answer = client.post(PAGE, data={"spoken.landnow": "x" * 121, "spoken.packlow": "low"})
    assert answer.status_code == 422
    assert 'id="error-landnow" role="alert">Up to 120 letters.' in answer.text
    assert 'value="low"' in answer.text
    assert 'value="low"' not in client.get(PAGE).text


def test_a_line_that_is_not_there(client):
    assert record(client, tone(), file="nothing").status_code == 404
    assert client.post(f"{PAGE}/nothing/spoken").status_code == 404
