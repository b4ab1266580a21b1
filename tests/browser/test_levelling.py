"""A layer and the whole brought to a level by one press, and taken back."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.test_movement import sound

READ = re.compile(r"lay at (−?[\d.]+) \S+ over its length, and lies at about (−?[\d.]+) ")


def levelled(page: Page, station: str, button: str) -> tuple[float, float]:
    """Press the button until the picture is done; where it lay, and where it lies."""
    chain = page.get_by_role("list", name="Chain")
    chain.get_by_role("button", name=re.compile(f"^{station}")).press("Enter")
    notice = page.get_by_text(READ)
    for _ in range(120):
        page.get_by_role("button", name=button).press("Enter")
        page.wait_for_timeout(1_000)
        if notice.count():
            break
    expect(notice).to_be_visible()
    found = READ.search(notice.inner_text())
    assert found
    return float(found[1].replace("−", "-")), float(found[2].replace("−", "-"))


def test_a_layer_and_the_whole_are_brought_to_a_level_and_back(page: Page) -> None:
    before = sound(page)["document"]["layers"][0]["params"]["level"]
    lay, lies = levelled(page, "Mix", "Level to −25 dB")
    assert abs(lies + 25.0) <= 0.1
    after = sound(page)["document"]["layers"][0]["params"]["level"]
    assert abs(after - before - (lies - lay)) < 0.15
    page.keyboard.press("Control+z")
    assert sound(page)["document"]["layers"][0]["params"]["level"] == before
    page.get_by_label("Layers and buses").get_by_text("Master", exact=True).click()
    lay, lies = levelled(page, "Level and ceiling", "Level to −23 LUFS")
    assert abs(lies + 23.0) <= 0.1
    assert abs(sound(page)["document"]["master"]["params"]["level"] - (lies - lay)) < 2.0
