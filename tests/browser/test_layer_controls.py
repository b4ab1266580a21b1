"""What a layer has around its chain, in the real interface: every number and choice of it."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from caligo.catalogue import module
from tests.browser.test_chains import station
from tests.browser.test_movement import sound

BLEND = ("arrangement", "blend")
"""What stands with the filters, where there are several."""


def test_every_number_of_a_layer_is_on_the_page(page: Page) -> None:
    """Found through the catalogue: a parameter that a layer gets is seen without a line here."""
    wanted = {
        parameter.name
        for parameter in module("part", "layer").parameters
        if parameter.key not in BLEND and not parameter.when
    }
    seen = set()
    for name in ("Source", "Mix"):
        station(page, name)
        page.keyboard.press("Enter")
        # A group at rest is folded into a line that names its numbers.
        for part in ("[data-address^='ground.']", "button[title='At rest; open it']"):
            seen |= set(page.locator(part).all_inner_texts())
    text = "\n".join(seen).lower()
    assert {name for name in wanted if name.lower() not in text} == set()


def test_a_layer_gets_a_voice_mode_of_its_own_by_keys(page: Page) -> None:
    station(page, "Mix")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Glide")).to_have_count(0)
    page.get_by_label(re.compile("^Voice mode")).select_option(label="Legato")
    glide = page.locator("[data-address='ground.glide']").get_by_role("slider")
    glide.press("Enter")
    page.keyboard.type("0.4 s")
    page.keyboard.press("Enter")
    params = sound(page)["document"]["layers"][0]["params"]
    assert (params["voice_mode"], params["glide"]["value"]) == ("legato", 0.4)
    amount = page.locator("[data-address='ground.amount']").get_by_role("slider")
    amount.press("Enter")
    page.keyboard.type("60 %")
    page.keyboard.press("Enter")
    assert sound(page)["document"]["layers"][0]["params"]["amount"] == 60
    page.keyboard.press("Control+z")
    assert sound(page)["document"]["layers"][0]["params"]["amount"] == 100
