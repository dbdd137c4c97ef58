"""The strip of a flying pattern in a browser: stretched and moved by mouse, by touch's pointer and by keys."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.e2e.conftest import wait_for_scripts

pytestmark = pytest.mark.e2e


@pytest.fixture
def editor(page: Page, empty: str) -> Page:
    """The editor with a pattern like freestyle: five activities in 28 seconds."""
    page.goto(f"{empty}/hangar/patterns/new?like=freestyle")
    wait_for_scripts(page)
    return page


def names(page: Page) -> list[str]:
    return [box.input_value() for box in page.locator(".part-name input").all()]


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move((start[0] + end[0]) / 2, end[1], steps=4)
    page.mouse.move(*end, steps=4)
    page.mouse.up()


def box_of(page: Page, block: int) -> dict[str, float]:
    return page.locator(f"rect.block[data-block='{block}']").bounding_box()


def test_an_edge_is_dragged_to_stretch(editor: Page):
    strip, box = editor.locator("#bigstrip").bounding_box(), box_of(editor, 0)
    a_second = strip["width"] / 28.0
    edge, y = box["x"] + box["width"] - 3, box["y"] + 30
    drag(editor, (edge, y), (edge + 4 * a_second, y))
    expect(editor.locator("#a-0-seconds")).to_have_value("15")
    expect(editor.locator("#bigstrip")).to_have_attribute("data-period", "32.0")


def test_a_block_is_dragged_to_another_place(editor: Page):
    first, third = box_of(editor, 0), box_of(editor, 2)
    drag(editor, (first["x"] + 40, first["y"] + 30), (third["x"] + third["width"] / 2, first["y"] + 30))
    expect(editor.locator("#a-2-name")).to_have_value("fast cruise")
    assert names(editor) == ["hard turns", "climb", "fast cruise", "glide", "hover"]


def test_keys_stretch_move_add_and_take_away(editor: Page):
    block = editor.locator("rect.block[data-block='1']")
    block.focus()
    editor.keyboard.press("ArrowRight")
    expect(editor.locator("#a-1-seconds")).to_have_value("5.5")
    editor.keyboard.press("Shift+ArrowLeft")
    expect(editor.locator("#a-0-name")).to_have_value("hard turns")
    editor.keyboard.press("Delete")
    expect(editor.locator(".part-name")).to_have_count(4)
    assert names(editor)[0] == "fast cruise"
    editor.keyboard.press("Insert")
    expect(editor.locator("#a-1-name")).to_have_value("cruise")
    editor.locator("rect.block[data-block='1']").focus()
    editor.keyboard.press("Enter")
    expect(editor.locator("#a-1-name")).to_be_focused()


def test_a_climb_is_given_as_a_height_and_the_pattern_is_kept(editor: Page):
    editor.locator("#a-2-kind").select_option("height")
    expect(editor.locator("#a-2-height")).to_be_visible()
    expect(editor.locator("#a-2-seconds")).to_be_hidden()
    expect(editor.locator("#error-a-2-height")).to_contain_text("needed")
    editor.locator("#a-2-height").fill("25")
    expect(editor.locator("#strip-place")).to_contain_text("climb 25 m")
    editor.locator("#name").fill("Quarry")
    editor.keyboard.press("Escape")
    editor.keyboard.press("s")
    expect(editor.locator("#said")).to_contain_text("“Quarry” is in the hangar")
    editor.goto(editor.url.replace("/hangar/patterns", "/start"))
    expect(editor.locator("#pattern")).to_contain_text("Quarry")
