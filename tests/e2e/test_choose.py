"""Money in hand: build a pack, compare, search and open as a sheet, see what buys minutes."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.test_sheet import answer_s, wait_for_scripts

pytestmark = pytest.mark.e2e
LIGHTHOUSE = "Heron on Pomelo, lighthouse run"


def choose(page: Page, club: str) -> None:
    page.goto(f"{club}/sheets")
    page.get_by_role("link", name=LIGHTHOUSE, exact=True).first.click()
    wait_for_scripts(page)
    page.keyboard.press("w")
    expect(page.get_by_role("heading", name="Which pack for Heron?")).to_be_visible()
    wait_for_scripts(page)


def names(page: Page) -> list[str]:
    return page.locator(".compare .row-name").all_inner_texts()


def test_building_a_pack_from_cells_draws_it_live_and_keeps_it(page: Page, club: str):
    page.goto(f"{club}/hangar")
    page.locator(".cells-shelf li", has_text="Rind 21-70").get_by_role("link", name="build from it").click()
    wait_for_scripts(page)
    expect(page.locator("#worked-out")).to_contain_text("mm")
    page.get_by_label("Name", exact=True).fill("Grapefruit 1")
    page.get_by_label("In parallel (P)").fill("2")
    expect(page.locator("#worked-out")).to_contain_text("128 × 43 × 70 mm")
    page.get_by_label("The cells lie").select_option(label="in two layers")
    expect(page.locator("#worked-out")).to_contain_text("64 × 85 × 70 mm")
    drawn = page.locator("#worked-out svg.pack")
    expect(drawn).to_have_attribute("aria-label", "6 cells in series, 2 in parallel, in two layers")
    page.get_by_label("The cells lie").select_option(label="end to end in a tube")
    expect(page.locator("#error-arrangement")).to_contain_text("single string")
    expect(page.locator("#arrangement")).to_have_attribute("aria-invalid", "true")
    page.get_by_label("The cells lie").select_option(label="in rows")
    expect(page.locator("#error-arrangement")).to_be_empty()
    page.get_by_text("Measured: the charger’s reading").click()
    page.get_by_label("Each cell in series, with spaces").fill("11 11 11 11 11 15")
    expect(page.locator("#worked-out")).to_contain_text("from the charger’s reading")
    page.get_by_role("button", name="Keep it in the hangar").click()
    expect(page.get_by_text("“Grapefruit 1” is in the hangar.")).to_be_visible()
    page.get_by_role("link", name="Grapefruit 1", exact=True).click()
    expect(page.locator("#source-cells")).to_be_checked()
    expect(page.get_by_label("Each cell in series, with spaces")).to_have_value("11 11 11 11 11 15")


def test_comparing_by_keyboard_and_mouse(page: Page, club: str):
    choose(page, club)
    assert "Pomelo 1" in names(page)
    before = len(names(page))
    verdict = page.locator("#short .verdict").first
    first = verdict.inner_text()
    page.get_by_label("strongest at the end").focus()
    page.keyboard.press("Space")
    expect(verdict).not_to_have_text(first)
    expect(verdict).to_contain_text("times its weight at landing")
    page.get_by_text("Packs in view", exact=True).click()
    page.get_by_role("checkbox", name="Double Pomelo").uncheck()
    expect(page.locator(".compare .row-name")).to_have_count(before - 1)
    page.get_by_label("each at its own").check()
    page.reload()
    assert "Double Pomelo" not in names(page)  # the address carries the choice
    page.get_by_role("link", name="li-ion energy").click()
    expect(page.locator("#knee")).to_contain_text("li-ion energy")


def test_searching_brushing_and_opening_as_a_sheet(page: Page, club: str):
    choose(page, club)
    page.get_by_role("link", name="Search", exact=True).click()
    wait_for_scripts(page)
    page.get_by_label("Flight time, at least").fill("12:00")
    page.get_by_label("Hottest cell, at most").fill("55")
    page.get_by_role("button", name=re.compile("^Search")).click()
    expect(page.locator(".found-line")).to_contain_text("packs meet your limits")
    wait_for_scripts(page)
    box = page.locator("#front").bounding_box()
    page.mouse.move(box["x"] + 0.45 * box["width"], box["y"] + 0.1 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + 0.75 * box["width"], box["y"] + 0.7 * box["height"], steps=4)
    page.mouse.up()
    expect(page.locator("#counts")).to_contain_text("inside the brush")
    page.get_by_role("button", name="Compare the chosen").click()
    expect(page.locator(".compare")).to_contain_text("imagined")
    page.go_back()
    wait_for_scripts(page)
    row = page.locator(".hits tbody tr").first
    name, lands = row.locator("th").inner_text().splitlines()[0], row.locator("td b").first.inner_text()
    row.get_by_role("button", name=f"{name}, open as a sheet").click()
    expect(page.locator("#answer .big")).to_have_text(lands)  # the search and the sheet agree to the second
    expect(page.get_by_text("is in the hangar as wanted")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("is deleted.")).to_be_visible()


def test_a_search_that_takes_longer_shows_how_far_it_is_and_can_be_stopped(page: Page, club: str):
    page.goto(f"{club}/choose/4/search")
    wait_for_scripts(page)
    page.get_by_label("in steps").fill("1500")
    page.locator("#capacity_from_ah").fill("300")
    page.locator("#capacity_to_ah").fill("50000")
    page.locator("#parallel_to").fill("3")
    page.locator("#series_from").fill("1")
    page.locator("#series_to").fill("14")  # as many as are flown at a time
    page.get_by_label("LiHV").check()
    # What a search before this one finds in the meantime must not undo the typing.
    expect(page.locator(".found-line")).to_be_visible()
    expect(page.get_by_label("in steps")).to_have_value("1500")
    page.get_by_role("button", name=re.compile("^Search")).click()
    expect(page.get_by_role("heading", name=re.compile("^Flying"))).to_be_visible()
    expect(page.locator("#progress p").first).not_to_have_text("0 are back.")
    page.get_by_role("button", name="Stop the search").click()
    expect(page.get_by_role("heading", name="Which pack for Plover?")).to_be_visible()


def test_what_buys_minutes_is_tried_on_the_sheet(page: Page, club: str):
    page.goto(f"{club}/sheets")
    page.get_by_role("link", name=LIGHTHOUSE, exact=True).first.click()
    wait_for_scripts(page)
    before = answer_s(page)
    page.get_by_role("link", name="More time?").click()
    row = page.locator(".buys tr", has_text="off the craft")
    gained = row.locator("td b").inner_text().lstrip("+").removesuffix(" s")
    minutes, seconds = gained.split(":") if ":" in gained else ("0", gained)
    row.get_by_role("link").click()
    wait_for_scripts(page)
    expect(page.locator("#trying")).to_contain_text("off the craft")
    assert abs(answer_s(page) - before - (60 * int(minutes) + int(seconds))) <= 1
    page.locator("#trying input").uncheck()
    expect(page.locator("#answer .big")).to_have_text(f"{before // 60}:{before % 60:02d}")
    expect(page.locator("#trying")).to_be_empty()


def test_choosing_works_without_scripts(browser, club: str):
    context = browser.new_context(java_script_enabled=False)
    page = context.new_page()
    page.goto(f"{club}/choose/8")
    page.get_by_text("Packs in view", exact=True).click()
    page.get_by_role("checkbox", name="Lime 1").uncheck()
    page.get_by_label("lightest").check(force=True)
    page.get_by_role("button", name="Compare", exact=True).click()
    expect(page.locator(".compare")).not_to_contain_text("Lime 1")
    expect(page.locator("#short .verdict").first).to_contain_text("is ready to fly at")
    page.get_by_role("link", name="Search", exact=True).click()
    page.get_by_role("button", name=re.compile("^Search")).click()
    expect(page.locator(".found-line")).to_be_visible()
    context.close()


def test_filtering_the_hangar_is_live(page: Page, club: str):
    page.goto(f"{club}/hangar")
    wait_for_scripts(page)
    page.get_by_placeholder("name").fill("pomelo")
    expect(page.locator("#packs")).not_to_contain_text("Kumquat")
    expect(page.locator("#packs")).to_contain_text("Double Pomelo")
    assert "q=pomelo" in page.url


def test_two_in_parallel_are_judged_as_they_are_chosen(page: Page, club: str):
    page.goto(f"{club}/hangar/pair")
    wait_for_scripts(page)
    page.get_by_label("One", exact=True).select_option(label="Satsuma 1")
    page.get_by_label("The other", exact=True).select_option(label="Lime 1")
    expect(page.locator("#pair")).to_contain_text("times as hard as")
    page.get_by_label("The other", exact=True).select_option(label="Tangelo 1")
    expect(page.locator("#pair")).to_contain_text("Do not join these")
