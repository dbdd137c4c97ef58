"""Three drills by the keyboard alone, one of them by ear; and what is off, from its signs to what it was."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import axe_violations, wait_for_scripts

pytestmark = pytest.mark.e2e


def begin(page: Page, club: str, drill: str, seed: int = 3) -> None:
    page.goto(f"{club}/practice/{drill}?seed={seed}")
    wait_for_scripts(page)
    expect(page.locator("#begin")).to_be_enabled()
    page.keyboard.press("Space")
    expect(page.locator("#four")).to_be_visible()


def seconds(page: Page) -> int:
    minutes, rest = page.locator("#clock").inner_text().split(":")
    return 60 * int(minutes) + int(rest)


def laid_open(page: Page) -> None:
    page.wait_for_url(re.compile(r"/practice/flown/\d+$"), timeout=60_000)
    expect(page.locator(".practice-chart .rest")).to_be_visible()


def test_a_chattering_alarm_flown_by_keys(page: Page, club: str):
    begin(page, club, "chatter")
    # The first climb makes it speak: the drill waits, and asks.
    expect(page.locator("#ask")).to_be_visible()
    expect(page.locator("#heard li").last).to_contain_text("“pack low”")
    page.keyboard.press("1")
    expect(page.locator("#ask")).to_be_hidden()
    page.keyboard.press("Space")
    page.keyboard.press("g")
    expect(page.locator("[data-action=gentler]")).to_have_class(re.compile("chosen"))
    page.keyboard.press("h")
    expect(page.locator("[data-action=home]")).to_be_disabled()
    expect(page.locator("#leg")).to_have_text("landing")
    laid_open(page)
    expect(page.locator(".flown-words")).to_contain_text("You said a climb: right.")
    expect(page.locator(".first")).to_contain_text("Down over the field")
    assert axe_violations(page) == []


def test_a_plain_radio_paused_and_landed_where_it_is(page: Page, club: str):
    begin(page, club, "plain_radio")
    expect(page.locator("#volts")).to_have_text("–")
    page.keyboard.press("p")
    expect(page.locator("#pause")).to_have_text("Fly on")
    at = seconds(page)
    page.wait_for_timeout(500)
    assert seconds(page) == at
    assert axe_violations(page) == []
    page.keyboard.press("p")
    page.wait_for_timeout(1500)
    page.keyboard.press("l")
    laid_open(page)
    expect(page.locator(".first")).to_contain_text("away")
    page.keyboard.press("n")
    page.wait_for_url(re.compile(r"/practice/[a-z_]+$"))


def test_a_drill_by_ear_alone_with_less_motion(page: Page, club: str):
    """What is shown is said: the words, and what the transmitter shows, where a screen reader hears them."""
    page.emulate_media(reduced_motion="reduce")
    spoken: list[str] = []
    page.on("request", lambda r: spoken.append(r.url) if "say.wav" in r.url else None)
    begin(page, club, "cold_first_minute")
    aloud = page.locator("#aloud")
    expect(aloud).to_have_attribute("aria-live", "assertive")
    expect(page.locator("#ask")).to_be_visible()
    expect(aloud).to_contain_text("Was that a climb, or is it the end?")
    assert any("pack+low" in url for url in spoken)
    page.keyboard.press("Enter")
    expect(page.locator("#ask")).to_be_hidden()
    page.keyboard.press("v")
    expect(aloud).to_contain_text(re.compile(r"\d+:\d\d, [a-z ]+, .+, \d\d\.\d volts"))
    page.keyboard.press("h")
    expect(aloud).to_contain_text("On the way home.")
    laid_open(page)
    page.emulate_media(reduced_motion="no-preference")


def test_a_server_that_is_gone_costs_no_drill(page: Page, club: str):
    begin(page, club, "plain_radio", seed=8)
    page.route("**/play", lambda route: route.abort())
    # Only once the browser says so is it gone.
    page.wait_for_function("fetch('/nowhere/play', { method: 'POST' }).then(() => false, () => true)")
    page.keyboard.press("h")
    expect(page.locator("#trouble")).to_contain_text("The server does not answer.")
    page.unroute("**/play")
    page.keyboard.press("h")
    expect(page.locator("#trouble")).to_have_text("")
    laid_open(page)


def test_what_is_off_from_its_signs_to_what_it_was(page: Page, club: str):
    page.goto(f"{club}/off/new")
    wait_for_scripts(page)
    ranking = page.locator("#off-ranking")
    expect(ranking).to_contain_text("Causes stand here")
    page.get_by_label("Craft", exact=True).select_option(label="Swift")
    page.get_by_label("the alarm chatters").check()
    expect(ranking).to_contain_text("a hold shorter than a climb")
    expect(page).to_have_url(re.compile("sign-alarm_chatters=1"))
    page.get_by_label("the pack is swollen").check()
    expect(ranking.get_by_role("alert")).to_contain_text("Stop. Do not charge it")
    page.get_by_label("the pack is swollen").uncheck()
    expect(ranking.get_by_role("alert")).to_have_count(0)
    page.get_by_role("button", name="Find it out").click()
    page.wait_for_url(re.compile(r"/off/\d+$"))
    for _ in range(10):
        answers = page.locator(".answers").first
        if not answers.count():
            break
        heading = page.locator(".off-next h2").first.inner_text()
        answers.get_by_role("button").nth(1 if "hold" in heading else 0).click()
        page.wait_for_load_state()
    expect(page.locator(".off-said")).to_contain_text("a hold shorter than a climb")
    page.get_by_role("button", name="Close it").click()
    expect(page.locator(".off-said")).to_have_text("It was a hold shorter than a climb.")
