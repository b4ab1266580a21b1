"""Pictures of the main views, made from the demo: ``make shots``.

python -m tests.browser.screenshots [name ...]
"""

from __future__ import annotations

import re
import tempfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.conftest import ROOT, SIZE, Server, launched

FOLDER = ROOT / "docs" / "screenshots"
DRAWN = 240_000


def drawn(page: Page) -> None:
    """Wait until the long view is exact."""
    page.get_by_role("button", name="Listen").wait_for(timeout=20_000)
    expect(page.get_by_text(re.compile("^Loudness −"))).to_be_visible(timeout=DRAWN)


def main_view(page: Page) -> None:
    page.get_by_test_id("long-view").click(position={"x": 630, "y": 60})
    page.mouse.move(640, 20)


def routes(page: Page) -> None:
    main_view(page)
    page.get_by_role("button", name=re.compile("^Low-pass")).click()
    cell = page.locator("[data-address='ground.filter1.cutoff']")
    cell.hover()
    cell.get_by_role("button", name=re.compile("Cutoff is moved")).click()


def keys_and_loop(page: Page) -> None:
    page.get_by_role("button", name="Keys").click()
    view = page.get_by_test_id("long-view").bounding_box()
    assert view
    page.mouse.move(view["x"] + 480, view["y"] + 80)
    page.mouse.down()
    page.mouse.move(view["x"] + 760, view["y"] + 80, steps=4)
    page.mouse.up()


def export(page: Page) -> None:
    page.get_by_role("button", name="Export").click()
    page.get_by_role("button", name="Render", exact=True).click()
    expect(page.locator("[data-state='running']")).to_be_visible()


def library(page: Page) -> None:
    page.get_by_role("button", name="Productions, cues and sounds").click()


def chosen(page: Page, name: str) -> None:
    """Choose a layer or bus, with the mouse."""
    page.get_by_label("Layers and buses").get_by_text(name, exact=True).click()


def bus(page: Page) -> None:
    chosen(page, "Nave")


def of_layer(name: str) -> Callable[[Page], None]:
    """A view of a layer's source, its picture at the top."""

    def act(page: Page) -> None:
        main_view(page)
        chosen(page, name)
        page.wait_for_timeout(2_000)

    return act


def operators(page: Page) -> None:
    of_layer("Hum")(page)
    page.get_by_role("heading", name="Operator 1").scroll_into_view_if_needed()
    page.get_by_role("main").evaluate("pane => pane.scrollBy(0, 330)")


def spectral(page: Page) -> None:
    of_layer("Frozen hum")(page)
    area = page.locator("[data-picture=Regions]").bounding_box()
    assert area
    page.mouse.move(area["x"] + 300, area["y"] + 20)
    page.mouse.down()
    page.mouse.move(area["x"] + 520, area["y"] + 62, steps=4)
    page.mouse.up()
    page.wait_for_timeout(2_000)


def chain(page: Page) -> None:
    of_layer("Static")(page)
    page.get_by_role("button", name=re.compile("^Multiband")).click()


def adding(page: Page) -> None:
    of_layer("Carrier")(page)
    page.get_by_role("button", name="Add effect").click()


def material(page: Page) -> None:
    page.get_by_role("button", name="Material", exact=True).click()
    page.get_by_role("button", name=re.compile("^Hummed vowel 5")).click()
    expect(page.locator("[data-cut]")).to_be_visible()
    page.wait_for_timeout(1_500)


def steps_and_lane(page: Page) -> None:
    main_view(page)
    page.get_by_role("button", name="Modulator: Trail").click()
    page.get_by_role("slider", name="Step 1", exact=True).scroll_into_view_if_needed()
    page.get_by_role("button", name=re.compile("^Position Field")).click()
    row = page.locator("[data-row='field.source.position']")
    row.hover()
    page.get_by_role("button", name="More for Position, Field").click()
    page.get_by_role("menuitem", name="Draw a lane").click()
    lane = page.locator("[data-lane='field.source.position']").bounding_box()
    assert lane
    for x, y in ((60, 80), (420, 52), (760, 60), (1050, 88)):
        page.mouse.click(lane["x"] + x, lane["y"] + y)
    page.wait_for_timeout(2_000)


def notes(page: Page) -> None:
    page.get_by_role("button", name="Notes", exact=True).click()
    view = page.get_by_test_id("long-view").bounding_box()
    assert view
    page.mouse.move(view["x"] + 400, view["y"] + 40)
    for _ in range(4):
        page.mouse.wheel(0, -160)
    page.get_by_role("option").nth(5).click()
    page.wait_for_timeout(6_000)


def spread(page: Page) -> None:
    main_view(page)
    page.get_by_role("button", name="Spread a little").click()
    for box in page.get_by_role("dialog").get_by_role("checkbox").all()[1:5]:
        box.check()


def stands_out(page: Page) -> None:
    page.get_by_test_id("long-view").click(position={"x": 700, "y": 60})
    page.get_by_role("list", name="Chain").get_by_role("button", name=re.compile("^Vowel")).click()
    page.get_by_role("button", name="Listen").click()
    page.wait_for_timeout(3_000)
    page.get_by_role("button", name=re.compile("stands? out$")).click()
    page.get_by_label("What stands out").get_by_role("listitem").first.hover()


def stereo(page: Page) -> None:
    page.get_by_role("button", name="What the picture shows").click()
    page.get_by_role("menuitem", name="Width").click()
    page.get_by_test_id("long-view").click(position={"x": 560, "y": 60})
    page.mouse.move(560, 20)


def tempo(page: Page) -> None:
    page.get_by_title("Change what is played").click()
    for change, value in (("Add a tempo change", "84"), ("Add a metre change", "7/8")):
        page.get_by_role("button", name=re.compile(change)).click()
        what = "tempo 2" if "tempo" in change else "metre 2"
        when = page.get_by_label(f"When {what} comes, in seconds")
        when.fill("60")
        when.press("Enter")
        field = page.get_by_label(re.compile(f" of {what}$"))
        field.fill(value)
        field.press("Enter")
    page.mouse.move(5, 5)
    page.wait_for_timeout(2_000)


VIEWS: dict[str, tuple[str, Callable[[Page], None]]] = {
    "main": ("Dome Air", main_view),
    "routes": ("Dome Air", routes),
    "steps-and-lane": ("Last Winter", steps_and_lane),
    "notes": ("Gelatin Choir", notes),
    "tempo": ("Gelatin Choir", tempo),
    "spread": ("Plate Glass", spread),
    "two-layers": ("Gelatin Choir", main_view),
    "harmonic": ("Plate Glass", of_layer("Glass")),
    "operators": ("Cold Storage", operators),
    "grains": ("Snowblind", of_layer("Crystals")),
    "spectral": ("Gelatin Choir", spectral),
    "material": ("Dome Air", material),
    "chain": ("Radio Room", chain),
    "bus": ("Plate Glass", bus),
    "stands-out": ("Night Watch", stands_out),
    "stereo": ("Plate Glass", stereo),
    "keys-and-loop": ("Snowblind", keys_and_loop),
    "export": ("Tracking Motor", export),
    "library": ("Cold Storage", library),
}


def main() -> None:
    """Take every picture, or those that are named."""
    import sys

    from playwright.sync_api import sync_playwright

    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data, sync_playwright() as playwright:
        server = Server(Path(data))
        server.start()
        browser = launched(playwright)
        try:
            for name in sys.argv[1:] or VIEWS:
                sound, act = VIEWS[name]
                page = browser.new_page(viewport=SIZE)
                page.goto(server.url)
                page.get_by_role("button", name="Productions, cues and sounds").click()
                page.get_by_role("button", name=re.compile(f"^{sound}(, open)?$")).click()
                expect(page.get_by_role("button", name=f"Sound: {sound}")).to_be_visible()
                drawn(page)
                act(page)
                page.wait_for_timeout(500)
                page.screenshot(path=FOLDER / f"{name}.png")
                page.close()
        finally:
            browser.close()
            server.kill()


if __name__ == "__main__":
    main()
