"""`make shots`: a current picture of each main view, from the demo data."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import sync_playwright

from tests.e2e.conftest import CHROMIUM_FLAGS
from tests.e2e.lan import LanServer

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
#: Name, path, width, height, theme, and whether the whole page is taken.
VIEWS = (
    ("sheet", "/sheets/8", 1280, 800, "paper", False),
    ("start", "/start", 1280, 800, "paper", False),
    ("hangar", "/hangar", 1280, 800, "paper", False),
    ("pack", "/hangar/packs/11", 1280, 800, "paper", True),
    ("pattern", "/hangar/patterns/new?like=freestyle", 1280, 800, "dusk", False),
    ("compare", "/choose/8", 1280, 800, "paper", True),
    ("callouts", "/callouts/8?days=yes", 1280, 800, "paper", True),
    ("surer", "/sheets/1/surer", 1280, 800, "paper", False),
    ("phone", "/phone", 1280, 800, "paper", False),
    ("pocket", "/pocket", 390, 844, "sun", False),
    ("flights", "/log", 1280, 800, "paper", False),
    ("taught", "/sheets/8/taught", 1280, 800, "paper", False),
    ("test", "/tests/1", 1280, 800, "paper", False),
    ("discharges", "/tests/discharges?run=1&run=2&run=3&run=4&run=6", 1280, 800, "paper", True),
    ("telemetry", "/log/36/telemetry/2", 1280, 800, "paper", True),
    ("off", "/off/3", 1280, 800, "paper", False),
    ("practice", "/practice/headwind_home?seed=5", 1280, 800, "paper", False),
    ("health", "/hangar/health", 1280, 800, "dusk", True),
    ("card", "/sheets/8/card", 1000, 1000, "paper", False),
)


#: The name of the machine that takes the pictures is nobody's business.
MADE_UP = """() => {
  for (const e of document.querySelectorAll(".phone-page .address")) {
    e.textContent = e.textContent.replace(/[^/]+\\.local/, "lighthouse.local");
  }
}"""
#: All of the day is there: the head of the phone's page says how much of it is, until it is.
ALL_READY = """() => {
  const head = document.querySelector(".pocket-head").innerText;
  return head.includes("as known") && !head.includes("ready");
}"""


@contextmanager
def started(server: LanServer) -> Iterator[str]:
    """The demo on its network, while it is photographed."""
    server.start()
    try:
        yield server.home
    finally:
        server.stop()


def main() -> None:
    """Start the demo in a folder of its own and photograph it."""
    OUT.mkdir(parents=True, exist_ok=True)
    with (
        tempfile.TemporaryDirectory() as folder,
        started(LanServer(Path(folder) / "shots.sqlite", lan_port=8767, certificate_port=8768)) as address,
        sync_playwright() as playwright,
    ):
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=CHROMIUM_FLAGS)
        for name, path, width, height, theme, whole in VIEWS:
            context = browser.new_context(viewport={"width": width, "height": height})
            view = {
                "name": "zesty_cell_view",
                "value": f"units-metric.volts-cell.theme-{theme}",
                "url": address,
            }
            context.add_cookies([view])
            page = context.new_page()
            page.goto(address + path, wait_until="networkidle")
            if path == "/phone":
                page.get_by_role("button", name="Show a code").click()
                page.wait_for_selector(".big-code")
                page.wait_for_selector("html[data-ready=yes]")
                page.evaluate(MADE_UP)
            if path == "/pocket":
                page.wait_for_function(ALL_READY, timeout=120_000)
                page.get_by_role("button", name="Heron", exact=True).click()
            if path == "/start":
                page.fill("#label", "6s 1300 120c 214g")
            if path == "/sheets":
                page.wait_for_selector("[data-pending=no]")
            page.wait_for_timeout(600)
            page.screenshot(path=OUT / f"{name}.png", full_page=whole)
            context.close()
        browser.close()


if __name__ == "__main__":
    main()
