"""An application over a copy of the made-up club, to be treated badly, and how its pages are read through."""

from __future__ import annotations

import logging
import re
import shutil
import tempfile
import traceback
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cache
from html.parser import HTMLParser
from pathlib import Path

from starlette.testclient import TestClient

from zesty_cell.demo.club import load_club
from zesty_cell.demo.log import load_log, load_telemetry
from zesty_cell.store.database import Database
from zesty_cell.web.app import create_app
from zesty_cell.web.rooms import ROOMS


@cache
def club_file() -> Path:
    """A database with the made-up club and its season, made once."""
    path = Path(tempfile.mkdtemp(prefix="zesty-cell-soak-")) / "club.sqlite"
    database = Database(path)
    with database.session() as session:
        load_club(session)
        load_telemetry(session)
        load_log(session)
    database.close()
    return path


class Unforeseen(logging.Handler):
    """Notes the lines of the log that tell of errors nobody foresaw."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        """Note one."""
        if record.levelno >= logging.ERROR:
            error = record.exc_info[1] if record.exc_info else None
            where = ""
            if error is not None and error.__traceback__ is not None:
                last = traceback.extract_tb(error.__traceback__)
                ours = [f for f in last if "zesty_cell" in f.filename]
                where = f" {ours[-1].filename.rpartition('zesty_cell/')[2]}:{ours[-1].lineno}" if ours else ""
            self.lines.append(f"{record.getMessage()} {error!r:.160}{where}")


@dataclass
class House:
    """The running application, a client of it, and what its log told of errors."""

    client: TestClient
    told: Unforeseen
    path: Path


@contextmanager
def house() -> Iterator[House]:
    """An application in this process over its own copy of the club, every room open."""
    told = Unforeseen()
    logger = logging.getLogger("zesty_cell")
    logger.addHandler(told)
    with tempfile.TemporaryDirectory(prefix="zesty-cell-soak-") as folder:
        path = Path(folder) / "club.sqlite"
        shutil.copy(club_file(), path)
        app = create_app(path)
        for room in ROOMS:
            app.router.default.open(room)  # type: ignore[attr-defined]
        try:
            with TestClient(
                app,
                base_url="http://127.0.0.1",
                client=("127.0.0.1", 50000),
                follow_redirects=False,
                raise_server_exceptions=False,
            ) as client:
                yield House(client, told, path)
        finally:
            logger.removeHandler(told)


@dataclass
class PageForm:
    """A form as it stands on a page: where it is sent, and what it would send."""

    action: str
    fields: list[tuple[str, str]] = field(default_factory=list)
    files: list[str] = field(default_factory=list)


class _Forms(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.forms: list[PageForm] = []
        self.by_id: dict[str, PageForm] = {}
        self.links: list[str] = []
        self.open: PageForm | None = None
        self.select: tuple[PageForm, str] | None = None

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        has = {name: value or "" for name, value in attrs}
        if tag == "a" and "href" in has:
            self.links.append(has["href"])
        if tag == "form":
            self.open = PageForm(has.get("action", ""))
            if has.get("method", "get").lower() == "post":
                self.forms.append(self.open)
            if has.get("id"):
                self.by_id[has["id"]] = self.open
        form = self.by_id.get(has.get("form", ""), self.open)
        if form is not None and has.get("formaction"):
            self.forms.append(PageForm(has["formaction"], form.fields, form.files))
        if form is None or not has.get("name"):
            if tag == "option" and self.select is not None:
                self._option(has)
            return
        if tag == "input" and has.get("type") == "file":
            form.files.append(has["name"])
        elif has.get("type") in ("checkbox", "radio") and "checked" not in has:
            pass
        elif tag in ("input", "button", "textarea"):
            usual = "on" if has.get("type") == "checkbox" else ""
            form.fields.append((has["name"], has.get("value", usual)))
        elif tag == "select":
            self.select = (form, has["name"])

    def _option(self, has: dict[str, str]) -> None:
        assert self.select is not None
        form, name = self.select
        if "selected" in has or name not in dict(form.fields):
            form.fields.append((name, has.get("value", "")))

    def handle_endtag(self, tag: str) -> None:
        if tag == "form":
            self.open = None
        if tag == "select":
            self.select = None


def forms_of(html: str, *, action: str = "") -> list[PageForm]:
    """The forms of a page that are posted, or those that are posted to an address."""
    page = _Forms()
    page.feed(html)
    return [form for form in page.forms if action in ("", form.action)]


#: Addresses that are many of a kind: of each so many are read.
_KIND = re.compile(r"\d+")
_OF_A_KIND = 3
_WORK = ("/choose/", "/backup/file", "/voices.zip", "/search")
#: Where reading begins.
DOORS = ("/", "/sheets", "/hangar", "/hangar/health", "/callouts", "/field", "/log", "/calibrate", "/backup")


def crawl(
    client: TestClient, *, of_a_kind: int = _OF_A_KIND, most: int = 400
) -> tuple[dict[str, int], list[PageForm]]:
    """Read the pages that can be reached from the doors: the status of each, and the forms that stand on them."""
    seen: dict[str, int] = {}
    forms: list[PageForm] = []
    kinds: dict[str, int] = {}
    waiting = list(DOORS)
    while waiting and len(seen) < most:
        address = waiting.pop(0)
        kind = _KIND.sub("#", address.partition("?")[0]) + ("?" if "?" in address else "")
        if address in seen or kinds.get(kind, 0) >= of_a_kind:
            continue
        kinds[kind] = kinds.get(kind, 0) + 1
        answer = client.get(address)
        seen[address] = answer.status_code
        if "text/html" not in answer.headers.get("content-type", ""):
            continue
        page = _Forms()
        page.feed(answer.text)
        for form in page.forms:
            form.action = form.action or address
        forms += page.forms
        waiting += [link.partition("#")[0] for link in page.links if link.startswith("/") and link[1:2] != "/"]
    return seen, forms
