"""Several sources in one layer, in the real interface, with keys alone and by ear."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import listened
from tests.browser.test_chains import station, stations
from tests.browser.test_material import middle
from tests.browser.test_movement import sound


@pytest.mark.hears
def test_a_second_source_is_added_placed_heard_and_taken_out_by_keys(page: Page) -> None:
    page.get_by_role("button", name="Add source", exact=True).press("Enter")
    page.keyboard.press("ArrowDown")
    page.get_by_role("menuitem", name=re.compile("^Noise")).press("Enter")
    expect(page.get_by_role("list", name="Chain").locator("b")).to_have_text(
        ["Source", "Source 2", "Low-pass", "High-pass", "Envelope", "Mix"]
    )
    station(page, "Source 2")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Source 2")).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("Spectrum"))).to_be_visible(timeout=60_000)
    page.get_by_label("Kind of source 2 of Ground").select_option(label="Harmonic")
    entry = page.get_by_label("Enters at")
    entry.select_option(label="Filter 2")
    made = sound(page)["document"]["layers"][0]["more_sources"]
    assert [one["kind"] for one in made] == ["harmonic"]
    assert made[0]["params"]["entry"] == "2"
    middle(page)
    assert listened(page, 1.5)[:, -20_000:].std() > 0.003
    page.get_by_role("button", name="Stop", exact=True).click()
    page.get_by_role("button", name="Remove source 2").press("Enter")
    expect(page.get_by_role("list", name="Chain").locator("b")).to_have_count(5)
    assert stations(page)[:2] == ["Source", "Low-pass"]
    page.keyboard.press("Control+z")
    expect(page.get_by_role("list", name="Chain").locator("b")).to_have_count(6)
    assert len(sound(page)["document"]["layers"][0]["more_sources"]) == 1
