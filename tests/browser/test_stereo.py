"""The panorama and the width of each octave over the whole length, and lows put into the middle."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.browser.conftest import read_until
from tests.browser.test_accessibility import violations

DRAWN = 90_000
"""Milliseconds in which the whole picture is drawn on a slow machine."""
DARK = """
() => {
  const canvas = document.querySelector("[data-testid=picture]");
  const { width, height } = canvas;
  const data = canvas.getContext("2d").getImageData(0, 0, width, height).data;
  const thirds = [0, 0, 0];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x += 7)
      thirds[Math.floor((3 * y) / height)] += 255 - data[4 * (y * width + x)];
  return thirds;
}
"""


def chosen(page: Page, name: str) -> None:
    """Choose what the picture shows, by keys alone."""
    page.get_by_role("button", name="What the picture shows").focus()
    page.keyboard.press("Enter")
    page.get_by_role("menuitem", name=re.compile(f"^{name}")).focus()
    page.keyboard.press("Enter")


def widths_of(page: Page) -> dict[str, tuple[float, float]]:
    """Width and correlation of each octave, as they are read beside the picture."""
    found = {}
    for text in page.get_by_label("Width and correlation by octave").locator("li").all():
        name, width, correlation = re.split(r"\s{2,}", text.inner_text().strip())
        found[name] = (float(width), float(correlation.replace("−", "-")))
    return found


def drawn(page: Page) -> None:
    expect(page.get_by_text(re.compile("^Loudness −"))).to_be_visible(timeout=DRAWN)


def test_lows_go_to_the_middle_by_one_switch_and_back_by_undo(page: Page) -> None:
    drawn(page)
    page.get_by_test_id("long-view").click(position={"x": 560, "y": 60})
    page.mouse.move(5, 5)
    chosen(page, "Width")
    before = widths_of(page)
    assert violations(page) == []
    assert list(before) == ["31", "63", "125", "250", "500", "1 k", "2 k", "4 k", "8 k", "16 k"]
    assert before["63"][0] > 0.1
    switch = page.get_by_role("button", name="Mono lows")
    switch.focus()
    page.keyboard.press("Enter")
    expect(switch).to_have_attribute("aria-pressed", "true")
    # The side falls by 12 dB an octave below 120 Hz; a louder note lies just above this octave.
    after = read_until(
        page, lambda: widths_of(page), lambda read: read["63"][0] < 0.75 * before["63"][0]
    )
    assert after["63"][0] < 0.75 * before["63"][0]
    # They are read with two digits.
    assert after["63"][1] >= before["63"][1] - 0.01
    assert abs(after["1 k"][0] - before["1 k"][0]) < 0.1
    page.get_by_role("button", name="Undo").click()
    expect(switch).to_have_attribute("aria-pressed", "false")
    back = read_until(
        page, lambda: widths_of(page), lambda read: abs(read["63"][0] - before["63"][0]) < 0.02
    )
    assert abs(back["63"][0] - before["63"][0]) < 0.02


def test_what_is_panned_lies_on_its_side_of_the_panorama(page: Page) -> None:
    drawn(page)
    chosen(page, "Panorama")
    left, middle, right = read_until(
        page, lambda: page.evaluate(DARK), lambda read: 0 < read[0] < read[1] > read[2] > 0
    )
    assert violations(page) == []
    assert middle > left > 0
    assert middle > right > 0
    page.get_by_role("button", name=re.compile("^Mix")).click()
    pan = page.locator("[data-address='ground.pan']").get_by_role("slider")
    pan.focus()
    page.keyboard.press("Enter")
    page.keyboard.type("-100")
    page.keyboard.press("Enter")
    moved = read_until(
        page,
        lambda: page.evaluate(DARK),
        lambda read: read[0] > read[2] and read[0] - left > read[2] - right,
    )
    assert moved[0] > moved[2]
    assert moved[0] - left > moved[2] - right
    # It is remembered by the browser.
    page.reload()
    expect(page.get_by_role("button", name="What the picture shows")).to_have_text("Panorama")
