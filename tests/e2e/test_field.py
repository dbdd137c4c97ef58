"""A field day on the phone: fly, land without a line, reconnect, charge, the next timer."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.test_sheet import wait_for_scripts

pytestmark = pytest.mark.e2e


def open_field(page: Page, club: str, craft: str) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{club}/field")
    page.get_by_role("link", name=craft, exact=True).click()
    expect(page.get_by_role("heading", name=f"{craft}, next flight")).to_be_visible()
    wait_for_scripts(page)


def seconds(text: str) -> int:
    minutes, rest = text.split(":")
    return 60 * int(minutes) + int(rest)


def test_a_whole_field_day(page: Page, club: str):
    open_field(page, club, "Skua")
    expect(page.locator(".timer-box .why")).to_contain_text(re.compile(r"First flight: half of \d+:\d\d\."))
    first = seconds(page.locator("#flew").input_value())
    pack = page.locator("#in-hand .sub").text_content().split(" is charged")[0].split(",")[0]
    # The line is down: landed and told all the same, and kept over a reload is not needed to keep it.
    page.context.set_offline(True)
    page.get_by_role("button", name="Landed").click()
    expect(page.locator("#field-kept")).to_contain_text("1 entry is kept here")
    expect(page.get_by_role("heading", name="How was it?")).to_be_visible()
    page.locator("#d-rest_v_per_cell").fill("3,82")
    page.locator("#d-air_c").fill("9")
    page.get_by_label("gentle").check()
    page.get_by_role("button", name="Keep").click()
    expect(page.locator("#field-kept")).to_contain_text("2 entries are kept here")
    # Back again: sent in order, once each, and the page shows it.
    page.context.set_offline(False)
    page.evaluate("window.dispatchEvent(new Event('online'))")
    expect(page.locator("#field-kept")).to_be_empty()
    waiting = page.locator("#waiting li", has_text=pack)
    expect(waiting).to_contain_text("rested at 3.82 V")
    # The charger's word, first one that cannot be.
    waiting.locator("summary").click()
    waiting.get_by_label("Put back").fill("90000")
    waiting.get_by_role("button", name="Charged").click()
    expect(page.locator("#field-wrong")).to_contain_text("is more than")
    # It is put right where it is told, with all else that was typed.
    page.locator("#field-wrong").get_by_label("Put back, mAh").fill("1500")
    page.locator("#field-wrong").get_by_role("button", name="Put it right").click()
    expect(page.locator("#field-wrong li")).to_have_count(0)
    expect(page.locator("#waiting li", has_text=pack)).to_have_count(0)
    expect(page.locator(".timer-box .why")).to_contain_text("1 flight took")
    expect(page.locator("#flew")).not_to_have_value(f"{first // 60}:{first % 60:02d}")
    assert first < seconds(page.locator("#flew").input_value()) <= 1.25 * first
    page.goto(f"{club}/log")
    line = page.locator(".flights li", has_text="Skua")
    expect(line).to_have_count(1)
    expect(line).to_contain_text("gentle")
    expect(line).to_contain_text("used, put back")


def test_the_watch_runs_from_take_off_over_a_reload(page: Page, club: str):
    open_field(page, club, "Tern")
    page.get_by_role("button", name="Took off").click()
    expect(page.locator("#took-off")).to_have_text(re.compile("In the air since"))
    # Two minutes ago, and the phone was locked meanwhile.
    page.evaluate("""async () => {
      const up = await zestyQueue.kept('air');
      for (const key in up) up[key].since = Date.now() - 125000;
      await zestyQueue.keep('air', up);
    }""")
    page.reload()
    wait_for_scripts(page)
    expect(page.locator("#took-off")).to_have_text(re.compile("In the air since"))
    page.get_by_role("button", name="Landed").click()
    expect(page.locator("#waiting li").last).to_contain_text(re.compile("flew 2:0[5-7]"))
    expect(page.locator("#took-off")).to_have_text("Took off")


def test_an_answer_that_is_lost_does_not_make_a_second_flight(page: Page, club: str):
    page.goto(f"{club}/log")
    before = int(page.locator("#log-total").text_content().split(" ")[0])
    open_field(page, club, "Heron")
    # The server takes the entry, and its answer never arrives.
    lost = []

    def lose(route):
        if not lost:
            lost.append(route.fetch().status)
            route.abort()
        else:
            route.continue_()

    page.route("**/pocket/entries", lose)
    with page.expect_event("requestfailed"):
        page.get_by_role("button", name="Landed").click()
    assert lost == [200]
    expect(page.locator("#field-kept")).to_contain_text("1 entry is kept here")
    page.evaluate("window.dispatchEvent(new Event('online'))")
    expect(page.locator("#field-kept")).to_be_empty()
    page.goto(f"{club}/log")
    expect(page.locator("#log-total")).to_contain_text(f"{before + 1} flights")


def test_one_entry_that_cannot_be_taken_is_shown_and_the_rest_goes_on(page: Page, club: str):
    page.goto(f"{club}/log")
    before = int(page.locator("#log-total").text_content().split(" ")[0])
    open_field(page, club, "Heron")
    page.context.set_offline(True)
    for _ in range(3):
        page.get_by_role("button", name="Landed").click()
    expect(page.locator("#field-kept")).to_contain_text("3 entries are kept here")
    # Landed in turn, not on top of each other; and the server stumbles over the first, whenever it is sent.
    names = page.evaluate("""async () => {
      const kept = (await zestyQueue.all()).filter((e) => e.values.kind === 'landed');
      for (const [k, e] of kept.entries()) {
        const at = new Date(Date.now() - (9 - 3 * k) * 3600e3).toISOString();
        await zestyQueue.mend(e.name, { landed_at: at }, false);
      }
      return kept.map((e) => e.name);
    }""")
    tries = []

    def stumble(route):
        if names[0] in (route.request.post_data or ""):
            tries.append(1)
            route.fulfill(status=500, content_type="text/html", body="<p>Trouble</p>")
        else:
            route.continue_()

    page.route("**/pocket/entries", stumble)
    page.context.set_offline(False)
    page.evaluate("window.dispatchEvent(new Event('online'))")
    expect(page.locator("#field-kept")).to_contain_text("1 entry is kept here")
    for _ in range(2):
        page.wait_for_timeout(150)
        page.evaluate("window.dispatchEvent(new Event('online'))")
    expect(page.locator("#field-wrong")).to_contain_text("The server does not take this (500).")
    assert len(tries) == 4  # once together with the others, then by itself
    page.unroute("**/pocket/entries")
    page.locator("#field-wrong").get_by_role("button", name="Put it right").click()
    expect(page.locator("#field-wrong li")).to_have_count(0)
    expect(page.locator("#field-kept")).to_be_empty()
    page.goto(f"{club}/log")
    expect(page.locator("#log-total")).to_contain_text(f"{before + 3} flights")


def test_a_network_that_answers_in_the_servers_stead_takes_nothing(page: Page, club: str):
    open_field(page, club, "Skua")
    page.route(
        "**/pocket/entries", lambda route: route.fulfill(status=200, content_type="text/html", body="Log in")
    )
    page.get_by_role("button", name="Landed").click()
    page.wait_for_timeout(200)
    expect(page.locator("#field-kept")).to_contain_text("1 entry is kept here")
