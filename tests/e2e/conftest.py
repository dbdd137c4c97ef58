"""A real server as its own process, and one headless Chromium for all browser tests."""

from __future__ import annotations

import json
import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

# A busy machine may take its time: five seconds are not enough for every answer there.
PATIENCE_MS = 60_000
expect.set_options(timeout=PATIENCE_MS)
CHROMIUM_FLAGS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()


def free_port() -> int:
    """A port nobody listens on just now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@contextmanager
def running(command: str, database: Path) -> Iterator[tuple[str, subprocess.Popen[bytes]]]:
    """The application as its own process; yields its address once it answers."""
    port = free_port()
    process = subprocess.Popen(
        [
            *(sys.executable, "-m", "zesty_cell", command, "--port", str(port), "--database", str(database)),
            *("--bench-port", str(free_port())),
        ],
        stdout=subprocess.DEVNULL,
    )
    address = f"http://127.0.0.1:{port}"
    try:
        deadline = time.monotonic() + 60
        while True:
            try:
                urllib.request.urlopen(f"{address}/sheets", timeout=5).close()
                break
            except OSError:
                if process.poll() is not None or time.monotonic() > deadline:
                    raise
                time.sleep(0.05)
        yield address, process
    finally:
        process.terminate()
        process.wait(10)


@pytest.fixture(scope="session")
def playwright() -> Iterator[Playwright]:
    """What drives browsers, once."""
    with sync_playwright() as one:
        yield one


@pytest.fixture(scope="session")
def browser(playwright: Playwright) -> Iterator[Browser]:
    """Debian's chromium, started once."""
    chromium = shutil.which("chromium")
    assert chromium, "chromium is missing: apt-get install chromium, or run `make test E2E=no`"
    browser = playwright.chromium.launch(executable_path=chromium, args=CHROMIUM_FLAGS)
    yield browser
    browser.close()


@pytest.fixture(scope="session")
def club(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A server with the made-up club."""
    with running("demo", tmp_path_factory.mktemp("e2e") / "club.sqlite") as (address, _):
        yield address


@pytest.fixture
def empty(tmp_path: Path) -> Iterator[str]:
    """A server with nothing in it."""
    with running("serve", tmp_path / "empty.sqlite") as (address, _):
        yield address


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    """A fresh page at laptop size; anything a script complains about fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    context.set_default_timeout(PATIENCE_MS)
    page = context.new_page()
    complaints: list[str] = []
    page.on("pageerror", lambda error: complaints.append(str(error)))
    page.on(
        "console",
        lambda message: (
            complaints.append(message.text)
            if message.type == "error" and "Failed to load" not in message.text
            else None
        ),
    )
    yield page
    context.close()
    assert complaints == []


def wait_for_scripts(page: Page) -> None:
    """A key pressed before the scripts are there is nobody's."""
    expect(page.locator("html[data-ready=yes]")).to_be_attached()


def axe_violations(page: Page, *rules: str) -> list[str]:
    """What axe finds wrong with the page as it stands, a line each; by every rule, or by those named."""
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE)
    only: dict[str, object] = {"resultTypes": ["violations"], "rules": {"target-size": {"enabled": True}}}
    only |= {"runOnly": list(rules)} if rules else {}
    found = page.evaluate("async (only) => (await axe.run(only)).violations", only)
    return [f"{v['id']}: {v['nodes'][0]['html'][:120]} {json.dumps(v['nodes'][0]['any'][:1])[:200]}" for v in found]
