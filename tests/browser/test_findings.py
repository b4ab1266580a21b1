"""What is heard now beside the picture, and what stands out of the whole length."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import BrowserContext, Page, expect

from tests.browser.conftest import Server, copied, dome_air, listened, opened, read_until

DRAWN = 90_000
"""Milliseconds in which the whole picture is drawn on a slow machine."""
WIDEST = """
() => {
  const canvas = document.querySelector("[data-testid=now]");
  const { width, height } = canvas;
  const data = canvas.getContext("2d").getImageData(0, 0, width, height).data;
  const sides = [0, 0];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      if (data[4 * (y * width + x) + 3] > 128) sides[x < width / 2 ? 0 : 1]++;
  return sides;
}
"""


def wide(page: Page) -> bool:
    """Whether a spectrum of left and right comes to be seen."""
    found = read_until(page, lambda: page.evaluate(WIDEST), lambda read: min(read) > 100)
    return bool(min(found) > 100)


@pytest.mark.hears
def test_the_spectrum_of_both_sides_is_seen_while_it_plays(page: Page) -> None:
    assert page.evaluate(WIDEST) == [0, 0]
    page.get_by_test_id("long-view").click(position={"x": 560, "y": 60})
    listened(page)
    assert wide(page)
    expect(page.get_by_role("note")).to_have_text(re.compile(r"^\d+ Hz [A-G]#?-?\d −\d+ dB$"))
    page.get_by_role("button", name="Stop", exact=True).click()
    gone = read_until(page, lambda: page.evaluate(WIDEST), lambda read: read == [0, 0])
    assert gone == [0, 0]


@pytest.mark.hears
def test_the_spectrum_of_one_stage_is_chosen_by_keys(page: Page) -> None:
    """The high-pass alone; once it is removed, all that is heard is shown again."""
    page.get_by_test_id("long-view").click(position={"x": 560, "y": 60})
    menu = page.get_by_role("button", name=re.compile("whose spectrum is shown"))
    menu.focus()
    page.keyboard.press("Enter")
    page.get_by_placeholder("Search").fill("high-pass")
    page.keyboard.press("Enter")
    expect(menu).to_have_accessible_name(re.compile("^Ground: High-pass"))
    listened(page)
    assert wide(page)
    expect(page.get_by_role("note")).to_have_text(re.compile(r"^\d+ Hz [A-G]#?-?\d −\d+ dB$"))
    # What goes away with an edit is no longer watched.
    page.get_by_role("list", name="Chain").get_by_text("High-pass").click()
    page.get_by_role("button", name="More", exact=True).first.click()
    page.get_by_role("menuitem", name="Remove").click()
    expect(menu).to_have_accessible_name(re.compile("^of all"))
    page.wait_for_timeout(1_000)
    assert wide(page)
    page.get_by_role("button", name="Stop", exact=True).click()


@pytest.fixture
def dry_page(context: BrowserContext, server: Server) -> Iterator[Page]:
    """Two minutes without a space around them, which would take longest to draw."""
    document = dome_air()
    document["buses"], document["layers"][0]["sends"] = [], []
    for movement in ("routes", "lanes"):
        document[movement] = [one for one in document[movement] if "nave" not in one["to"]]
    yield from opened(context, copied(server, document, 120.0))


def test_what_stands_out_becomes_a_band_by_keys_and_is_taken_back(dry_page: Page) -> None:
    """A bell of 20 dB at 700 Hz stands out; the band that answers it takes it away."""
    page = dry_page
    page.get_by_role("button", name="Add filter").click()
    page.get_by_placeholder("Search").fill("peak")
    page.get_by_role("menuitem", name=re.compile("^Peak")).click()
    for name, value in (("cutoff", "700 Hz"), ("gain", "20 dB"), ("width", "0.15")):
        strip = page.locator(f"[data-address$='.filter3.{name}']").get_by_role("slider")
        strip.focus()
        page.keyboard.press("Enter")
        page.keyboard.type(value)
        page.keyboard.press("Enter")
    found = page.get_by_role("button", name=re.compile(r"stands? out$"))
    expect(found).to_be_visible(timeout=DRAWN)
    found.focus()
    page.keyboard.press("Enter")
    panel = page.get_by_label("What stands out")
    entry = panel.get_by_role("listitem").filter(has_text=re.compile(r"at (6[5-9]\d|7[0-4]\d) Hz"))
    expect(entry).to_have_count(1, timeout=DRAWN)
    entry.hover()
    expect(page.locator("[data-finding=peak][data-pointed=true]")).to_have_count(1)
    lower = entry.get_by_role("button", name=re.compile("^Lower by"))
    lower.focus()
    page.keyboard.press("Enter")
    # It is on the master, and once all is drawn anew the resonance no longer stands out.
    expect(entry).to_have_count(0, timeout=DRAWN)
    page.keyboard.press("Escape")
    page.get_by_label("Layers and buses").get_by_text("Master", exact=True).click()
    stations = page.get_by_role("list", name="Chain").locator("b")
    expect(stations).to_contain_text(["Equalizer"])
    page.keyboard.press("Control+z")
    expect(stations.filter(has_text="Equalizer")).to_have_count(0)
