"""The first minute in a browser: from an empty hangar to a kept sheet, by mouse, by keys, with a thumb."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.e2e.conftest import wait_for_scripts

pytestmark = pytest.mark.e2e
LABEL = "6s 1300 120c 214g"
#: As many steps as a beginner may need, a typed line being one; and keys that can be typed in fifteen seconds.
MOST_STEPS, MOST_KEYS = 12, 45


def answer(page: Page) -> str:
    return page.locator("#first-answer .big").inner_text()


def kept_on_its_sheet(page: Page, landing: str) -> None:
    page.wait_for_url(re.compile(r"/sheets/\d+$"))
    expect(page.locator("#answer .big")).to_have_text(landing)
    expect(page.locator("#said")).to_contain_text("Kept")


def test_three_answers_by_mouse(page: Page, empty: str):
    page.goto(empty)
    expect(page).to_have_url(f"{empty}/start")
    wait_for_scripts(page)
    first = answer(page)
    steps = 0
    page.get_by_text("long range", exact=True).click()
    steps += 1
    expect(page.locator("#kind-long_range")).to_have_class(re.compile("on"))
    expect(page.locator("#first-answer .big")).not_to_have_text(first)
    page.locator("#label").click()
    page.keyboard.type("6s2p 21700 4200 45A")
    steps += 2
    expect(page.locator("#understood")).to_contain_text("of the whole pack")
    expect(page.locator("#label-picture svg")).to_have_attribute("aria-label", "6 cells in series, 2 in parallel")
    page.locator("#manners").get_by_text("gently", exact=True).click()
    steps += 1
    expect(page.locator("#start-strip")).to_contain_text("Long range")
    landing = answer(page)
    page.get_by_role("button", name="Keep as a sheet").click()
    steps += 1
    kept_on_its_sheet(page, landing)
    assert steps <= MOST_STEPS


def test_three_answers_by_keyboard_alone(page: Page, empty: str):
    page.goto(f"{empty}/start")
    wait_for_scripts(page)
    keys = ["c", "ArrowLeft", "p"]
    for key in keys:
        page.keyboard.press(key)
    expect(page.locator("#kind-small_quad")).to_have_class(re.compile("on"))
    line = "4s 650 lihv"
    page.keyboard.type(line)
    expect(page.locator("#understood")).to_contain_text("mAh")
    more = ["Escape", "f", "ArrowRight"]
    for key in more:
        page.keyboard.press(key)
    expect(page.locator("#start-strip")).to_contain_text("Race laps")
    expect(page.locator("#fix-series")).to_have_value("4")
    landing = answer(page)
    page.keyboard.press("s")
    kept_on_its_sheet(page, landing)
    assert len(keys) + 1 + len(more) + 1 <= MOST_STEPS
    assert len(keys) + len(line) + len(more) + 1 <= MOST_KEYS


def test_three_answers_with_a_thumb(browser: Browser, empty: str):
    context = browser.new_context(viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True)
    page = context.new_page()
    page.goto(empty)
    wait_for_scripts(page)
    page.get_by_text("small quad", exact=True).tap()
    page.locator("#label").tap()
    page.keyboard.type("4s 650")
    page.locator("#manners").get_by_text("hard", exact=True).tap()
    expect(page.locator("#start-strip")).to_contain_text("Race laps")
    landing = answer(page)
    # The answer and the way to keep it are in view all the time.
    expect(page.locator("#mini-answer")).to_contain_text(landing)
    assert page.locator(".keeprow").bounding_box()["y"] < 844
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    page.get_by_role("button", name="Keep as a sheet").tap()
    kept_on_its_sheet(page, landing)
    context.close()


def test_a_tired_pilot_stops_after_the_pack(page: Page, empty: str):
    page.goto(f"{empty}/start")
    wait_for_scripts(page)
    page.keyboard.press("p")
    page.keyboard.type(LABEL)
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile(r"/sheets/\d+$"))
    expect(page.get_by_text("6S 1300 LiPo").first).to_be_visible()


def test_the_answer_grows_with_every_key(page: Page, empty: str):
    page.goto(f"{empty}/start")
    wait_for_scripts(page)
    page.locator("#label").focus()
    series, charge = page.locator("#fix-series"), page.locator("#fix-capacity_ah")
    page.keyboard.press("3")
    expect(page.locator("#label-troubles")).to_contain_text("“3” of what?")
    expect(series).to_have_value("6")
    page.keyboard.press("s")
    expect(series).to_have_value("3")
    expect(charge).to_have_value("2600")  # assumed: as much energy as usual
    page.keyboard.type(" 85")
    expect(page.locator("#label-troubles")).to_contain_text("“85” has no unit")
    page.keyboard.press("0")
    expect(charge).to_have_value("850")
    expect(page.locator("#label-troubles")).to_have_text("")


def test_a_slider_and_its_number_are_one_and_a_word_is_corrected_in_place(page: Page, empty: str):
    page.goto(f"{empty}/start")
    wait_for_scripts(page)
    page.locator("#label").fill(LABEL)
    page.locator("[data-for=ready]").evaluate(
        "e => { e.value = 800; e.dispatchEvent(new Event('input', {bubbles: true})); }"
    )
    expect(page.locator("#ready")).to_have_value("800")
    expect(page.locator("#note-ready")).not_to_contain_text("assumed")
    heavier = answer(page)
    page.locator("#ready").fill("600")
    expect(page.locator("#first-answer .big")).not_to_have_text(heavier)
    assert page.locator("[data-for=ready]").input_value() == "600"
    page.locator("#ready").fill("")
    expect(page.locator("#note-ready")).to_contain_text("assumed")
    page.locator("#fix-series").fill("4")
    expect(page.locator("#understood")).to_contain_text("corrected")
    page.locator("#label").fill("5s 1300")
    expect(page.locator("#fix-capacity_ah")).to_have_value("1300")
    expect(page.locator("#fix-series")).to_have_value("4")  # what was corrected stays so


def test_a_measurement_is_typed_where_it_is_proposed(page: Page, empty: str):
    page.goto(f"{empty}/start")
    wait_for_scripts(page)
    page.locator("#label").fill(LABEL)
    expect(page.locator("#fix-mass_kg")).to_have_value("214")
    now = page.locator("#first-answer .range-words").inner_text()
    page.locator("#measure-hover_amps summary").click()
    page.locator("#m-hover_amps-amps").fill("7.5")
    expect(page.locator("#first-answer .range-words")).not_to_have_text(now)
    expect(page.locator("#measure-hover_amps")).to_contain_text("taken")
    expect(page.locator("#m-hover_amps-amps")).to_be_visible()
    assert page.locator("#m-hover_amps-amps").input_value() == "7.5"


def test_it_fits_a_laptop_without_scrolling_and_weighs_little(page: Page, empty: str):
    sizes = []
    page.on("response", lambda response: sizes.append(response.request.sizes()["responseBodySize"]))
    page.goto(f"{empty}/start")
    wait_for_scripts(page)
    page.wait_for_load_state("networkidle")
    assert page.evaluate("document.documentElement.scrollHeight") <= 800
    assert sum(sizes) < 200_000


def test_without_scripts_it_still_answers(browser: Browser, empty: str):
    context = browser.new_context(java_script_enabled=False)
    page = context.new_page()
    page.goto(f"{empty}/start")
    page.locator("#label").fill("2s 450")
    page.get_by_role("button", name="Work it out").click()
    expect(page.locator("#understood")).to_contain_text("mAh")
    assert page.locator("#fix-series").input_value() == "2"
    page.get_by_role("button", name="Keep as a sheet").click()
    expect(page.locator("#answer .big")).to_be_visible()
    context.close()
