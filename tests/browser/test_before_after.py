"""Before and after an edit by turns, at equal loudness, as the audio worklet plays it."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np
import pyloudnorm
import pytest
from playwright.sync_api import BrowserContext, Page, expect

from tests.browser.conftest import Server, captured, copied, listened, opened
from tests.browser.test_chains import add, station, stations

STEADY = {
    "schema": 13,
    "name": "Steady",
    "layers": [
        {
            "id": "tone",
            "name": "Tone",
            # One note of the score, and nothing that beats: a moment is as loud as the whole.
            "params": {"key_low": 36, "key_high": 36, "drift": 0.0},
            "source": {"id": "source", "kind": "harmonic", "params": {"unison": 1}},
        }
    ],
}


def loudness(page: Page) -> float:
    """LUFS of what is played, once it is drawn."""
    drawn = page.get_by_role("region", name="Measures of the whole")
    expect(drawn).to_have_attribute("aria-busy", "false", timeout=90_000)
    page.get_by_test_id("long-view").click(position={"x": 560, "y": 60})
    heard = listened(page, 2.2)[:, -24_000:]
    page.get_by_role("button", name="Stop", exact=True).click()
    # The page's gain comes behind the worklet.
    gain = page.evaluate("() => window.caligo.player.gain.gain.value")
    found: float = pyloudnorm.Meter(48_000).integrated_loudness(heard.T.astype(float) * gain)
    return found


@pytest.fixture
def page(context: BrowserContext, server: Server) -> Iterator[Page]:
    yield from opened(context, copied(server, STEADY, 16.0))


@pytest.mark.hears
def test_a_bypass_and_two_orders_are_compared_by_one_key(page: Page) -> None:
    add(page, "compressor", "Compressor")
    add(page, "limiter", "Limiter")
    for address, value in (("compressor1.make_up", "12 dB"), ("limiter1.ceiling", "-30 dB")):
        page.locator(f"[data-address$='.{address}']").get_by_role("slider").focus()
        page.keyboard.press("Enter")
        page.keyboard.type(value)
        page.keyboard.press("Enter")
    before = page.get_by_role("button", name="Compare with before", exact=True)

    station(page, "Limiter")
    page.keyboard.press("Alt+ArrowLeft")
    after = loudness(page)
    page.keyboard.press("b")
    expect(page.get_by_role("button", name="As before")).to_have_attribute("aria-pressed", "true")
    assert stations(page)[-3:-1] == ["Compressor", "Limiter"]
    expect(page.get_by_text(re.compile(r"^matched [+−]"))).to_be_visible()
    assert abs(loudness(page) - after) < 0.5
    page.keyboard.press("b")
    expect(before).to_have_attribute("aria-pressed", "false")
    assert stations(page)[-3:-1] == ["Limiter", "Compressor"]

    region = page.get_by_role("region", name=re.compile("Compressor$"))
    region.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Bypass").click()
    after = loudness(page)
    before.click()
    expect(page.get_by_text(re.compile(r"^matched [+−]"))).to_be_visible()
    assert abs(loudness(page) - after) < 0.5
    assert captured(page).std() > 0.003
    assert np.isfinite(after)
