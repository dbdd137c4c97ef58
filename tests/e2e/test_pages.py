"""Every page: axe finds nothing, nothing sticks out at phone width, in every theme."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import axe_violations, running

pytestmark = pytest.mark.e2e
PAGES = [
    "/start",
    "/sheets",
    "/sheets/8",
    "/sheets/5",
    "/sheets/8/card",
    "/hangar",
    "/hangar/crafts/1",
    "/hangar/crafts/new",
    "/hangar/crafts/2/propellers",
    "/hangar/crafts/2/propellers/set",
    "/hangar/parts",
    "/hangar/packs/new",
    "/hangar/packs/11",
    "/hangar/cells/1",
    "/hangar/pair",
    "/hangar/patterns",
    "/hangar/patterns/new",
    "/hangar/packs/new?label=4s+1500+qz30",
    "/sheets/1/surer",
    "/choose/8",
    "/choose/8/search",
    "/choose/4/buys",
    "/choose/8/crafts",
    "/callouts/8",
    "/callouts/8?rules=open",
    "/callouts/1?run=dropout",
    "/callouts/8?run=log-1",
    "/callouts/8/logs/1",
    "/callouts/8/voices",
    "/field",
    "/field?craft=2&pack=11",
    "/log",
    "/log/1",
    "/log/36/telemetry/2",
    "/sheets/8/taught",
    "/calibrate?craft=1",
    "/calibrate/voltage?craft=1",
    "/calibrate/current?craft=1",
    "/calibrate/lamp?craft=1",
    "/calibrate/hover-down?craft=2&log=2",
    "/calibrate/cells?pack=8",
    "/hangar/health",
    "/hangar/health/8",
    "/tests",
    "/tests/1",
    "/tests/3",
    "/tests/new",
    "/tests/1/sheet",
    "/tests/discharges?run=1&run=2&run=4&run=13&run=14",
    "/tests/discharges/new",
    "/tests/logs?log=1&log=2",
    "/tests/plugs",
    "/tests/thrust",
    "/tests/discharges/1/columns",
    "/tests/discharges/pack/9",
    "/off",
    "/off/new?craft=2&sign-flights_shorter=1&sign-swollen=1",
    "/off/1",
    "/off/2",
    "/off/table",
    "/practice",
    "/practice/telemetry_lost?seed=4",
    "/practice/flown/2",
    "/backup",
    "/phone",
    "/pair",
    "/pocket",
    "/find?q=heron",
    "/nowhere",
]


@pytest.mark.parametrize("path", PAGES)
def test_axe_finds_nothing_in_any_theme_and_nothing_sticks_out_at_phone_width(page: Page, club: str, path: str):
    page.goto(club + path)
    expect(page.locator("html")).to_have_attribute("data-theme", "paper")
    assert axe_violations(page) == []
    # A theme is other colours and nothing else.
    for theme in ("sun", "dusk"):
        page.evaluate("theme => document.documentElement.dataset.theme = theme", theme)
        assert axe_violations(page, "color-contrast") == [], theme
    page.set_viewport_size({"width": 390, "height": 844})
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    assert axe_violations(page, "target-size") == []


def test_a_theme_is_chosen_by_its_button(page: Page, club: str):
    page.goto(f"{club}/hangar")
    for theme in ("sun", "dusk", "day"):
        page.locator("#prefs").click()
        page.get_by_role("button", name=theme, exact=True).click()
        shown = {"day": "paper"}.get(theme, theme)
        expect(page.locator("html")).to_have_attribute("data-theme", shown)
        pressed = page.locator(f".pref button[value={shown}]")
        expect(pressed).to_have_attribute("aria-pressed", "true")


def test_every_sheet_fits_a_laptop_without_scrolling_with_an_old_plan_too(page: Page, tmp_path: Path):
    # A club of its own: what other tests leave behind does not count.
    with running("demo", tmp_path / "club.sqlite") as (address, _):
        for number in range(1, 9):
            page.goto(f"{address}/sheets/{number}")
            assert page.locator(".stale").count() == 0
            fits(page)
        for number in (3, 5, 8):  # those with the most to say beside it
            keep_an_old_plan(page, f"{address}/callouts/{number}")
            page.goto(f"{address}/sheets/{number}")
            assert page.locator(".stale").count() == 1
            fits(page)


def fits(page: Page) -> None:
    """The whole page is seen at once."""
    assert page.evaluate("document.documentElement.scrollHeight") <= 800, page.url
    assert page.evaluate("document.documentElement.scrollWidth") <= 1280, page.url


def keep_an_old_plan(page: Page, address: str) -> None:
    """Save and print a plan that holds everything otherwise than the sheet says."""
    page.goto(f"{address}?rules=open")
    page.locator('[name="timers.timer.at_s"]').fill("9:59")
    for hold in page.locator('[name$=".hold_s"]').all():
        if hold.is_visible():
            hold.fill("7")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#state")).not_to_contain_text("not saved yet")
    assert page.request.post(f"{address}/printed").ok


def test_bad_values_on_the_page_are_accessible_too(page: Page, club: str):
    page.goto(f"{club}/sheets/8")
    expect(page.locator("html[data-ready=yes]")).to_be_attached()
    page.locator("#conditions-air_c").fill("hot")
    expect(page.locator("#error-conditions-air_c")).to_contain_text("is not a number")
    assert axe_violations(page) == []
