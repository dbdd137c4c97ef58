"""A fair test from question to verdict: planned as one types, flown at the field and by hand, judged, printed."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import axe_violations, wait_for_scripts

pytestmark = pytest.mark.e2e


def plan(page: Page, club: str) -> None:
    """Swift, two propeller sets, one pack, planned by keyboard and mouse."""
    page.goto(f"{club}/tests")
    page.get_by_role("link", name="New test").click()
    wait_for_scripts(page)
    page.get_by_label("Craft", exact=True).select_option(label="Swift")
    expect(page.get_by_label("Satsuma 1")).to_be_visible()
    page.get_by_label("A is").fill("three blades")
    page.get_by_label("B is").fill("two blades")
    # What it takes stands beside it as one types.
    takes = page.locator("#test-takes")
    expect(takes).to_contain_text(re.compile(r"\d+ pairs see 5\s% less nine times in ten"))
    expect(takes).to_contain_text("flights in the log show")
    page.get_by_label("A difference matters from").fill("20")
    expect(takes).to_contain_text(re.compile(r"\d pairs see 20\s% less nine times in ten"))
    page.get_by_label("Satsuma 2").uncheck()
    expect(page.get_by_label("Satsuma 1")).to_be_checked()
    page.get_by_label("Pairs").fill("4")
    page.get_by_label("Called").fill("Blades")
    assert axe_violations(page) == []
    page.get_by_role("button", name="Make the test").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Blades")


def land_it(page: Page, club: str) -> None:
    """The first run is flown at the field, on a phone, and its pack charged."""
    page.set_viewport_size({"width": 390, "height": 844})
    page.get_by_role("link", name="the landing").click()
    wait_for_scripts(page)
    page.locator("#in-hand").get_by_role("link", name=re.compile("^Satsuma 1")).first.click()
    wait_for_scripts(page)
    run = page.locator("#test-run")
    expect(run).to_contain_text("It is run 1 of Blades: A, three blades, Satsuma 1")
    run.get_by_role("checkbox").check()
    page.locator("#flew").fill("3:00")
    page.get_by_role("button", name="Landed").click()
    expect(page.locator("#field-kept")).to_be_empty()
    expect(run).to_contain_text("It is run 2 of Blades: B, two blades, Satsuma 1")
    expect(run.get_by_role("checkbox")).not_to_be_checked()
    waiting = page.locator("#waiting li", has_text="Satsuma 1")
    waiting.locator("summary").click()
    waiting.get_by_label("Put back").fill("600")
    waiting.get_by_role("button", name="Charged").click()
    expect(waiting).to_have_count(0)
    page.set_viewport_size({"width": 1280, "height": 800})


def type_runs(page: Page, values: list[str]) -> None:
    for value in values:
        number = page.locator(".run-form button").first.text_content().split()[-1]
        page.get_by_label("Measured").fill(value)
        page.get_by_label("Air", exact=True).fill("15")
        page.get_by_role("button", name=f"Keep run {number}").click()
        expect(page.get_by_text(f"Run {number} is kept.")).to_be_visible()


def test_a_test_is_planned_flown_judged_and_printed(page: Page, club: str):
    plan(page, club)
    address = page.url
    assert axe_violations(page) == []
    land_it(page, club)
    page.goto(address)
    expect(page.locator("table.runs tbody tr").first).to_contain_text("200 mAh/min")
    type_runs(page, ["152", "150", "201"])
    expect(page.get_by_role("button", name="Look at the verdict")).to_be_visible()
    expect(page.locator(".pairs-chart")).to_have_count(0)
    # A gull: it does not count, said before anybody looked.
    last = page.locator("table.runs tbody tr").nth(3)
    last.locator("summary").click()
    last.get_by_label("Why").fill("a gull came along")
    last.get_by_role("button", name="Set aside").click()
    expect(page.get_by_text("a gull came along")).to_be_visible()
    type_runs(page, ["199", "202", "151", "149", "200"])
    page.get_by_role("button", name="Look at the verdict").click()
    expect(page.locator(".test-verdict")).to_contain_text(re.compile(r"B, two blades: 2\d\s% less charge a minute"))
    expect(page.locator(".pairs-chart circle")).to_have_count(4)
    assert "after the verdict had been seen" not in page.content()
    for theme in ("paper", "sun", "dusk"):
        page.evaluate("(theme) => { document.documentElement.dataset.theme = theme; }", theme)
        assert axe_violations(page) == [], theme
    page.set_viewport_size({"width": 390, "height": 844})
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.set_viewport_size({"width": 1280, "height": 800})
    page.get_by_role("link", name="Print the order").click()
    expect(page.locator("article.card tbody tr")).to_have_count(8)
    page.emulate_media(media="print")
    expect(page.get_by_role("button", name="Print")).to_be_hidden()
    page.emulate_media(media="screen")


def test_the_club_s_tests_are_accessible(page: Page, club: str):
    page.goto(f"{club}/tests")
    assert axe_violations(page) == []
    page.get_by_role("link", name="The dearer plug").click()
    expect(page.locator(".test-verdict")).to_contain_text("No difference that matters")
    assert axe_violations(page) == []
    page.goto(f"{club}/tests")
    page.get_by_role("link", name="Warm pocket").click()
    expect(page.locator(".spoiled")).to_contain_text("had A first")
    expect(page.get_by_role("button", name="Look at the verdict")).to_be_visible()
    assert axe_violations(page) == []
