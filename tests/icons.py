"""Makes the icons of a home screen from the one drawing: ``make icons``; what it makes is committed and shipped."""

from __future__ import annotations

import shutil
from pathlib import Path

from playwright.sync_api import sync_playwright

from tests.e2e.conftest import CHROMIUM_FLAGS

STATIC = Path(__file__).parents[1] / "src" / "zesty_cell" / "web" / "static"
#: Name, width of the picture, and how much of it the drawing takes: what is masked keeps a border of its ground.
ICONS = (("icon-192", 192, 1.0), ("icon-512", 512, 1.0), ("icon-maskable-512", 512, 0.72))
GROUND = "#F8F8EF"


def main() -> None:
    """Draw each and photograph it."""
    drawing = (STATIC / "icon.svg").read_text()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=CHROMIUM_FLAGS)
        for name, width, share in ICONS:
            page = browser.new_page(viewport={"width": width, "height": width})
            ground = GROUND if share < 1.0 else "transparent"
            size = round(width * share)
            page.set_content(
                f"<body style='margin:0;background:{ground};display:grid;place-items:center;height:100vh'>"
                f"<div style='width:{size}px;height:{size}px'>{drawing}</div>"
            )
            page.screenshot(path=STATIC / f"{name}.png", omit_background=True)
            page.close()
        browser.close()


if __name__ == "__main__":
    main()
