"""Backup and restore from the page: download a whole copy, look into one, take it."""

from __future__ import annotations

import secrets
import shutil
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import FileResponse, RedirectResponse, Response
from starlette.background import BackgroundTask

from zesty_cell.core.fact import Words, fact
from zesty_cell.services import pack_health
from zesty_cell.store.backup import BackupError, Contents, backup, look_into, restore
from zesty_cell.store.working import make_folder
from zesty_cell.web.http import database_of, kept_of, page, said_to, say

router = APIRouter(prefix="/backup", include_in_schema=False)


@dataclass(frozen=True)
class Offered:
    """A backup that was brought, looked into, and not yet taken."""

    folder: Path
    file: Path
    name: str
    contents: Contents

    def let_go(self) -> None:
        """Delete what was brought."""
        shutil.rmtree(self.folder, ignore_errors=True)


class Restores:
    """The backup that is being looked at: one at a time."""

    def __init__(self) -> None:
        self._held: dict[str, Offered] = {}

    def hold(self, one: Offered) -> str:
        """Hold one, in place of any before."""
        self.let_go()
        token = secrets.token_hex(8)
        self._held[token] = one
        return token

    def take(self, token: str) -> Offered | None:
        """The one that is held; None when it is not held any more."""
        return self._held.pop(token, None)

    def let_go(self) -> None:
        """Delete what is held."""
        for one in self._held.values():
            one.let_go()
        self._held.clear()


def _show(
    request: Request, *, error: Words = "", offered: Offered | None = None, token: str = "", status: int = 200
) -> Response:
    return page(request, "backup.html", {"error": error, "offered": offered, "token": token}, status=status)


@router.get("")
def show(request: Request) -> Response:
    """What can be done."""
    return _show(request)


@router.get("/file")
def download(request: Request) -> Response:
    """A whole, checked copy of everything."""
    folder = make_folder()
    name = f"zesty-cell-{datetime.now(UTC):%Y-%m-%d}.backup"
    try:
        backup(database_of(request).path, folder / name)
    except BackupError as error:
        shutil.rmtree(folder, ignore_errors=True)
        return _show(request, error=error.why, status=503)
    done = BackgroundTask(shutil.rmtree, folder, ignore_errors=True)
    return FileResponse(folder / name, media_type="application/vnd.sqlite3", filename=name, background=done)


@router.post("/restore")
def bring_in(request: Request, file: Annotated[UploadFile, Form()]) -> Response:
    """Look into a backup; nothing is changed yet."""
    folder = make_folder()
    held = folder / "brought.backup"
    try:
        with held.open("wb") as to:
            shutil.copyfileobj(file.file, to)
        contents = look_into(held)
    except (BackupError, OSError) as error:
        shutil.rmtree(folder, ignore_errors=True)
        why = error.why if isinstance(error, BackupError) else fact("typed.backup.unreadable", why=error.strerror)
        # What was chosen is named, not the copy that was looked into.
        words = said_to(request, why).replace(
            held.name, file.filename or said_to(request, fact("typed.backup.file"))
        )
        return _show(request, error=words, status=422)
    one = Offered(folder, held, file.filename or "backup", contents)
    token = kept_of(request, Restores).hold(one)
    return _show(request, offered=one, token=token)


@router.post("/restore/{token}")
def confirm(request: Request, token: str) -> Response:
    """Take it; what was here is kept beside it."""
    one = kept_of(request, Restores).take(token)
    if one is None:
        return _show(request, error=fact("typed.backup.gone"), status=422)
    try:
        contents = restore(one.file, database_of(request).path)
    except BackupError as error:
        return _show(request, error=error.why, status=503)
    finally:
        one.let_go()
    pack_health.forget()
    return say(RedirectResponse("/sheets", 303), fact("said.backup.restored", held=contents.words()))
