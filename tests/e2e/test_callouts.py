"""Callouts: write by school, edit a word by keyboard, trip a finding and mend it, drag a rung, play the run."""

from __future__ import annotations

import io
import json
import re
import wave
import zipfile
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.test_sheet import wait_for_scripts

pytestmark = pytest.mark.e2e


def open_callouts(page: Page, club: str, number: int = 8) -> None:
    page.goto(f"{club}/callouts/{number}?rules=open")
    wait_for_scripts(page)


def value(page: Page) -> str:
    return page.locator("#rules-land_now-conditions-0-value").input_value()


def test_three_sentences_come_first_and_the_ladder_stays(page: Page, club: str):
    page.set_viewport_size({"width": 1280, "height": 800})
    page.goto(f"{club}/callouts/8")
    wait_for_scripts(page)
    expect(page.locator("#in-short li")).to_have_count(3)
    expect(page.locator("#in-short")).to_contain_text("“land now” when the pack stays below")
    expect(page.locator("#rules-land_now-conditions-0-value")).to_be_hidden()
    expect(page.locator("#bad-title")).to_be_in_viewport()  # the proof needs no scrolling to
    page.get_by_text("Change the rules").click()
    value = page.locator("#rules-land_now-conditions-0-value")
    expect(value).to_be_visible()
    page.get_by_label("Pack told by").scroll_into_view_if_needed()
    expect(page.locator("#ladder .ladder")).to_be_in_viewport(ratio=0.8)
    # The sentences follow what is typed.
    value.fill("19.0")
    expect(page.locator("#in-short")).to_contain_text("19.0 V (3.17 V a cell)")


def test_from_the_sheet_to_its_callouts_and_another_school_by_keyboard(page: Page, club: str):
    page.goto(f"{club}/sheets/7")
    wait_for_scripts(page)
    page.keyboard.press("r")
    expect(page.get_by_role("heading", name="Callouts for Swift on Satsuma 2")).to_be_visible()
    wait_for_scripts(page)
    page.keyboard.press("l")
    page.keyboard.press("Tab")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page.get_by_text("Written anew: charge used.")).to_be_visible()
    expect(page.get_by_role("button", name="Charge used", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(page.locator("#rules-charge_used-conditions-0-sensor")).to_have_value("used_ah")


def test_a_word_changed_by_keyboard_is_run_and_kept(page: Page, club: str):
    open_callouts(page, club)
    page.locator("#rules-pack_low-say").focus()
    page.keyboard.press("Control+a")
    page.keyboard.type("turn back")
    expect(page.locator(".heard")).to_contain_text("“turn back”")
    expect(page.locator("#about-pack_low")).to_contain_text("The school wrote saying “pack low”")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Saved.")).to_be_visible()
    expect(page.locator("#rules-pack_low-say")).to_have_value("turn back")


def test_a_fault_is_tripped_and_mended(page: Page, club: str):
    open_callouts(page, club)
    page.locator("#rules-land_now-conditions-0-value").fill("12.6")
    found = page.locator("#about-land_now .finding-stop")
    expect(found).to_contain_text("would suit 4S")
    found.get_by_role("button", name="Set 18.9 V, the same a cell").click()
    # It is shown before it is kept.
    expect(page.get_by_text("Set 18.9 V, the same a cell: look at it, and save it if it is right.")).to_be_visible()
    expect(page.locator("#rules-land_now-conditions-0-value")).to_have_value("18.9")
    expect(page.locator(".finding-stop")).to_have_count(0)


def test_a_rung_moves_by_arrow_keys_and_by_dragging(page: Page, club: str):
    open_callouts(page, club, 4)
    before = float(value(page))
    rung = page.get_by_role("slider", name="Land now")
    rung.focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator("#rules-land_now-conditions-0-value")).to_have_value(f"{before - 0.1:.1f}")
    expect(rung).to_have_attribute("aria-valuenow", re.compile(f"^{before - 0.1:.1f}"))
    handle = rung.locator(".handle").bounding_box()
    x, y = handle["x"] + handle["width"] / 2, handle["y"] + handle["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y + 30, steps=6)
    page.mouse.up()
    assert float(value(page)) < before - 0.1


def test_the_run_is_scrubbed_and_stepped_from_word_to_word(page: Page, club: str):
    open_callouts(page, club)
    events = json.loads(page.locator("#player-data").text_content())["events"]
    page.locator("#scrub").fill("0")
    expect(page.locator("#show-says")).to_contain_text("six cells")
    page.get_by_role("button", name="Next word").click()
    expect(page.locator("#show-says")).to_contain_text("1 minute")
    expect(page.locator("#show-timer")).to_have_text("1:00")
    land = next(e for e in events if e["say"] == "land now")
    page.locator(".heard li", has_text="“land now”").first.click()
    expect(page.locator("#show-says")).to_have_text("“land now”")
    assert abs(float(page.locator("#scrub").input_value()) - land["t"]) <= 0.1
    page.locator("#speed").select_option("60")
    page.get_by_role("button", name="Play").click()
    expect(page.get_by_role("button", name="Play")).to_be_visible()
    assert float(page.locator("#scrub").input_value()) == pytest.approx(
        float(page.locator("#scrub").get_attribute("max")), abs=0.2
    )


def test_an_oddity_is_run_without_losing_what_is_typed(page: Page, club: str):
    open_callouts(page, club)
    page.locator("#rules-silence-say").fill("no signal")
    page.locator("#oddity").select_option("dropout")
    expect(page.locator(".heard")).to_contain_text("“no signal”")
    expect(page.locator(".heard")).not_to_contain_text("land now")
    expect(page.locator("#rules-silence-say")).to_have_value("no signal")


def test_a_log_is_brought_in_and_the_right_words_come_at_the_right_seconds(page: Page, club: str, tmp_path: Path):
    # 24 V falling by a hundredth of a volt a second: 20.0 V is passed at 400 s, 19.5 V at 450 s.
    lines = ["time;pack (V);throttle (%)", *(f"{k / 10:.1f};{24 - k / 1000:.3f};50" for k in range(5001))]
    file = tmp_path / "evening.csv"
    file.write_text("\n".join(lines).replace(".", ","))
    open_callouts(page, club)
    page.locator("#log-file").set_input_files(file)
    page.get_by_role("button", name="Bring in").click()
    expect(page.get_by_role("heading", name="What is in evening.csv?")).to_be_visible()
    wait_for_scripts(page)
    expect(page.locator("#becomes-pack_v")).to_have_text("19.00 to 24.00 V")
    page.get_by_label("Unit of pack voltage").select_option("mV")
    expect(page.locator("#becomes-pack_v")).to_contain_text("too little for 6 cells")
    page.get_by_label("Unit of pack voltage").select_option("V")
    expect(page.locator("#becomes-pack_v")).to_have_text("19.00 to 24.00 V")
    page.get_by_role("button", name="Run the callouts on it").click()
    expect(page.locator("#oddity option:checked")).to_have_text("evening.csv")
    wait_for_scripts(page)
    events = json.loads(page.locator("#player-data").text_content())["events"]
    first = {e["mark"]: e["t"] for e in reversed(events) if e["mark"] in ("pack_low", "land_now")}
    assert "land_now" in first
    # The volts fall by one in a hundred seconds, from 24, and are held for what each rule asks.
    for key, at_s in first.items():
        volts, hold_s = (
            float(page.locator(f"#rules-{key}-{name}").input_value()) for name in ("conditions-0-value", "hold_s")
        )
        assert at_s == pytest.approx(100.0 * (24.0 - volts) + hold_s, abs=0.15)
    # Typing goes on running on the log.
    page.get_by_text("Change the rules").click()
    page.locator("#rules-land_now-conditions-0-value").fill("19.8")
    page.locator("#rules-land_now-hold_s").fill("3")
    expect(page.locator(".heard li", has_text="“land now”").first).to_contain_text("7:03")
    page.get_by_role("button", name="Run it there").click()
    expect(page.locator("#bench-report")).to_contain_text("every word at the same moment as here")


def test_a_file_too_large_is_said_before_it_is_sent(page: Page, club: str):
    open_callouts(page, club)
    page.evaluate("document.getElementById('log-file').dataset.most = '10'")
    page.locator("#log-file").set_input_files(
        {"name": "huge.csv", "mimeType": "text/csv", "buffer": b"time,volts\n0,24\n"}
    )
    expect(page.locator("#log-error")).to_contain_text("up to 0 MB are read")


def test_a_sampled_flight_is_chosen_by_its_number(page: Page, club: str):
    open_callouts(page, club)
    page.locator("#oddity").select_option(label="one of the 200 sampled flights")
    expect(page.locator("#run")).to_contain_text("of 200, the shortest first")
    was = page.locator("#run .sub").first.text_content()
    page.locator("#flight-number").fill("200")
    expect(page.locator("#run .sub").first).not_to_have_text(was)


def test_a_fault_is_found_and_mended_by_keyboard_alone(page: Page, club: str):
    open_callouts(page, club, 4)
    field = page.locator("#rules-land_now-conditions-0-value")
    field.focus()
    page.keyboard.press("Control+a")
    page.keyboard.type("3.25")  # of one cell
    mend = page.locator("#about-land_now .finding button").first
    expect(mend).to_be_visible()
    for _ in range(40):
        page.keyboard.press("Tab")
        if mend.evaluate("b => b === document.activeElement"):
            break
    page.keyboard.press("Enter")
    expect(page.locator("#mended")).to_contain_text("look at it, and save it")
    # Typed as volts a cell now, which is what it was.
    assert field.input_value() == "3.25"
    expect(page.locator("#about-land_now .finding")).to_have_count(0)


def test_the_plan_goes_to_the_bench_transmitter_and_comes_back_the_same(page: Page, club: str):
    open_callouts(page, club, 6)
    page.keyboard.press("b")
    expect(page.get_by_role("heading", name="Bench transmitter")).to_be_visible()
    page.get_by_role("button", name="Load and read back").click()
    expect(page.locator("#bench-report")).to_contain_text("field by field the same")
    wait_for_scripts(page)
    page.locator("#rules-land_now-say").fill("come down now")
    expect(page.locator("#state")).to_contain_text("not saved yet")
    page.get_by_role("button", name="Save").click()
    expect(page.locator("#state")).to_contain_text("changed since last loaded")


def test_the_voices_come_as_wav_files(page: Page, club: str):
    open_callouts(page, club, 5)
    with page.expect_download() as waiting:
        page.get_by_role("button", name="Get the voices").click()
    with zipfile.ZipFile(waiting.value.path()) as archive:
        names = [n for n in archive.namelist() if n.endswith(".wav")]
        assert {"landnow.wav", "t1m.wav", "onecell.wav"} <= set(names)
        for name in names:
            with wave.open(io.BytesIO(archive.read(name))) as file:
                assert (file.getnchannels(), file.getsampwidth(), file.getframerate()) == (1, 2, 16_000)
                assert file.getnframes() > 1000


def test_an_own_recording_is_taken_for_a_line(page: Page, club: str):
    sound = io.BytesIO()
    with wave.open(sound, "wb") as out:
        out.setnchannels(1)
        out.setsampwidth(1)
        out.setframerate(8000)
        out.writeframes(bytes(128 + (60 if k % 16 < 8 else -60) for k in range(6400)))
    page.goto(f"{club}/callouts/5")
    page.get_by_role("link", name="Words and recordings").click()
    line = page.locator("#line-onecell")
    line.get_by_label("Recording of one cell").set_input_files(
        {"name": "mine.wav", "mimeType": "audio/wav", "buffer": b"not a sound"}
    )
    line.get_by_role("button", name="take it").click()
    expect(page.locator("#error-onecell")).to_contain_text("This is not a WAV file that can be read")
    line.get_by_label("Recording of one cell").set_input_files(
        {"name": "mine.wav", "mimeType": "audio/wav", "buffer": sound.getvalue()}
    )
    line.get_by_role("button", name="take it").click()
    expect(line).to_contain_text("yours, 0.8 s")
    line.get_by_role("button", name="the voice again").click()
    expect(line.get_by_label("Recording of one cell")).to_be_visible()


def test_another_pack_is_added_and_told_by_a_switch(page: Page, club: str):
    open_callouts(page, club, 7)
    page.get_by_label("Another pack").select_option(label="Tangelo 1, 4S")
    page.get_by_role("button", name="add this pack").click()
    expect(page.locator("#rule-packs")).to_contain_text("4S:")
    wait_for_scripts(page)
    page.get_by_label("Pack told by").select_option("switch")
    # Free positions are given out, and shown.
    six, four = page.get_by_label("Switch of 6S"), page.get_by_label("Switch of 4S")
    expect(six).not_to_have_value("")
    expect(four).not_to_have_value("")
    six.select_option("C.up")
    four.select_option("C.down")
    expect(page.locator("#error-choose")).to_be_empty()
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("Saved.")).to_be_visible()
    expect(page.get_by_label("Switch of 4S")).to_have_value("C.down")


def test_a_long_plan_is_printed_whole(page: Page, club: str):
    plan = page.request.get(f"{club}/callouts/1/export").json()
    own = {
        "name": "High current", "say": "current high", "hold_s": 3,
        "conditions": [{"sensor": "current_a", "comparison": "above", "value": 70}],
    }  # fmt: skip
    pages = {}
    for more in (0, 12):
        longer = plan | {"rules": plan["rules"] + [own | {"key": f"own_{k}"} for k in range(more)]}
        file = {"name": "plan.json", "mimeType": "application/json", "buffer": json.dumps(longer).encode()}
        assert page.request.post(f"{club}/callouts/1/import", multipart={"file": file}).ok
        page.goto(f"{club}/sheets/1/card")
        pages[more] = len(re.findall(rb"/Type\s*/Page[^s]", page.pdf(prefer_css_page_size=True)))
    assert pages == {0: 2, 12: 3}


def test_bad_days_fill_in_one_by_one(page: Page, club: str):
    open_callouts(page, club)
    expect(page.locator("#day-8 td").nth(1)).to_contain_text("flight")
    expect(page.locator("#day-0")).to_contain_text("As on the sheet")
    expect(page.locator("#bad-days .old")).to_have_count(0)


def test_without_scripts_the_page_still_works(browser, club: str):
    context = browser.new_context(java_script_enabled=False)
    page = context.new_page()
    page.goto(f"{club}/callouts/6")
    # Three sentences come first; the rules open without a script too.
    expect(page.locator("#in-short li")).to_have_count(3)
    page.get_by_text("Change the rules").click()
    page.locator("#rules-land_now-say").fill("come down")
    page.get_by_role("button", name="Save").click()
    expect(page.locator("#rules-land_now-say")).to_have_value("come down")
    page.goto(f"{club}/callouts/6?days=yes")
    expect(page.locator("#day-8")).to_contain_text("Tired pack, cold, lively")
    context.close()
