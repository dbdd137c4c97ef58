"""Tests: those there are, one as it stands, its sheet to print."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from zesty_cell.core.errors import UnknownNameError
from zesty_cell.core.fact import Words, fact
from zesty_cell.formats.documents import MAX_BYTES
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.trial_json import read_trial_json, write_trial_json
from zesty_cell.services.trials import bring_in, for_a_file, trial_now
from zesty_cell.store import trials
from zesty_cell.web.http import Store, page, preferences_of, say
from zesty_cell.web.trials.shown import shown_trial
from zesty_cell.words.face import Face
from zesty_cell.words.trials import question_words, unit_of, value_text

#: So many tests are told of in a list; of the others there are the names.
_TOLD = 40

router = APIRouter(prefix="/tests", include_in_schema=False)


@router.get("")
def list_tests(request: Request, session: Store) -> HTMLResponse:
    """Every test with where it stands."""
    return _listed(request, session)


def _listed(request: Request, session: Session, *, trouble: Words = "", status: int = 200) -> HTMLResponse:
    face = Face(preferences_of(request))
    rows = trials.all_trials(session)
    lines = []
    for row in rows[:_TOLD]:
        now = trial_now(session, row)
        lines.append((row, now, question_words(now.trial.question, face)))
    context = {"lines": lines, "others": rows[_TOLD:], "trouble": trouble}
    return page(request, "tests.html", context, status=status)


@router.get("/{trial_id}")
def show_test(request: Request, session: Store, trial_id: int) -> HTMLResponse:
    """A test as it stands."""
    return shown_trial(request, session, trial_id)


@router.get("/{trial_id}/sheet")
def print_test(request: Request, session: Store, trial_id: int) -> HTMLResponse:
    """The order of a test, to print and to fill in by hand."""
    row = trials.fetch(session, trial_id)
    now = trial_now(session, row)
    face = Face(preferences_of(request))
    question = now.trial.question
    context = {
        "row": row, "now": now, "question": question, "plan": now.trial.plan,
        "words": question_words(question, face), "unit": unit_of(question.measure, face.view.units),
        "value": lambda value: value_text(question.measure, value, face),
    }  # fmt: skip
    return page(request, "test_sheet.html", context)


@router.get("/{trial_id}/export")
def export(session: Store, trial_id: int) -> Response:
    """The test as open JSON."""
    text = write_trial_json(for_a_file(trial_now(session, trials.fetch(session, trial_id))))
    names = f'attachment; filename="test-{trial_id}.json"'
    return Response(text, media_type="application/json", headers={"Content-Disposition": names})


@router.post("/import")
def bring_test_in(request: Request, session: Store, file: Annotated[UploadFile, Form()]) -> Response:
    """A test from a file."""
    try:
        row = bring_in(session, read_trial_json(file.file.read(MAX_BYTES + 1)))
        session.commit()
    except (FileFormatError, UnknownNameError) as error:
        session.rollback()
        return _listed(request, session, trouble=error.why, status=422)
    return say(RedirectResponse(f"/tests/{row.id}", 303), fact("said.trial.read", name=row.name))


@router.post("/{trial_id}/delete")
def delete_test(session: Store, trial_id: int) -> Response:
    """Delete a test; the message offers to undo it."""
    row = trials.delete(session, trial_id)
    return say(
        RedirectResponse("/tests", 303),
        fact("said.named.deleted", name=row.name),
        undo=f"/tests/{trial_id}/restore",
    )


@router.post("/{trial_id}/restore")
def restore_test(session: Store, trial_id: int) -> Response:
    """Undo a delete."""
    row = trials.restore(session, trial_id)
    return say(RedirectResponse(f"/tests/{trial_id}", 303), fact("said.named.back", name=row.name))
