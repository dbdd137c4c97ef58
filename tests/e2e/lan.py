"""A server on the network as its own process, and a phone: a Chromium with trust store and profile of its own."""

from __future__ import annotations

import os
import re
import shutil
import socket
import ssl
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

from playwright.sync_api import BrowserContext, Page, Playwright

from tests.e2e.conftest import CHROMIUM_FLAGS, free_port
from zesty_cell.network.addresses import present_addresses

#: Without an address beyond loopback there is no network to be reached by.
ADDRESS = next(iter(present_addresses()), "")


@dataclass
class LanServer:
    """A server with ``--lan`` on ports that it keeps when it is started again."""

    database: Path
    command: str = "demo"
    port: int = field(default_factory=free_port)
    lan_port: int = field(default_factory=free_port)
    certificate_port: int = field(default_factory=free_port)
    bench_port: int = field(default_factory=free_port)
    process: subprocess.Popen[str] | None = None

    @property
    def home(self) -> str:
        """Where the machine itself asks."""
        return f"http://127.0.0.1:{self.port}"

    @property
    def url(self) -> str:
        """Where phones ask."""
        return f"https://{ADDRESS}:{self.lan_port}"

    @property
    def authority(self) -> Path:
        """Its authority's certificate."""
        return self.database.with_name(f"{self.database.stem}.network") / "authority.pem"

    def start(self) -> str:
        """Start it, and give what it said on the terminal."""
        self.process = subprocess.Popen(
            [
                *(sys.executable, "-m", "zesty_cell", self.command, "--lan", "--port", str(self.port)),
                *("--lan-port", str(self.lan_port), "--certificate-port", str(self.certificate_port)),
                *("--database", str(self.database), "--bench-port", str(self.bench_port)),
            ],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        assert self.process.stdout is not None
        told = []
        for line in self.process.stdout:
            told.append(line)
            if line.startswith("More codes"):
                break
        self.wait()
        return "".join(told)

    def wait(self) -> None:
        """Until it answers over TLS."""
        context = ssl.create_default_context(cafile=str(self.authority))
        deadline = time.monotonic() + 60
        while True:
            try:
                urllib.request.urlopen(f"{self.url}/pair", timeout=5, context=context).close()
                return
            except urllib.error.HTTPError:
                return
            except OSError:
                if time.monotonic() > deadline:
                    raise
                time.sleep(0.05)

    def stop(self, *, kill: bool = False) -> None:
        """End it, at once where it is killed."""
        if self.process is not None:
            (self.process.kill if kill else self.process.terminate)()
            self.process.wait(20)
            if self.process.stdout is not None:
                self.process.stdout.close()
            self.process = None


def typed_code(told: str) -> str:
    """The code that a terminal showed."""
    found = re.search(r"type ([0-9A-Z]{4}-[0-9A-Z]{4})", told)
    assert found, told
    return found[1]


@dataclass
class Phone:
    """A browser that keeps its profile, with what it trusts, when it is closed and opened again."""

    playwright: Playwright
    home: Path
    context: BrowserContext | None = None
    #: What its clock said when it was opened last.
    began: datetime | None = None

    def now(self) -> datetime:
        """What its clock says: as its page has it, where one is open."""
        if self.context is not None and self.context.pages:
            milliseconds = self.context.pages[0].evaluate("Date.now()")
            return datetime.fromtimestamp(milliseconds / 1000, UTC)
        return self.began or datetime.now(UTC)

    def trust(self, certificate: Path) -> None:
        """Put a certificate among those of authorities."""
        store = self.home / ".pki" / "nssdb"
        store.mkdir(parents=True)
        tool = shutil.which("certutil")
        assert tool, "certutil is missing: apt-get install libnss3-tools, or run `make test E2E=no`"
        subprocess.run([tool, "-d", f"sql:{store}", "-N", "--empty-password"], check=True)
        subprocess.run(
            [tool, "-d", f"sql:{store}", "-A", "-t", "C,,", "-n", "zesty", "-i", str(certificate)], check=True
        )

    def open(self, path: str = "") -> Page:
        """Start it, as after a restart."""
        (self.home / ".pki" / "nssdb").mkdir(parents=True, exist_ok=True)
        self.context = self.playwright.chromium.launch_persistent_context(
            str(self.home / "profile"), executable_path=shutil.which("chromium"), args=CHROMIUM_FLAGS,
            env={**os.environ, "HOME": str(self.home)}, viewport={"width": 390, "height": 844}, has_touch=True,
        )  # fmt: skip
        page = self.context.pages[0] if self.context.pages else self.context.new_page()
        if path:
            page.goto(path)
        return page

    def close(self) -> None:
        """Switch it off."""
        if self.context is not None:
            self.context.close()
            self.context = None


@contextmanager
def phone(playwright: Playwright, home: Path) -> Iterator[Phone]:
    """A phone that is switched off at the end."""
    one = Phone(playwright, home)
    try:
        yield one
    finally:
        one.close()


def nobody_listens(port: int) -> bool:
    """Whether a port is closed."""
    with socket.socket() as probe:
        return probe.connect_ex((ADDRESS, port)) != 0
