"""The voices of a plan: heard line by line, other words for the voice, own recordings, all as one ZIP."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Query, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session

from zesty_cell.core.callouts.sounds import Sound
from zesty_cell.core.fact import fact
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.espeak import SPEEDS, VoiceError, voice_of
from zesty_cell.formats.voices_wav import RATES_HZ, line_wav, own_recording, voices_zip
from zesty_cell.services.turns import TURNS
from zesty_cell.store import voices as store
from zesty_cell.web.callouts.desk import Desk, DeskOf
from zesty_cell.web.callouts.voices_shown import sound_of, sounds_shown, voices_page
from zesty_cell.web.http import PostedForm, Store, say

router = APIRouter(prefix="/callouts", include_in_schema=False)
MOST_WORDS = 120
VoiceKey = Annotated[str, Query(max_length=20)]
SpeedKey = Annotated[str, Query(max_length=10)]


def _speed(key: str) -> int:
    return SPEEDS.get(key, SPEEDS["usual"])


@router.get("/say.wav")
def say_wav(
    session: Store,
    words: Annotated[str, Query(min_length=1, max_length=MOST_WORDS)],
    voice: VoiceKey = "calm",
    speed: SpeedKey = "usual",
) -> Response:
    """Words to hear in the page: the pilot's own recording where there is one."""
    line = store.lines(session, [words]).get(words)
    try:
        data = line_wav(words, line, voice=voice_of(voice), words_a_minute=_speed(speed), rate_hz=RATES_HZ[0])
    except VoiceError as error:
        return Response(str(error), status_code=503, media_type="text/plain")
    return Response(data, media_type="audio/wav")


@router.get("/{sheet_id}/voices")
def show(request: Request, desk: DeskOf) -> Response:
    """Every line of the kept plan."""
    return voices_page(request, desk)


@router.post("/{sheet_id}/voices")
def other_words(request: Request, session: Store, desk: DeskOf, form: PostedForm) -> Response:
    """Keep what the voice is to say for each line."""
    errors = {}
    for sound in sounds_shown(desk):
        text = " ".join(form.get(f"spoken.{sound.file}", "").split())
        if len(text) > MOST_WORDS or not text.isprintable():
            errors[sound.file] = fact("typed.voice.long", letters=MOST_WORDS)
        else:
            store.say_as(session, sound.words, text if text and text != sound.words else None)
    if errors:
        session.rollback()
        return voices_page(request, desk, errors=errors, typed=form, status=422)
    return say(RedirectResponse(f"{desk.address}/voices", 303), fact("said.kept"))


@router.post("/{sheet_id}/voices/{file}/own-voice")
def record(
    request: Request, session: Store, desk: DeskOf, file: str, wav: Annotated[UploadFile, Form()]
) -> Response:
    """Take an own recording for a line, checked and converted."""
    sound = sound_of(desk, file)
    try:
        store.record(session, sound.words, own_recording(wav.file.read()))
    except FileFormatError as error:
        return voices_page(request, desk, errors={file: error.why}, status=422)
    return say(RedirectResponse(f"{desk.address}/voices", 303), fact("said.voice.own", words=sound.words))


def _use_own(session: Session, desk: Desk, file: str, on: bool) -> Sound:
    sound = sound_of(desk, file)
    store.use_own(session, sound.words, on)
    return sound


@router.post("/{sheet_id}/voices/{file}/spoken")
def spoken(session: Store, desk: DeskOf, file: str) -> Response:
    """Let the voice speak a line again; with undo."""
    sound = _use_own(session, desk, file, on=False)
    undo = f"{desk.address}/voices/{file}/own"
    return say(
        RedirectResponse(f"{desk.address}/voices", 303), fact("said.voice.speaks", words=sound.words), undo=undo
    )


@router.post("/{sheet_id}/voices/{file}/own")
def own(session: Store, desk: DeskOf, file: str) -> Response:
    """Undo :func:`spoken`."""
    _use_own(session, desk, file, on=True)
    return say(RedirectResponse(f"{desk.address}/voices", 303), fact("said.voice.back"))


@router.get("/{sheet_id}/voices.zip")
def download(
    session: Store, desk: DeskOf, voice: VoiceKey = "calm", speed: SpeedKey = "usual", rate: int = RATES_HZ[0]
) -> Response:
    """Everything the kept plan says, as WAV files in one ZIP."""
    if desk.plan is None:
        return Response(status_code=404)
    rate_hz = rate if rate in RATES_HZ else RATES_HZ[0]
    sounds = sounds_shown(desk)
    try:
        with TURNS.heavy():
            data = voices_zip(
                sounds,
                voice=voice_of(voice),
                words_a_minute=_speed(speed),
                rate_hz=rate_hz,
                lines=store.lines(session, [s.words for s in sounds]),
            )
    except VoiceError as error:
        return Response(str(error), status_code=503, media_type="text/plain")
    names = f'attachment; filename="voices-{desk.sheet_row.id}-{rate_hz // 1000}k.zip"'
    return Response(data, media_type="application/zip", headers={"Content-Disposition": names})
