"""Gestures that end as they should, in the real interface: drags that are cut off, and Space."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.test_movement import sound

CUTOFF = "[data-address='ground.filter1.cutoff']"


def listening(page: Page) -> Locator:
    return page.get_by_role("button", name="Stop", exact=True)


@pytest.fixture
def cutoff(page: Page) -> Iterator[Locator]:
    """The cutoff's strip; its value is what is written on it."""
    strip = page.locator(CUTOFF)
    strip.scroll_into_view_if_needed()
    return strip.get_by_role("slider")


def place(slider: Locator) -> tuple[float, float]:
    box = slider.bounding_box()
    assert box
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def begin(page: Page, slider: Locator) -> tuple[float, float]:
    """Press on a slider and drag it upwards; where the pointer is then."""
    x, y = place(slider)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 15, steps=3)
    return x, y - 15


def text(slider: Locator) -> str:
    return slider.get_attribute("aria-valuetext") or ""


def hover(page: Page, slider: Locator) -> str:
    """Move over a slider without a button, and read it."""
    x, y = place(slider)
    for step in range(6):
        page.mouse.move(x + step, y - 4 * step)
    return text(slider)


@pytest.mark.parametrize("cut_off", ["pointercancel", "blur"])
def test_a_drag_that_is_cut_off_ends(page: Page, cutoff: Locator, cut_off: str) -> None:
    before = text(cutoff)
    begin(page, cutoff)
    assert text(cutoff) != before
    page.evaluate(
        """([strip, kind]) => {
            const slider = document.querySelector(`${strip} [role=slider]`);
            const event = new PointerEvent(kind, { bubbles: kind !== "blur", pointerId: 1 });
            (kind === "blur" ? window : slider).dispatchEvent(event);
        }""",
        [CUTOFF, cut_off],
    )
    there = text(cutoff)
    assert hover(page, cutoff) == there
    page.mouse.up()
    assert hover(page, cutoff) == there


def test_a_drag_over_text_that_is_selected_drags(page: Page, cutoff: Locator) -> None:
    before = text(cutoff)
    page.locator("body").press("Control+a")
    begin(page, cutoff)
    dragged = text(cutoff)
    assert dragged != before
    page.mouse.up()
    assert hover(page, cutoff) == dragged


def test_escape_gives_back_what_a_drag_has_changed(page: Page, cutoff: Locator) -> None:
    saved = sound(page)["document"]["layers"][0]["filters"][0]["params"]["cutoff"]
    before, redo = text(cutoff), page.get_by_role("button", name="Redo")
    undo = page.get_by_role("button", name="Undo")
    begin(page, cutoff)
    assert text(cutoff) != before
    page.keyboard.press("Escape")
    assert text(cutoff) == before
    assert hover(page, cutoff) == before
    page.mouse.up()
    assert text(cutoff) == before
    expect(redo).to_be_disabled()
    expect(undo).to_be_disabled()
    assert sound(page)["document"]["layers"][0]["filters"][0]["params"]["cutoff"] == saved
    # The next drag is a step of its own, and one.
    begin(page, cutoff)
    page.mouse.up()
    undo.click()
    assert text(cutoff) == before
    expect(undo).to_be_disabled()


def test_space_listens_wherever_the_mouse_was_used_last(page: Page) -> None:
    keys = page.get_by_role("button", name="Keys", exact=True)
    keys.click()
    expect(keys).to_have_attribute("aria-pressed", "true")
    for _ in range(2):
        page.keyboard.press("Space")
        expect(listening(page)).to_be_visible()
        page.keyboard.press("Space")
        expect(listening(page)).to_have_count(0)
    expect(keys).to_have_attribute("aria-pressed", "true")


def test_space_presses_what_was_reached_by_keyboard(page: Page) -> None:
    page.get_by_role("button", name="Skim").focus()
    page.keyboard.press("Tab")
    page.keyboard.press("Shift+Tab")
    keys = page.get_by_role("button", name="Keys", exact=True)
    while not keys.evaluate("element => element === document.activeElement"):
        page.keyboard.press("Tab")
    page.keyboard.press("Space")
    expect(keys).to_have_attribute("aria-pressed", "true")
    expect(listening(page)).to_have_count(0)
    page.keyboard.press("Space")
    expect(keys).to_have_attribute("aria-pressed", "false")


def test_space_is_a_letter_where_one_writes_and_belongs_to_an_open_menu(page: Page) -> None:
    page.get_by_role("button", name="Sound: Dome Air").dblclick()
    name = page.get_by_role("textbox", name="Sound")
    name.fill("Dome")
    name.press("Space")
    expect(name).to_have_value("Dome ")
    expect(listening(page)).to_have_count(0)


@pytest.mark.parametrize(("macro", "stands"), [("Drift", 0.0), ("Light", 0.5)])
def test_a_macro_that_gets_a_target_leaves_the_sound_as_it_is(
    page: Page, macro: str, stands: float
) -> None:
    """It moves one way, from below where the parameter was by as much as it lifts it now."""
    source = sound(page)["document"]["layers"][0]["source"]["params"]
    strip = page.locator("[data-address='ground.source.spread']")
    strip.scroll_into_view_if_needed()
    strip.hover()
    strip.get_by_role("button", name="Move Spread").click()
    panel = page.get_by_role("dialog", name="Routes to Spread")
    panel.get_by_role("button", name=macro, exact=True).click()
    expect(panel.get_by_text("Moved by")).to_be_visible()
    document = sound(page)["document"]
    route = document["routes"][-1]
    assert route["polarity"] == "unipolar"
    rests = document["layers"][0]["source"]["params"]["spread"]
    assert rests + stands * route["depth"] == pytest.approx(source["spread"], abs=0.01)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    assert sound(page)["document"]["layers"][0]["source"]["params"] == source
