"""Chains in the real interface: built, put in order, copied, frozen; by mouse and by keys."""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import captured, heard_until, listened, underruns
from tests.browser.test_movement import choose, sound


def stations(page: Page) -> list[str]:
    """The names of the open chain's stations, in order."""
    names: list[str] = page.get_by_role("list", name="Chain").locator("b").all_inner_texts()
    return names


def add(page: Page, sought: str, name: str) -> None:
    """Choose an effect from the menu by its search, with keys alone."""
    page.get_by_role("button", name="Add effect to this layer").focus()
    page.keyboard.press("Enter")
    page.get_by_placeholder("Search").fill(sought)
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("menuitem", name=re.compile(f"^{name}"))).to_be_focused()
    page.keyboard.press("Enter")


def station(page: Page, name: str) -> None:
    page.get_by_role("list", name="Chain").get_by_role(
        "button", name=re.compile(f"^{name}")
    ).focus()


def pieces(page: Page, count: int) -> list[np.ndarray]:
    """What is heard from now on, half a second at a time, and a little of what came before each."""
    heard = []
    for _ in range(count):
        page.wait_for_timeout(500)
        heard.append(captured(page))
    return heard


@pytest.mark.hears
def test_a_chain_is_built_and_put_in_order_by_keys_while_it_plays(page: Page) -> None:
    """The delay behind the compressor, then ahead of it; nothing clicks, and it is heard."""
    add(page, "compressor", "Compressor")
    add(page, "echoes", "Delay")
    expect(page.get_by_role("list", name="Chain").locator("b")).to_have_text(
        ["Source", "Low-pass", "High-pass", "Envelope", "Compressor", "Delay", "Mix"]
    )
    page.get_by_test_id("long-view").click(position={"x": 560, "y": 60})
    # Held still, so that no moment is brighter than another.
    page.get_by_role("button", name="Hold still", exact=True).click()
    before = [listened(page, 2.0)]
    station(page, "Delay")
    fifth = page.get_by_role("list", name="Chain").locator("b").nth(4)
    for _ in range(8):
        before_it = underruns(page)
        page.keyboard.press("Alt+ArrowLeft")
        expect(fifth).to_have_text("Delay")
        expect(page.get_by_role("button", name=re.compile("^Delay"))).to_be_focused()
        after, settled = pieces(page, 4), pieces(page, 2)
        if underruns(page) == before_it:
            break
        # A busy machine ran dry, which is heard as well: once more.
        page.keyboard.press("Alt+ArrowRight")
        expect(fifth).to_have_text("Compressor")
        page.wait_for_timeout(1_000)
    else:
        raise AssertionError("listening runs dry whenever a chain is put in order")
    # A click is a step that the sound makes in neither order.
    steps = [
        max(np.abs(np.diff(piece, 3, axis=1)).max() for piece in heard)
        for heard in (before, after, settled)
    ]
    assert steps[1] < 2.0 * max(steps[0], steps[2])
    assert min(piece.std() for piece in after) > 0.003
    page.get_by_role("button", name="Stop", exact=True).click()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("list", name="Chain").locator("b").nth(4)).to_have_text("Compressor")


def test_an_effect_is_put_inside_a_band(page: Page) -> None:
    add(page, "multiband", "Multiband")
    page.get_by_role("button", name=re.compile("Add effect to")).nth(3).click()
    page.get_by_placeholder("Search").fill("ring mod")
    page.get_by_role("menuitem", name=re.compile("^Ring modulator")).click()
    strip = page.locator("[data-address$='.multiband1.high.ring_modulator1.frequency']")
    expect(strip).to_be_visible()
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    page.reload()
    page.get_by_role("button", name="All stations").click()
    expect(strip).to_be_visible()


def test_filters_are_dragged_and_copied(page: Page) -> None:
    """By the mouse: the high-pass ahead of the low-pass, and a copy of it behind both."""
    chain = page.get_by_role("list", name="Chain")
    chain.get_by_role("listitem").nth(2).drag_to(chain.get_by_role("listitem").nth(1))
    expect(chain.locator("b").nth(1)).to_have_text("High-pass")
    more = page.get_by_role("region", name="1 High-pass").get_by_role("button", name="More")
    more.click()
    page.get_by_role("menuitem", name="Copy", exact=True).click()
    page.get_by_role("button", name="Add filter").click()
    page.get_by_role("menuitem", name="Paste High-pass").click()
    expect(chain.locator("b").nth(3)).to_have_text("High-pass")
    assert stations(page)[1:4] == ["High-pass", "Low-pass", "High-pass"]
    page.keyboard.press("Control+z")
    expect(chain.locator("b").nth(3)).to_have_text("Envelope")


def test_a_filter_shows_its_response(page: Page) -> None:
    station(page, "Low-pass")
    page.keyboard.press("Enter")
    picture = page.get_by_role("img", name="Response of the filter")
    expect(picture).to_be_visible()
    inked = """(p) => [...p.querySelectorAll("canvas")].map((c) => {
      const { data } = c.getContext("2d").getImageData(0, 0, c.width, c.height);
      return data.filter((v, i) => i % 4 === 3 && v > 20).length / (c.width * c.height); })"""
    shares = picture.evaluate(inked)
    # The lows go through and the highs do not.
    assert all(0.15 < share < 0.85 for share in shares), shares


@pytest.mark.hears
def test_a_frozen_reverb_is_heard_from_a_later_minute(page: Page) -> None:
    """Frozen over the whole cue there is nothing in it; it goes on once it is let go."""
    page.get_by_label("Layers and buses").get_by_text("Nave", exact=True).click()
    # Loud against what goes past it, whose level beats by itself.
    station(page, "Return")
    page.keyboard.press("Enter")
    page.locator("[data-address='nave.level'] [role=slider]").focus()
    page.keyboard.press("Enter")
    page.keyboard.type("10 dB")
    page.keyboard.press("Enter")
    station(page, "Reverb")
    page.keyboard.press("Enter")
    slider = page.locator("[data-address='nave.reverb.freeze'] [role=slider]")
    slider.focus()
    page.keyboard.press("End")
    expect(page.locator("[data-address='nave.reverb.freeze'] [data-value]")).to_have_text("100 %")
    page.get_by_test_id("long-view").click(position={"x": 700, "y": 60})
    frozen = listened(page, 2.5)[:, -40_000:]
    assert np.isfinite(frozen).all()
    slider.focus()
    page.keyboard.press("Home")
    # The space of nine seconds comes back.
    free = heard_until(page, lambda heard: heard[:, -40_000:].std() > 1.4 * frozen.std())
    assert free[:, -40_000:].std() > 1.4 * frozen.std()


def test_an_effect_is_made_up_for(page: Page) -> None:
    """A compressor that takes much gives it back behind itself, in one step of undo."""
    add(page, "compressor", "Compressor")
    strip = page.locator("[data-address$='.compressor1.threshold']").get_by_role("slider")
    strip.focus()
    page.keyboard.press("Enter")
    page.keyboard.type("-50 dB")
    page.keyboard.press("Enter")
    output = page.locator("[data-address$='.compressor1.output']").get_by_role("slider")
    expect(output).to_have_attribute("aria-valuetext", "0 dB")
    expect(page.get_by_text("saved", exact=True)).to_be_visible()
    region = page.get_by_role("region", name=re.compile("Compressor$"))
    region.get_by_role("button", name="More").focus()
    page.keyboard.press("Enter")
    page.get_by_role("menuitem", name="Match loudness").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("status").filter(has_text="is +")).to_be_visible()
    expect(output).to_have_attribute("aria-valuetext", re.compile(r"^[1-9][\d.]* dB"))
    page.keyboard.press("Control+z")
    expect(output).to_have_attribute("aria-valuetext", "0 dB")


def test_a_chain_is_kept_by_name_and_used_again_with_keys_alone(page: Page) -> None:
    """Two effects of a layer and what moves one, under a name, behind the master's; deleted, and
    back again."""
    add(page, "compressor", "Compressor")
    add(page, "echoes", "Delay")
    choose(page, "Add modulator", "LFO")
    page.get_by_role("button", name="Add target").press("Enter")
    page.get_by_label("Search: Add target").fill("delay feedback")
    page.keyboard.press("Enter")
    expect(page.locator("[data-route='ground.delay1.feedback']")).to_have_count(1)
    page.get_by_role("button", name=re.compile("^Presets for Ground")).press("Enter")
    effects = page.get_by_role("region", name="Presets of effects")
    expect(effects.get_by_role("button", name="Save", exact=True)).to_be_disabled()
    effects.get_by_label("Name for these effects").fill("Far wall")
    page.keyboard.press("Enter")
    kept = effects.get_by_text(re.compile("^Compressor, Delay; moved by [A-Z][a-z]+$"))
    expect(kept).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_label("Layers and buses").get_by_text("Master", exact=True).click()
    page.get_by_role("button", name="Presets for Master").press("Enter")
    effects.get_by_role("button", name="Add Far wall").press("Enter")
    chain = page.get_by_role("list", name="Chain").locator("b")
    expect(chain).to_have_text(["Voices and pace", "Compressor", "Delay", "Level and ceiling"])
    expect(page.locator("[data-route='master.delay1.feedback']")).to_have_count(1)
    effects.get_by_role("button", name="Delete Far wall").press("Enter")
    expect(kept).to_have_count(0)
    page.get_by_role("status").get_by_role("button", name="Undo").press("Enter")
    expect(kept).to_have_count(1)


def test_two_bands_have_no_middle(page: Page) -> None:
    add(page, "multiband", "Multiband")
    middle = page.get_by_role("heading", name="Middle", exact=True)
    expect(middle).to_be_visible()
    page.get_by_label("Bands", exact=True).select_option(label="Two")
    expect(middle).to_have_count(0)
    expect(page.get_by_text("Bands meet at", exact=True)).to_be_visible()
    page.keyboard.press("Control+z")
    expect(middle).to_be_visible()


def test_bands_of_an_equalizer_are_added_and_removed(page: Page) -> None:
    """By keys and by the mouse, up to sixteen; what moved a band goes with it, and comes back."""
    add(page, "equalizer", "Equalizer")
    station(page, "Equalizer")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=re.compile("^Band 1"))).to_be_visible()
    more = page.get_by_role("button", name="Add band")
    more.press("Enter")
    third = page.locator("[data-address='ground.equalizer1.gain3']").get_by_role("slider")
    third.press("Enter")
    page.keyboard.type("-6 dB")
    page.keyboard.press("Enter")
    for _ in range(13):
        more.click()
    expect(more).to_be_disabled()
    page.get_by_role("button", name=re.compile("^Remove band 3 of")).click()
    expect(page.get_by_role("heading", name=re.compile("^Band 3"))).to_have_count(0)
    params = sound(page)["document"]["layers"][0]["inserts"][0]["params"]
    assert (params["shape3"], params["gain3"], params["shape16"]) == ("off", 0.0, "bell")
    page.keyboard.press("Control+z")
    expect(third).to_have_attribute("aria-valuetext", re.compile("6"))
