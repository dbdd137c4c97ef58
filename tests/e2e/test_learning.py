"""Calibrations, import, learning, health, telemetry and backup, as a pilot does them in a browser."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.e2e.test_field import open_field
from tests.e2e.test_sheet import wait_for_scripts
from tests.web.test_import import season

pytestmark = pytest.mark.e2e


def check(page: Page, club: str, task: str, query: str = "") -> None:
    page.goto(f"{club}/calibrate/{task}{query}")
    wait_for_scripts(page)


def keep(page: Page, said: str) -> None:
    page.get_by_role("button", name="Keep this").click()
    expect(page.locator("#said")).to_contain_text("kept")
    expect(page.locator("tbody tr").first).to_contain_text(said)


def test_a_voltage_scale_by_keyboard_and_the_log_says_how_far_out(page: Page, club: str):
    check(page, club, "voltage", "?craft=5")
    for label, text in (("Scale it has now", "100"), ("Can be set in steps of", "0.1")):
        page.get_by_label(label).fill(text)
    page.get_by_label("It shows").first.fill("8,0")
    expect(page.locator("#error-meter_1")).to_contain_text("Both readings")
    page.get_by_label("The meter says").first.fill("8,2")
    expect(page.locator("#worked-out")).to_contain_text("102.5")
    expect(page.locator("#error-meter_1")).to_be_empty()
    page.keyboard.press("Escape")
    page.get_by_role("heading", name="Voltage scale").click()
    page.keyboard.press("s")
    expect(page.locator("tbody tr").first).to_contain_text("100 → 102.5")
    expect(page.locator(".sensors-now")).to_contain_text("the voltage sensor is right to")


def test_a_current_scale_from_the_flights_of_the_log(page: Page, club: str):
    check(page, club, "current")
    page.locator("#craft").select_option(label="Plover")
    page.goto(page.url.split("?")[0] + "?craft=" + page.locator("#craft").input_value())
    wait_for_scripts(page)
    page.get_by_label("Scale it has now").fill("250")
    page.get_by_label("a larger scale shows less").check()
    expect(page.locator("#worked-out")).to_contain_text("instead of 250")
    expect(page.locator("#worked-out")).to_contain_text("too much over 5 flights")
    keep(page, "250 → 2")


def test_the_way_to_the_lamp_with_the_choice_of_the_landing_stage(page: Page, club: str):
    check(page, club, "lamp", "?craft=1")
    page.get_by_label("A minute after landing").fill("24.9")
    expect(page.locator("#worked-out")).to_contain_text("0.70 V lost")
    page.get_by_label("Keep it").check()
    expect(page.locator("#worked-out")).to_contain_text("Set the landing stage under your last call")
    keep(page, "landing stage kept")


def test_a_hover_down_chart_out_of_a_log(page: Page, club: str):
    check(page, club, "hover-down", "?craft=1")
    page.get_by_role("link", name="heron-lighthouse.csv").click()
    wait_for_scripts(page)
    expect(page.locator("#worked-out")).to_contain_text("It begins to fall at")
    page.locator("#volts_12").fill("9")
    expect(page.locator("#error-volts_12")).to_contain_text("over a full cell")
    page.locator("#volts_12").fill("2.95")
    keep(page, "The knee lies at")


def test_a_cell_check_and_the_dry_cell_in_the_hangar(page: Page, club: str):
    check(page, club, "cells")
    page.locator("#pack").select_option(label="Tangelo 1")
    page.get_by_label("Each cell").fill("3.81 3.80 3.66 3.81")
    expect(page.locator("#worked-out")).to_contain_text("Retire it: cell 3")
    keep(page, "cell 3 lowest: retire")
    page.goto(f"{club}/hangar/health")
    line = page.locator(".health-lines li", has_text="Tangelo 1")
    expect(line).to_contain_text("Retire")
    expect(line.locator(".dry")).to_have_count(1)
    page.goto(f"{club}/hangar")
    expect(page.get_by_label("Tangelo 1: retire").first).to_be_visible()


def test_flights_are_imported_after_a_look_and_never_twice(page: Page, club: str):
    text = season(40).replace("Pomelo 1,", "Pomelo 2,", 1) + "soon,Heron,Pomelo 1,cruise,600\n"
    for turn, words in enumerate(("40 new flights", "0 new flights, 40 in the log already")):
        page.goto(f"{club}/log")
        wait_for_scripts(page)
        page.locator(".import-flights summary", has_text="Bring flights in").click()
        page.set_input_files("#flights-file", {"name": "old.csv", "mimeType": "text/csv", "buffer": text.encode()})
        page.get_by_role("button", name="Look at it").click()
        expect(page.locator(".import-page .lead")).to_contain_text(words)
        expect(page.locator("tr.is-wrong")).to_contain_text("“soon” is no moment")
        if not turn:
            page.get_by_role("button", name="Import 40 flights").click()
            expect(page.locator(".import-page .lead")).to_contain_text("40 flights joined the log")


def test_a_flight_is_learned_from_and_the_sheet_changes(page: Page, club: str):
    """Skua has a log of its own in no sheet yet: one flight that takes more, and its sheet says so."""
    page.goto(f"{club}/sheets/2")
    wait_for_scripts(page)
    before = page.locator(".answer-time .big").text_content()
    expect(page.locator(".corrected")).to_have_count(0)
    open_field(page, club, "Kestrel")
    page.locator("#flew").fill("3:00")
    page.get_by_role("button", name="Landed").click()
    waiting = page.locator("#waiting li", has_text="Clementine pair")
    waiting.locator("summary").click()
    waiting.get_by_label("Put back").fill("1700")
    waiting.get_by_role("button", name="Charged").click()
    expect(page.locator("#waiting li", has_text="Clementine pair")).to_have_count(0)
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto(f"{club}/sheets/2")
    expect(page.locator(".corrected")).to_contain_text(f"Corrected by 1 flight, {before} without")
    assert page.locator(".answer-time .big").text_content() != before
    page.get_by_role("link", name="Corrected by 1 flight").click()
    expect(page.get_by_role("heading", name="What flights taught")).to_be_visible()
    page.get_by_role("button", name="Go by the sheet alone").click()
    page.goto(f"{club}/sheets/2")
    expect(page.locator(".answer-time .big")).to_have_text(before)


def test_telemetry_is_explored_by_mouse_and_keyboard_and_its_pattern_flown(page: Page, club: str):
    page.goto(f"{club}/log/36")
    page.get_by_role("link", name="swift-harbour.csv").click()
    panels = page.locator("#panels")
    expect(panels).to_have_attribute("data-drawn", "yes")
    panels.focus()
    page.keyboard.press("ArrowRight")
    readout = page.locator("#panels .readout").first
    expect(readout).to_contain_text(re.compile(r"\d:\d\d · logged \d\d\.\d+ · forecast \d\d\.\d+ · fitted"))
    page.keyboard.press("+")
    page.keyboard.press("+")
    over = page.locator(".u-over").first
    box = over.bounding_box()
    page.mouse.move(box["x"] + 2, box["y"] + 40)
    begins = readout.text_content().split(" ")[0]
    assert begins not in ("0:00", "")
    page.mouse.move(box["x"] + 60, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + 160, box["y"] + 40)
    page.mouse.up()
    page.get_by_role("button", name="Whole flight").click()
    page.mouse.move(box["x"] + 2, box["y"] + 40)
    expect(readout).to_contain_text("0:0")
    page.get_by_label("turns, power in percent").first.fill("150")
    page.get_by_role("button", name="Fly the sheet like this").click()
    expect(page.locator("#said")).to_contain_text("is flown as this log was")
    expect(page.locator("#pattern")).to_contain_text("Swift, 5 November")


def test_a_backup_goes_down_and_comes_back(page: Page, club: str):
    page.goto(f"{club}/backup")
    with page.expect_download() as coming:
        page.get_by_role("link", name="Download a backup").click()
    path = coming.value.path()
    page.goto(f"{club}/sheets")
    page.get_by_role("link", name="New sheet").click()
    page.get_by_role("button", name="Keep as a sheet").click()
    page.wait_for_url("**/sheets/*")
    page.goto(f"{club}/backup")
    page.set_input_files("#backup-file", path)
    page.get_by_role("button", name="Look into it").click()
    expect(page.get_by_text("It is whole and holds")).to_be_visible()
    page.get_by_role("button", name="Restore it").click()
    expect(page.locator("#said")).to_contain_text("Restored")
    expect(page.get_by_text("Freestyle quad on")).to_have_count(0)


def test_moments_are_written_in_the_time_of_whoever_looks(browser: Browser, club: str):
    context = browser.new_context(timezone_id="Asia/Tokyo")
    page = context.new_page()
    page.goto(f"{club}/log/36")
    # Landed at 17:30 UTC on 5 November: the next morning there.
    expect(page.locator("main time")).to_have_text("6 November 2026, 02:30")
    page.goto(f"{club}/log")
    assert page.locator("input[data-zone]").input_value() == "Asia/Tokyo"
    context.close()
