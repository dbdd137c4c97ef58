"""A pilot's task at the sheet: by keyboard, by mouse, by touch, on paper, through a file, undone."""

from __future__ import annotations

import json
import re

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import wait_for_scripts

pytestmark = pytest.mark.e2e
LIGHTHOUSE = "Heron on Pomelo, lighthouse run"


def open_sheet(page: Page, club: str, name: str = LIGHTHOUSE, *, scripts: bool = True) -> None:
    page.goto(f"{club}/sheets")
    page.get_by_role("link", name=name, exact=True).first.click()
    expect(page.locator("#answer .big")).to_be_visible()
    if scripts:
        wait_for_scripts(page)


def answer_s(page: Page) -> int:
    minutes, seconds = page.locator("#answer .big").inner_text().split(":")
    return int(minutes) * 60 + int(seconds)


def keys(page: Page, *texts: str) -> None:
    """Type into the focused field and go on to the next, as a keyboard does."""
    for text in texts:
        page.keyboard.type(text)
        page.keyboard.press("Tab")


def test_a_sheet_from_nothing_by_keyboard_alone(page: Page, empty: str):
    page.goto(f"{empty}/hangar/crafts/new")
    page.locator("#name").focus()
    keys(page, "Avocet", "mul", "a quad", "310", "4", "50", "", "volts and ch", "the air")
    keys(page, *[""] * 6)  # motors and propellers: not known
    for _ in range(3):  # an estimate is proposed; what was read takes its place
        page.keyboard.press("ArrowDown")
    keys(page, "", "4,2", "15.1", "480", "a met", "18", "")
    for _ in range(2):
        page.keyboard.press("ArrowDown")
    keys(page, "", "62")
    page.keyboard.type("14")
    page.keyboard.press("Enter")
    expect(page.get_by_text("“Avocet” is in the hangar.")).to_be_visible()

    page.goto(f"{empty}/hangar/packs/new")
    page.locator("#name").focus()
    keys(page, "Quince", "Lithium-p", "4", "1", "", "850", "")
    page.keyboard.press("Enter")
    expect(page.get_by_text("“Quince” is in the hangar.")).to_be_visible()

    page.goto(f"{empty}/sheets")
    page.get_by_role("link", name="New sheet").focus()
    page.keyboard.press("Enter")
    wait_for_scripts(page)
    page.locator("#craft_id").select_option(label="Avocet")
    page.locator("#pack_id").select_option(label="Quince")
    page.get_by_role("button", name="Keep as a sheet").focus()
    page.keyboard.press("Enter")
    page.wait_for_url("**/sheets/*")
    expect(page.locator("#answer .big")).to_be_visible()
    wait_for_scripts(page)
    before = answer_s(page)
    page.keyboard.press("a")
    page.keyboard.type("-5")
    expect(page.locator("#saved")).to_contain_text("not saved yet")
    expect(page.locator("#answer")).to_contain_text("takes off cold")
    assert answer_s(page) != before
    page.keyboard.press("Escape")
    page.keyboard.press("s")
    expect(page.get_by_text("Saved.")).to_be_visible()
    expect(page.locator("#conditions-air_c")).to_have_value("-5")


def test_changing_the_pack_answers_live(page: Page, club: str):
    open_sheet(page, club)
    before, cells = answer_s(page), page.locator("#pack-picture svg").get_attribute("aria-label")
    page.locator("#pack_id").select_option(label="Double Pomelo")
    expect(page.locator("#pack-picture svg")).not_to_have_attribute("aria-label", cells)
    expect(page.locator("#saved")).to_contain_text("not saved yet")
    assert answer_s(page) > before * 1.2
    assert page.url.endswith(page.locator("#sheet-form").get_attribute("action"))


def test_the_last_answer_wins_while_a_slider_is_dragged(page: Page, club: str):
    open_sheet(page, club)
    slider = page.locator("input[data-for='landing-charge_kept']")
    box = slider.bounding_box()
    page.mouse.move(box["x"] + 40, box["y"] + 9)
    page.mouse.down()
    for x in range(40, 160, 6):
        page.mouse.move(box["x"] + x, box["y"] + 9)
    page.mouse.up()
    kept = int(page.locator("#landing-charge_kept").input_value())
    assert kept > 40
    expect(page.locator(".small-used figcaption")).to_contain_text(f"{100 - kept} %")


def test_the_cursor_reads_one_moment_by_mouse_arrow_keys_and_touch(page: Page, club: str, browser):
    open_sheet(page, club)
    box = page.locator(".voltage-wide").bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 60)
    readout = page.locator("#readout")
    expect(readout).to_contain_text(re.compile(r"\d+:\d\d · rest \d\.\d\d · steady \d\.\d\d"))
    by_mouse = readout.inner_text()
    page.keyboard.press("v")
    page.keyboard.press("ArrowRight")
    expect(readout).not_to_have_text(by_mouse)
    page.keyboard.press("Home")
    expect(readout).to_contain_text("0:00 · ")
    expect(page.locator("#traces")).to_have_attribute("aria-valuenow", "0")
    page.keyboard.press("End")
    spent = page.locator("#pack-picture .wheel-spent").count()
    assert spent >= 50  # the drawn pack empties with the moment read
    context = browser.new_context(viewport={"width": 390, "height": 844}, has_touch=True)
    phone = context.new_page()
    open_sheet(phone, club)
    phone.locator(".voltage-narrow").tap()
    expect(phone.locator("#readout")).to_contain_text("rest")
    context.close()


def test_bad_input_is_marked_at_its_field_and_the_picture_stays(page: Page, club: str):
    open_sheet(page, club)
    page.locator("#conditions-air_c").fill("-60")
    expect(page.locator("#error-conditions-air_c")).to_have_text("At least -30 °C, please.")
    expect(page.locator("#conditions-air_c")).to_have_attribute("aria-invalid", "true")
    expect(page.locator("#saved")).to_contain_text("last values that made sense")
    page.locator("#conditions-air_c").fill("12")
    expect(page.locator("#error-conditions-air_c")).to_be_empty()
    expect(page.locator("#answer .big")).to_be_visible()


def test_units_and_volts_change_without_losing_what_is_typed(page: Page, club: str):
    open_sheet(page, club)
    page.locator("#conditions-air_c").fill("20")
    expect(page.locator("#saved")).to_contain_text("not saved yet")
    page.locator("#prefs").click()
    page.get_by_role("button", name="°F", exact=True).click()
    expect(page.locator("#conditions-air_c")).to_have_value("68")
    wait_for_scripts(page)
    page.locator("#prefs").click()
    page.get_by_role("button", name="pack", exact=True).click()
    expect(page.get_by_text("Voltage of the pack")).to_be_visible()


def test_the_setup_card_is_an_a5_side_to_fly_by_and_one_to_set_by(page: Page, club: str, tmp_path):
    open_sheet(page, club)
    page.keyboard.press("k")
    expect(page.get_by_role("heading", name="Heron on Pomelo 1")).to_be_visible()
    for sides in (2, 1):
        paper = page.pdf(width="148mm", height="210mm", print_background=True)
        assert paper.startswith(b"%PDF")
        assert len(re.findall(rb"/Type\s*/Page\b", paper)) == sides
        if sides == 2:
            steps = page.locator(".card.steps")
            expect(steps).to_contain_text("“Land now” is true when the pack voltage is below")
            box = page.evaluate(
                "(() => { const c = document.querySelector('.card.steps'); return c.scrollHeight })()"
            )
            assert box <= 800  # 209 mm: nothing is cut off on paper
            page.get_by_role("link", name="the first only").click()


def test_export_import_delete_and_undo(page: Page, club: str, tmp_path):
    open_sheet(page, club, "Swift on Satsuma, harbour wall")
    page.get_by_text("More", exact=True).click()
    with page.expect_download() as download:
        page.get_by_role("link", name="Download as JSON").click()
    path = tmp_path / "sheet.json"
    download.value.save_as(path)
    document = json.loads(path.read_text())
    document["name"] = "Brought back"
    path.write_text(json.dumps(document))
    page.goto(f"{club}/sheets")
    page.locator("#file").set_input_files(path)
    page.get_by_role("button", name="Load", exact=True).click()
    expect(page.locator("#name")).to_have_value("Brought back")
    page.get_by_text("More", exact=True).click()
    page.get_by_role("button", name="Delete").click()
    expect(page.get_by_text("“Brought back” is deleted.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("#name")).to_have_value("Brought back")


def test_a_broken_file_is_refused_with_its_place(page: Page, club: str, tmp_path):
    path = tmp_path / "broken.json"
    path.write_text('{"format": oops}')
    page.goto(f"{club}/sheets")
    page.locator("#file").set_input_files(path)
    page.get_by_role("button", name="Load", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("Line 1, column 12")


def test_two_tabs_saving_one_sheet_lose_nothing(page: Page, club: str):
    open_sheet(page, club, "Skua on Lime, jet day")
    other = page.context.new_page()
    other.goto(page.url)
    wait_for_scripts(other)
    other.locator("#conditions-air_c").fill("25")
    other.get_by_role("button", name="Save").click()
    expect(other.get_by_text("Saved.")).to_be_visible()
    page.locator("#conditions-air_c").fill("3")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_role("alert")).to_contain_text("saved from another tab")
    expect(page.locator("#conditions-air_c")).to_have_value("3")
    page.get_by_role("button", name="Save mine as a copy").click()
    expect(page.locator("#name")).to_have_value("Skua on Lime, jet day, copy")
    expect(page.locator("#conditions-air_c")).to_have_value("3")


def test_a_server_that_is_gone_is_said_and_nothing_typed_is_lost(page: Page, club: str):
    open_sheet(page, club)
    page.context.set_offline(True)
    page.locator("#conditions-air_c").fill("25")
    expect(page.locator("#saved")).to_contain_text("does not answer. What you typed is still here")
    expect(page.locator("#conditions-air_c")).to_have_value("25")
    page.context.set_offline(False)
    page.locator("#conditions-air_c").fill("26")
    expect(page.locator("#saved")).to_contain_text("not saved yet")


def test_a_newer_question_may_come_in_the_middle_of_an_answer(page: Page, club: str):
    open_sheet(page, club)
    # The first answer's head has come, its body never does: until its question is dropped.
    page.evaluate("""() => {
        const real = window.fetch;
        window.fetch = async (address, options) => {
            window.fetch = real;
            document.documentElement.dataset.half = "answered";
            return { ok: true, status: 200, text: () => new Promise((_, reject) => {
                options.signal.addEventListener("abort", () => reject(options.signal.reason));
            }) };
        };
    }""")
    page.locator("#conditions-air_c").fill("25")
    expect(page.locator("html")).to_have_attribute("data-half", "answered")
    page.locator("#conditions-air_c").fill("26")
    expect(page.locator("#saved")).to_contain_text("not saved yet")


def test_landing_by_each_school_from_the_keyboard(page: Page, club: str):
    open_sheet(page, club)
    page.locator("#landing-summary").focus()
    page.keyboard.press("Enter")
    page.get_by_label("by timer alone").focus()
    page.keyboard.press("Space")
    page.locator("#landing-timer_s").fill("4:30")
    expect(page.locator("#answer .big")).to_have_text("4:30")
    page.get_by_label("by timer alone").uncheck()
    page.get_by_label("by charge used").uncheck()
    expect(page.locator("#error-landing")).to_contain_text("at least one landing rule")
    page.get_by_label("by loaded voltage").check()
    expect(page.locator("#answer")).to_contain_text("You land by loaded voltage")


def test_without_scripts_the_forms_still_work(browser, club: str):
    context = browser.new_context(java_script_enabled=False)
    page = context.new_page()
    open_sheet(page, club, scripts=False)
    page.locator("#conditions-air_c").fill("2")
    page.get_by_role("button", name="Work it out").click()
    expect(page.locator("#saved")).to_contain_text("not saved yet")
    expect(page.locator("#answer")).to_contain_text("takes off cold")
    context.close()


def test_keys_are_listed_and_find_finds(page: Page, club: str):
    open_sheet(page, club)
    page.keyboard.press("?")
    expect(page.get_by_role("heading", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("/")
    page.keyboard.type("plover")
    page.keyboard.press("Enter")
    expect(page.get_by_role("link", name="Plover on Bergamot")).to_be_visible()


def test_a_first_load_is_light_and_comes_from_here_alone(page: Page, club: str):
    sizes: list[int] = []
    hosts: set[str] = set()

    def finished(request):
        hosts.add(request.url.split("/")[2])
        sizes.append(sum(request.sizes()[k] for k in ("responseBodySize", "responseHeadersSize")))

    page.on("requestfinished", finished)
    page.goto(f"{club}/", wait_until="networkidle")
    assert hosts == {club.removeprefix("http://")}
    assert len(sizes) >= 8
    assert sum(sizes) < 350_000
