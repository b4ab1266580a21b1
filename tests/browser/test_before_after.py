"""Before and after an edit by turns, at equal loudness, as the audio worklet plays it."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np
import pyloudnorm
import pytest
from playwright.sync_api import BrowserContext, Page, expect

from tests.browser.conftest import Server, captured, copied, dome_air, listened, opened
from tests.browser.test_chains import add, station


def loudness(page: Page) -> float:
    """LUFS of what is played where the chord is held, always from the same moment.

    Once it is drawn: a start is exact then, and does not lack what a space has not heard.
    """
    drawing, quiet = page.get_by_text(re.compile("^Drawing")), 0
    while quiet < 30:
        # An edit is drawn a moment after it is made.
        expect(drawing).to_have_count(0, timeout=60_000)
        page.wait_for_timeout(100)
        quiet = 0 if drawing.count() else quiet + 1
    page.get_by_test_id("long-view").click(position={"x": 560, "y": 60})
    heard = listened(page, 2.2)[:, -48_000:]
    page.get_by_role("button", name="Stop", exact=True).click()
    # The page's gain comes behind the worklet.
    gain = page.evaluate("() => window.caligo.player.gain.gain.value")
    found: float = pyloudnorm.Meter(48_000).integrated_loudness(heard.T.astype(float) * gain)
    return found


@pytest.fixture
def page(context: BrowserContext, server: Server) -> Iterator[Page]:
    """The demo's sound over a few seconds, which are soon drawn."""
    yield from opened(context, copied(server, dome_air(), 16.0))


@pytest.mark.hears
def test_a_bypass_and_two_orders_are_compared_by_one_key(page: Page) -> None:
    # Held still, so that a moment is as loud as the whole.
    page.get_by_role("button", name="Hold still", exact=True).click()
    add(page, "compressor", "Compressor")
    add(page, "limiter", "Limiter")
    for address, value in (("compressor1.make_up", "12 dB"), ("limiter1.ceiling", "-30 dB")):
        page.locator(f"[data-address$='.{address}']").get_by_role("slider").focus()
        page.keyboard.press("Enter")
        page.keyboard.type(value)
        page.keyboard.press("Enter")
    chain = page.get_by_role("list", name="Chain").locator("b")
    before = page.get_by_role("button", name="Compare with before", exact=True)

    station(page, "Limiter")
    page.keyboard.press("Alt+ArrowLeft")
    after = loudness(page)
    page.keyboard.press("b")
    expect(page.get_by_role("button", name="As before")).to_have_attribute("aria-pressed", "true")
    expect(chain.nth(4)).to_have_text("Compressor")
    expect(page.get_by_text(re.compile("^matched"))).to_be_visible()
    assert abs(loudness(page) - after) < 0.5
    page.keyboard.press("b")
    expect(before).to_have_attribute("aria-pressed", "false")
    expect(chain.nth(4)).to_have_text("Limiter")

    region = page.get_by_role("region", name=re.compile("Compressor$"))
    region.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Bypass").click()
    after = loudness(page)
    before.click()
    expect(page.get_by_text(re.compile("^matched"))).to_be_visible()
    assert abs(loudness(page) - after) < 0.5
    assert captured(page).std() > 0.003
    assert np.isfinite(after)
