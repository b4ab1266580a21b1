"""Movement on the sheet, with the mouse and with keys alone; sound is read from the worklet."""

from __future__ import annotations

import re
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser.conftest import captured, listened, read_until, underruns

CUTOFF = "ground.filter1.cutoff"


def row(page: Page, address: str) -> Locator:
    return page.locator(f"[data-row='{address}']")


def path(page: Page, address: str) -> str:
    return page.locator(f"[data-path='{address}']").get_attribute("d") or ""


def sound(page: Page) -> dict[str, Any]:
    """The document as the server has it, once all is saved."""
    page.wait_for_timeout(300)  # an edit just made shows as being saved
    expect(page.get_by_role("status").filter(has_text="saved")).to_be_visible()
    ask = "async () => (await fetch('/api' + location.pathname)).json()"
    found: dict[str, Any] = page.evaluate(ask)
    return found


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end, steps=6)
    page.mouse.up()
    page.wait_for_timeout(700)  # every step of a drag is saved in turn


def box_of(locator: Locator) -> dict[str, float]:
    locator.scroll_into_view_if_needed()
    box = locator.bounding_box()
    assert box
    return dict(box)


def choose(page: Page, menu: str, entry: str) -> None:
    """Choose from a menu with keys alone: its button is focused and pressed."""
    button = page.get_by_role("button", name=menu, exact=True)
    button.focus()
    button.press("Enter")
    item = page.get_by_role("menuitem", name=entry).first
    item.focus()
    item.press("Enter")


def lane_of(page: Page, address: str) -> list[dict[str, float]]:
    lanes = sound(page)["document"]["lanes"]
    found: list[dict[str, float]] = next(x["points"] for x in lanes if x["to"] == address)
    return found


def test_rows_show_what_moves_and_who_moves_it(minute_page: Page) -> None:
    page = minute_page
    expect(row(page, "ground.source.position")).to_be_visible()
    expect(row(page, "ground.source.position")).to_contain_text("4 to 72 %")
    page.get_by_role("button", name="Modulator: Slow swell").hover()
    expect(row(page, "ground.source.position")).not_to_have_class(re.compile("opacity-45"))
    expect(row(page, "ground.source.fine")).to_have_class(re.compile("opacity-45"))
    # The moment under the pointer reads out every row.
    box = box_of(page.get_by_test_id("long-view"))
    page.mouse.move(box["x"] + 200, box["y"] + 40)
    expect(row(page, "ground.source.position")).not_to_contain_text("4 to 72 %")
    page.mouse.move(5, 5)
    expect(row(page, "ground.source.position")).to_contain_text("4 to 72 %")


def test_a_lane_is_drawn_bent_moved_and_taken_back_with_the_mouse(long_page: Page) -> None:
    page = long_page
    row(page, "ground.source.position").hover()
    page.get_by_role("button", name="More for Position, Ground").click()
    page.get_by_role("menuitem", name="Draw a lane").click()
    area = page.locator("[data-lane='ground.source.position']")
    box = box_of(area)
    before = path(page, "ground.source.position")
    for x, y in ((100, 100), (400, 40), (800, 90)):
        page.mouse.click(box["x"] + x, box["y"] + y)
    expect(area.get_by_role("button")).to_have_count(3)
    expect(page.locator("[data-path='ground.source.position']")).not_to_have_attribute("d", before)
    points = lane_of(page, "ground.source.position")
    assert [round(p["time"]) for p in points] == [
        round(x / box["width"] * 240) for x in (100, 400, 800)
    ]
    assert points[1]["value"] > points[2]["value"] > points[0]["value"]
    drag(page, (box["x"] + 400, box["y"] + 40), (box["x"] + 500, box["y"] + 20))
    page.keyboard.down("Alt")
    drag(page, (box["x"] + 100, box["y"] + 100), (box["x"] + 100, box["y"] + 60))
    page.keyboard.up("Alt")
    points = lane_of(page, "ground.source.position")
    assert points[0]["bend"] > 20
    assert points[1]["time"] == pytest.approx(500 / box["width"] * 240, abs=1.0)
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Undo").click()
    assert lane_of(page, "ground.source.position")[0]["bend"] == 0


def test_a_lane_is_drawn_with_keys_alone(minute_page: Page) -> None:
    page = minute_page
    playhead = page.get_by_role("slider", name="Playhead")
    playhead.focus()
    for _ in range(3):
        playhead.press("PageUp")
    more = "More for Position, Ground"
    choose(page, more, "Draw a lane")
    area = page.locator("[data-lane='ground.source.position']")
    area.get_by_role("button", name="Click anywhere to draw points").press("Enter")
    point = area.get_by_role("button").first
    point.focus()
    before = point.get_attribute("aria-label")
    point.press("ArrowUp")
    point.press("ArrowRight")
    expect(point).not_to_have_attribute("aria-label", before or "")
    choose(page, more, "Point at the playhead")
    expect(area.get_by_role("button")).to_have_count(2)
    area.get_by_role("button").first.focus()
    page.keyboard.press("Alt+ArrowUp")
    points = lane_of(page, "ground.source.position")
    assert points[0]["bend"] == 10
    assert points[0]["time"] == pytest.approx(30.0, abs=3)
    page.keyboard.press("Delete")
    expect(area.get_by_role("button")).to_have_count(1)
    choose(page, more, "Remove the lane")
    expect(area).not_to_be_attached()


def test_the_sheet_zooms_and_draws_finer_columns(minute_page: Page) -> None:
    page = minute_page
    expect(page.get_by_text(re.compile("^Loudness −"))).to_be_visible(timeout=90_000)
    whole = path(page, "ground.source.position")
    box = box_of(page.get_by_test_id("long-view"))
    page.mouse.move(box["x"] + 500, box["y"] + 40)
    for _ in range(8):
        page.mouse.wheel(0, -160)
    view = page.get_by_role("scrollbar", name="What is in view")
    expect(view).to_be_visible()
    expect(page.locator("[data-path='ground.source.position']")).not_to_have_attribute("d", whole)
    # The finer picture comes from the server, and shows more than the whole stretched.
    sharpness = """() => {
        const canvas = document.querySelector("[data-testid=picture]");
        const { width, height } = canvas;
        const data = canvas.getContext("2d").getImageData(0, 0, width, height).data;
        let sum = 0;
        for (let y = 0; y < height; y++)
            for (let x = 1; x < width; x++)
                sum += Math.abs(data[(y * width + x) * 4] - data[(y * width + x - 1) * 4]);
        return sum / width / height;
    }"""
    early = page.evaluate(sharpness)
    for _ in range(60):
        page.wait_for_timeout(250)
        if page.evaluate(sharpness) != pytest.approx(early, rel=0.02):
            break
    else:
        raise AssertionError("no finer picture comes")
    # With keys: further in, aside, and out again.
    playhead = page.get_by_role("slider", name="Playhead")
    playhead.focus()
    output = view.get_attribute("aria-valuetext") or ""
    playhead.press(">")
    expect(view).not_to_have_attribute("aria-valuetext", output)
    view.focus()
    view.press("PageUp")
    playhead.focus()
    playhead.press("0")
    expect(view).not_to_be_attached()
    expect(page.locator("[data-path='ground.source.position']")).to_have_attribute("d", whole)


def test_rows_are_pinned_folded_and_kept(page: Page) -> None:
    choose(page, "More for Cutoff, Filter 1, Ground", "Pin to the top")
    first = page.locator("[data-row]").first
    expect(first).to_have_attribute("data-row", CUTOFF)
    fold = page.get_by_role("button", name=re.compile("more move"))
    fold.press("Enter")
    expect(page.get_by_role("button", name="Fold rows")).to_be_visible()
    divider = page.get_by_role("separator", name="Height of the sheet")
    height = divider.get_attribute("aria-valuenow") or ""
    divider.focus()
    divider.press("ArrowUp")
    expect(divider).not_to_have_attribute("aria-valuenow", height)
    page.reload()
    expect(page.locator("[data-row]").first).to_have_attribute("data-row", CUTOFF)
    expect(page.get_by_role("button", name="Fold rows")).to_be_visible()


def test_notes_are_edited_with_the_mouse(long_page: Page) -> None:
    page = long_page
    page.get_by_role("button", name="Notes", exact=True).click()
    editor = page.get_by_role("listbox", name="Notes")
    notes = editor.get_by_role("option")
    expect(notes).to_have_count(4)
    box = box_of(editor)
    # A frame chooses what it reaches into, and Shift keeps what was chosen before.
    chosen = editor.get_by_role("option", selected=True)
    drag(page, (box["x"] + 4, box["y"] + 2), (box["x"] + 60, box["y"] + box["height"] - 3))
    expect(chosen).to_have_count(3)
    page.keyboard.down("Shift")
    drag(page, (box["x"] + 8, box["y"] + 2), (box["x"] + box["width"] - 8, box["y"] + 3))
    page.keyboard.up("Shift")
    expect(chosen).to_have_count(3)
    drag(page, (box["x"] + box["width"] - 8, box["y"] + 2),
         (box["x"] + 4, box["y"] + box["height"] - 3))  # fmt: skip
    expect(chosen).to_have_count(4)
    editor.dblclick(position={"x": box["width"] - 40, "y": 8})
    expect(notes).to_have_count(5)
    last = box_of(notes.nth(3))
    drag(page, (last["x"] + 30, last["y"] + 4), (last["x"] + 130, last["y"] + 4))
    score = sound(page)["score"]
    assert score["notes"][3]["start"] == pytest.approx(53 + 100 / box["width"] * 240, abs=1.0)
    moved = box_of(notes.nth(3))
    end = (moved["x"] + moved["width"] - 2, moved["y"] + 4)
    drag(page, end, (end[0] - 200, end[1]))
    shorter = sound(page)["score"]["notes"][3]["length"]
    assert shorter < score["notes"][3]["length"] - 30
    page.keyboard.press("Delete")
    expect(notes).to_have_count(4)
    for _ in range(4):
        page.get_by_role("button", name="Undo").click()
    assert sound(page)["score"]["notes"][3]["start"] == 53.0


def test_notes_are_edited_with_keys_alone(minute_page: Page) -> None:
    page = minute_page
    page.get_by_role("button", name="Notes", exact=True).press("Enter")
    editor = page.get_by_role("listbox", name="Notes")
    editor.focus()
    editor.press("ArrowRight")
    chosen = editor.get_by_role("option", selected=True)
    expect(chosen).to_have_count(1)
    before = chosen.get_attribute("aria-label") or ""
    editor.press("ArrowUp")
    editor.press("Control+ArrowRight")
    editor.press("Alt+ArrowUp")
    expect(chosen).not_to_have_attribute("aria-label", before)
    assert "velocity 100" in (chosen.get_attribute("aria-label") or "")
    editor.press("Control+c")
    editor.press("Control+v")
    expect(editor.get_by_role("option")).to_have_count(5)
    editor.press("Control+a")
    expect(chosen).to_have_count(5)
    editor.press("Delete")
    expect(editor.get_by_role("option")).to_have_count(0)
    page.get_by_role("button", name="Undo").press("Enter")
    expect(editor.get_by_role("option")).to_have_count(5)


def test_a_step_pattern_is_drawn_and_typed(page: Page) -> None:
    choose(page, "Add modulator", "Steps")
    first = page.get_by_role("slider", name="Step 1", exact=True)
    first.focus()
    before = first.get_attribute("aria-valuetext") or ""
    first.press("ArrowUp")
    expect(first).not_to_have_attribute("aria-valuetext", before)
    first.press("Alt+ArrowDown")
    expect(first).to_have_attribute("aria-valuetext", re.compile("plays 95 %"))
    first.press("ArrowRight")
    second = page.get_by_role("slider", name="Step 2", exact=True)
    expect(second).to_be_focused()
    second.press("t")
    expect(second).to_have_attribute("aria-valuetext", re.compile("tied"))
    count = page.get_by_label("Steps", exact=True)
    count.fill("33")
    count.press("Enter")
    expect(page.get_by_role("slider", name="Step 33", exact=True)).to_be_attached()
    third = box_of(page.get_by_role("slider", name="Step 3", exact=True))
    page.mouse.click(third["x"] + 2, third["y"] + 2)
    steps = sound(page)["document"]["modulators"][-1]["params"]
    assert len(steps["values"]) == 33
    assert steps["values"][2] > 90
    assert steps["ties"][1] == 100


def test_a_curve_is_drawn_and_bent(page: Page) -> None:
    choose(page, "Add modulator", "Curve")
    field = page.get_by_role("group", name="Curve")
    points = field.get_by_role("button")
    expect(points).to_have_count(4)
    box = box_of(field)
    page.mouse.click(box["x"] + 0.2 * box["width"], box["y"] + 15)
    expect(points).to_have_count(5)
    points.nth(0).focus()
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Alt+ArrowUp")
    params = sound(page)["document"]["modulators"][-1]["params"]
    assert params["values"][0] > -100
    assert params["bends"][0] == -20
    assert params["at"][1] == pytest.approx(20, abs=1.5)
    page.keyboard.press("Delete")
    expect(points).to_have_count(4)


def test_movement_is_spread_set_and_taken_back(page: Page) -> None:
    routes = len(sound(page)["document"]["routes"])
    page.get_by_role("button", name="Spread a little").press("Enter")
    panel = page.get_by_role("dialog", name="Spread a little movement")
    panel.get_by_label("Search parameters").fill("ground")
    for name in ("Spread", "Pan", "Source level"):
        panel.get_by_role("checkbox", name=re.compile(f"^{name} ±")).press(" ")
    panel.get_by_role("button", name="Move 3").press("Enter")
    expect(panel.get_by_role("status")).to_contain_text("3 parameters move now")
    amount = panel.get_by_role("slider", name="Amount")
    for _ in range(4):
        amount.press("ArrowRight")
    document = sound(page)["document"]
    made = document["modulators"][-1]
    assert made["params"]["apart"] is True
    assert len(document["routes"]) == routes + 3
    depths = {r["to"]: r["depth"] for r in document["routes"][-3:]}
    assert depths["ground.source.level"] == pytest.approx(1.5 * 1.2, rel=0.02)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Undo").click()
    taken_back = sound(page)["document"]
    assert len(taken_back["routes"]) == routes
    assert made["id"] not in [m["id"] for m in taken_back["modulators"]]
    page.get_by_role("button", name="Redo").click()
    assert sound(page)["document"]["routes"] == document["routes"]


def test_a_modulator_is_rolled_again_and_comes_back(page: Page) -> None:
    page.get_by_role("button", name="Modulator: Weather").click()
    seed = sound(page)["document"]["modulators"][1]["seed"]
    before = path(page, "ground.source.fine")
    page.get_by_role("button", name="Reseed", exact=True).press("Enter")
    expect(page.locator("[data-path='ground.source.fine']")).not_to_have_attribute("d", before)
    seeds = page.get_by_role("list", name="Seeds")
    expect(seeds.get_by_role("listitem")).to_have_count(2)
    expect(seeds.locator("path").first).to_have_attribute("d", re.compile("^M"))
    seeds.get_by_role("button", name="Use Seed 1").press("Enter")
    expect(page.locator("[data-path='ground.source.fine']")).to_have_attribute("d", before)
    assert sound(page)["document"]["modulators"][1]["seed"] == seed
    page.get_by_role("button", name="Lock", exact=True).press("Enter")
    choose(page, "Reseed several", "Reseed all")
    document = sound(page)["document"]
    assert document["modulators"][1]["seed"] == seed
    assert document["modulators"][2]["seed"] != 3
    # Or what moves one layer alone; nothing that chance has a part in moves the bus.
    page.get_by_role("button", name="Reseed several").press("Enter")
    expect(page.get_by_role("menuitem", name="Reseed what moves Ground")).to_be_visible()
    expect(page.get_by_role("menuitem")).to_have_count(2)
    page.keyboard.press("Escape")


def whole(page: Page) -> np.ndarray:
    """The last samples played ``[2, samples]``, of a stretch in which nothing ran dry.

    A gap is a change of level; on a busy machine there may be one in the stretch that is taken.
    """
    for _ in range(30):
        before = underruns(page)
        page.wait_for_timeout(800)  # a little longer than what the worklet keeps
        heard = captured(page)
        page.wait_for_timeout(100)  # the worklet reports now and then
        if underruns(page) == before:
            return heard
    raise AssertionError("listening runs dry all the time")


def changing(page: Page) -> float:
    """How much the level of a band from 1 to 7 kHz changes, in dB; the mean of two stretches,
    as one alone holds little more than a turn of the movement, and some beating."""
    return float(np.mean([changing_in(whole(page)) for _ in range(2)]))


def changing_in(heard: np.ndarray) -> float:
    """How much a stretch changes ``[2, samples]``, both sides together, see `changing`."""
    pieces = heard[:, : heard.shape[1] // 2048 * 2048].reshape(2, -1, 2048)
    spectra = np.abs(np.fft.rfft(pieces * np.hanning(2048), axis=2)) ** 2
    levels = 10 * np.log10(spectra[:, :, 40:300].sum(axis=(0, 2)) + 1e-12)
    return float(np.std(levels))


@pytest.mark.hears
def test_held_still_the_sound_stops_changing_and_goes_on(page_without_chorus: Page) -> None:
    """A cutoff that swings four octaves each way in half a second."""
    page = page_without_chorus
    choose(page, "Add modulator", "LFO")
    page.locator("[data-address='lfo1.period'] [role=slider]").dblclick()
    field = page.locator("[data-address='lfo1.period'] input")
    field.fill("0.5 s")
    field.press("Enter")
    page.get_by_role("button", name="Add target").press("Enter")
    page.get_by_label("Search: Add target").fill("filter 1 cutoff")
    page.keyboard.press("Enter")
    depth = page.locator(f"[data-route='{CUTOFF}']").get_by_label("Depth")
    page.locator("summary").filter(has_text="Filter 1 cutoff").click()
    depth.fill("4")
    depth.press("Enter")
    # Alone, and without the beating of unison.
    page.get_by_role("button", name="Solo", exact=True).press("Enter")
    page.locator("[data-address='ground.source.unison'] [role=slider]").press("Home")
    page.get_by_test_id("long-view").click(position={"x": 560, "y": 40})
    listened(page, 3.0)
    moving = changing(page)
    page.get_by_role("button", name="Hold still", exact=True).press("Enter")
    still = read_until(page, lambda: changing(page), lambda read: moving > 2.0 * read, 20.0)
    assert moving > 2.0 * still
    choose(page, "How to hold still", "Frozen as it is here")
    expect(page.get_by_role("button", name=re.compile("^Frozen at 1:"))).to_be_visible()
    frozen = read_until(page, lambda: changing(page), lambda read: read < 0.6 * moving, 20.0)
    assert frozen < 0.6 * moving
    choose(page, "How to hold still", "Let it move")
    again = read_until(page, lambda: changing(page), lambda read: read > 1.5 * still, 20.0)
    assert again > 1.5 * still
    page.get_by_role("button", name="Stop").click()


@pytest.mark.hears
def test_the_whole_is_skimmed_and_two_moments_are_heard_in_turn(long_page: Page) -> None:
    page = long_page
    clock = page.get_by_test_id("clock")
    page.get_by_role("button", name="Skim").press("Enter")
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    expect(clock).to_have_text(re.compile(r"^[12]:"))
    assert captured(page).std() > 0.003
    expect(page.get_by_role("button", name="Listen")).to_be_visible(timeout=30_000)
    turns = "A, B: two moments in turn"
    page.get_by_test_id("long-view").click(position={"x": 200, "y": 40})
    choose(page, turns, "A is here")
    page.get_by_test_id("long-view").click(position={"x": 800, "y": 40})
    choose(page, turns, "B is here")
    choose(page, turns, "Play them in turn")
    expect(clock).to_have_text(re.compile(r"^0:4"))
    expect(clock).to_have_text(re.compile(r"^2:5"))
    expect(clock).to_have_text(re.compile(r"^0:4"))
    page.get_by_role("button", name="Stop").click()


@pytest.mark.hears
def test_a_macro_is_recorded_as_its_lane(long_page: Page) -> None:
    page = long_page
    page.get_by_test_id("long-view").click(position={"x": 300, "y": 40})
    handle = page.get_by_role("slider", name="Room", exact=True)
    listened(page, 0.5)
    page.get_by_role("button", name="Record Room").press("Enter")
    handle.focus()
    for _ in range(8):
        handle.press("PageUp")
        page.wait_for_timeout(120)
    page.get_by_role("button", name="Record Room").press("Enter")
    page.get_by_role("button", name="Stop").click()
    points = lane_of(page, "room.value")
    assert len(points) >= 3
    assert points[-1]["value"] > points[0]["value"] + 40
    assert all(60 < p["time"] < 75 for p in points)
    page.get_by_role("button", name=re.compile("more move")).press("Enter")
    expect(row(page, "room.value")).to_be_attached()


def test_the_pad_moves_two_macros(page: Page) -> None:
    page.get_by_role("button", name="X/Y pad").press("Enter")
    pad = page.get_by_role("slider", name=re.compile("^X.Y pad"))
    pad.focus()
    pad.press("ArrowRight")
    pad.press("ArrowUp")
    expect(pad).to_have_attribute("aria-valuetext", "Light 52 %, Room 2 %")
    box = box_of(pad)
    page.mouse.click(box["x"] + 0.25 * box["width"], box["y"] + 0.25 * box["height"])
    macros = [m for m in sound(page)["document"]["modulators"] if m["kind"] == "macro"]
    assert macros[0]["params"]["value"] == pytest.approx(25, abs=1.5)
    assert macros[1]["params"]["value"] == pytest.approx(75, abs=1.5)


def test_the_table_of_routes_is_filtered_edited_and_soloed(page: Page) -> None:
    page.get_by_role("button", name="Routes", exact=True).press("Enter")
    table = page.get_by_role("dialog", name="All routes")
    rows = table.locator("[data-table-route]")
    count = rows.count()
    table.get_by_label("Filter routes").fill("weather fine")
    expect(rows).to_have_count(1)
    depth = table.get_by_label(re.compile("^Depth of Weather"))
    depth.fill("9")
    depth.press("Enter")
    table.get_by_role("button", name=re.compile("^Only Weather")).press("Enter")
    document = sound(page)["document"]
    assert [r["depth"] for r in document["routes"] if not r["muted"]] == [9]
    table.get_by_role("button", name=re.compile("^Only Weather")).press("Enter")
    assert not any(r["muted"] for r in sound(page)["document"]["routes"])
    table.get_by_label("Filter routes").fill("")
    table.get_by_role("button", name="Depth").press("Enter")
    expect(table.get_by_role("columnheader", name="Depth")).to_have_attribute(
        "aria-sort", "ascending"
    )
    expect(rows).to_have_count(count)


def test_it_says_when_all_cycles_come_together(page: Page) -> None:
    page.get_by_role("button", name="never repeats").press("Enter")
    panel = page.get_by_role("dialog", name="Repeats after")
    expect(panel).to_contain_text("Weather: it is free")
    expect(panel).to_contain_text("1 min 44 s")
