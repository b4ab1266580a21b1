"""Tempo and metre in the real interface: set, changed and drawn; lanes on beats go along."""

from __future__ import annotations

from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_movement import choose, row, sound

POSITION, MORE = "ground.source.position", "More for Position, Ground"


def score(page: Page) -> dict[str, Any]:
    """The score as the server has it, once all is saved."""
    found: dict[str, Any] = sound(page)["score"]
    return found


def opened_score(page: Page) -> None:
    page.get_by_title("Change what is played").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("region", name="Tempo and metre")).to_be_visible()


def test_tempo_and_metre_are_set_by_keys_and_undone(page: Page) -> None:
    opened_score(page)
    tempo = page.get_by_label("Beats a minute of tempo 1", exact=True)
    tempo.focus()
    page.keyboard.press("ControlOrMeta+a")
    page.keyboard.type("72.5")
    page.keyboard.press("Enter")
    assert [t["bpm"] for t in score(page)["tempo"]] == [72.5]
    metre = page.get_by_label("Beats and note value of metre 1", exact=True)
    metre.fill("7/9")
    metre.press("Enter")
    expect(page.get_by_text("A metre is written as 3/4 or 6/8, not “7/9”.")).to_be_visible()
    expect(metre).to_have_value("4/4")
    metre.fill("7/8")
    metre.press("Enter")
    assert score(page)["metre"] == [{"time": 0, "numerator": 7, "denominator": 8}]
    # Seven eighths at 72.5 quarters a minute last 2.9 s: bars are drawn on the ruler.
    page.get_by_role("button", name="Add a tempo change at the playhead").click()
    when = page.get_by_label("When tempo 2 comes, in seconds")
    when.fill("6")
    when.press("Enter")
    second = page.get_by_label("Beats a minute of tempo 2", exact=True)
    second.fill("500")
    second.press("Enter")
    expect(page.get_by_text("A tempo is from 10 to 400 beats a minute")).to_be_visible()
    second.fill("90")
    second.press("Enter")
    assert score(page)["tempo"] == [{"time": 0, "bpm": 72.5}, {"time": 6, "bpm": 90}]
    expect(page.get_by_text("♩ = 90")).to_be_visible()
    page.keyboard.press("Escape")
    for _ in range(5):
        page.keyboard.press("ControlOrMeta+z")
    assert score(page)["tempo"] == [{"time": 0, "bpm": 60}]
    assert score(page)["metre"] == [{"time": 0, "numerator": 4, "denominator": 4}]


def test_lanes_on_beats_and_what_is_to_go_along_follow_the_tempo(page: Page) -> None:
    row(page, "ground.source.position").hover()
    choose(page, MORE, "Draw a lane")
    area = page.locator(f"[data-lane='{POSITION}']")
    box = area.bounding_box()
    assert box
    for x, y in ((0.2, 100), (0.7, 40)):
        page.mouse.click(box["x"] + x * box["width"], box["y"] + y)
    sound(page)  # what was drawn is saved
    choose(page, MORE, "Lay it on beats")
    drawn = next(one for one in sound(page)["document"]["lanes"] if one["to"] == POSITION)
    length = score(page)["length"]
    # A quarter a second: the cue goes at 60 BPM.
    assert drawn["unit"] == "beats"
    assert [p["time"] for p in drawn["points"]] == pytest.approx(
        [0.2 * length, 0.7 * length], abs=0.02 * length
    )
    places = [point.bounding_box() for point in area.get_by_role("button").all()]
    before = score(page)["notes"][0]
    opened_score(page)
    page.get_by_label("Notes, controllers and markers go along with the beats").press("Space")
    tempo = page.get_by_label("Beats a minute of tempo 1", exact=True)
    tempo.fill("120")
    tempo.press("Enter")
    assert score(page)["notes"][0]["length"] == pytest.approx(before["length"] / 2, abs=1e-5)
    page.keyboard.press("Escape")
    after = [point.bounding_box() for point in area.get_by_role("button").all()]
    for was, now in zip(places, after, strict=True):
        assert was
        assert now
        middle = now["x"] + now["width"] / 2 - box["x"]
        assert middle == pytest.approx((was["x"] + was["width"] / 2 - box["x"]) / 2, abs=3.0)
