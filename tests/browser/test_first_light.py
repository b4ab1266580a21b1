"""The whole way through the real interface: open, see, hear, change, undo, keep, export."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
import soundfile
from playwright.sync_api import BrowserContext, Locator, Page, expect

from caligo.document.held import held_chord
from caligo.formats.midi import write_midi
from caligo.measure.report import measure_file
from tests.browser.conftest import Server, captured, heard_until, listened, opened, read_until


def value(page: Page, address: str) -> Locator:
    return page.locator(f"[data-address='{address}'] [data-value]")


def path_of(page: Page, address: str) -> str:
    return page.locator(f"[data-trajectory='{address}']").get_attribute("d") or ""


def type_value(page: Page, address: str, text: str) -> None:
    page.locator(f"[data-address='{address}'] [role=slider]").dblclick()
    field = page.locator(f"[data-address='{address}'] input")
    field.fill(text)
    field.press("Enter")


def ink(page: Page) -> float:
    """How dark the long view is on the whole, 0 to 1."""
    return float(
        page.evaluate("""() => {
        const canvas = document.querySelector("[data-testid=picture]");
        const data = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height).data;
        let sum = 0;
        for (let i = 0; i < data.length; i += 4) sum += 255 - data[i];
        return sum / (data.length / 4) / 255;
    }""")
    )


def test_the_demo_opens_with_its_picture(page: Page) -> None:
    expect(page.get_by_role("heading", name="Caligo")).to_be_visible()
    expect(page.get_by_role("button", name="Sound: Dome Air")).to_be_visible()
    expect(page.locator("[data-trajectory]")).to_have_count(8)
    expect(page.locator("[data-row]").first).to_be_visible()
    assert read_until(page, lambda: ink(page), lambda found: found > 0.02) > 0.02
    assert len(path_of(page, "ground.filter1.cutoff")) > 200


def is_silent(page: Page) -> bool:
    """Whether what plays falls silent."""
    heard = heard_until(page, lambda heard: heard[:, -9_600:].std() < 1e-5)
    return bool(heard[:, -9_600:].std() < 1e-5)


@pytest.mark.hears
def test_listening_is_heard_from_any_minute(long_page: Page) -> None:
    page = long_page
    page.get_by_test_id("long-view").click(position={"x": 665, "y": 60})
    clock = page.get_by_test_id("clock")
    expect(clock).to_have_text(re.compile(r"^2:[23]\d"))
    heard = listened(page)
    assert np.isfinite(heard).all()
    assert heard[:, -20_000:].std() > 0.005
    expect(clock).to_have_text(re.compile(r"^2:[23]\d"))
    page.get_by_role("button", name="Stop").click()
    assert is_silent(page)


@pytest.mark.hears
def test_a_moved_strip_changes_sound_and_trajectory(page: Page) -> None:
    page.get_by_test_id("long-view").click(position={"x": 560, "y": 60})
    before_path = path_of(page, "ground.filter1.cutoff")
    heard = listened(page, 1.5)[:, -24_000:]
    slider = page.locator("[data-address='ground.filter1.cutoff'] [role=slider]")
    slider.scroll_into_view_if_needed()
    box = slider.bounding_box()
    assert box
    page.mouse.move(box["x"] + 40, box["y"] + 25)
    page.mouse.down()
    page.mouse.move(box["x"] + 40, box["y"] + 130, steps=12)
    page.mouse.up()
    expect(value(page, "ground.filter1.cutoff")).not_to_have_text("880 Hz")
    moved = page.locator("[data-trajectory='ground.filter1.cutoff']")
    expect(moved).not_to_have_attribute("d", before_path)
    # A cutoff of a few dozen hertz leaves next to nothing; the reverb's tail fades meanwhile.
    dull = heard_until(page, lambda now: now[:, -24_000:].std() < 0.6 * heard.std())
    assert dull[:, -24_000:].std() < 0.6 * heard.std()
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-address='ground.filter1.cutoff'] [data-value]")).to_have_text(
        "880 Hz"
    )
    page.get_by_role("button", name="Redo").click()
    expect(page.locator("[data-address='ground.filter1.cutoff'] [data-value]")).not_to_have_text(
        "880 Hz"
    )
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Stop").click()


def test_values_are_typed_with_units_and_kept_in_range(page: Page) -> None:
    type_value(page, "ground.filter1.cutoff", "2.5 kHz")
    expect(value(page, "ground.filter1.cutoff")).to_have_text("2500 Hz")
    type_value(page, "ground.filter1.cutoff", "90000")
    expect(value(page, "ground.filter1.cutoff")).to_have_text("20 kHz")
    expect(page.get_by_role("status").filter(has_text="end of its range")).to_be_visible()
    type_value(page, "ground.envelope.attack", "25 % of note")
    expect(value(page, "ground.envelope.attack")).to_have_text("25 % of note")
    type_value(page, "ground.envelope.attack", "about a while")
    expect(page.get_by_role("alert")).to_contain_text("is not a value for Attack")
    for _ in range(3):
        page.get_by_role("button", name="Undo").click()
    expect(value(page, "ground.envelope.attack")).to_have_text("7.5 s")


def test_routes_are_added_changed_and_removed(page: Page) -> None:
    cell = page.locator("[data-address='ground.source.spread']")
    cell.hover()
    cell.get_by_role("button", name="Move Spread").click()
    page.get_by_role("button", name="Flutter", exact=True).click()
    expect(page.locator("[data-trajectory='ground.source.spread']")).to_be_attached()
    depth = page.locator("[data-route='ground.source.spread']").get_by_label("Depth")
    depth.fill("15")
    depth.press("Enter")
    expect(depth).to_have_value("15")
    page.get_by_role("button", name="Remove the route by Flutter").click()
    expect(page.locator("[data-trajectory='ground.source.spread']")).not_to_be_attached()
    page.keyboard.press("Escape")


def test_modulators_layers_and_filters_come_and_go(page: Page) -> None:
    page.get_by_role("button", name="Add modulator").click()
    page.get_by_role("menuitem", name=re.compile("^Random ?Random values")).click()
    expect(page.get_by_role("button", name=re.compile("Modulator: Wander"))).to_be_visible()
    page.get_by_role("button", name="Add target").click()
    page.get_by_label("Search: Add target").fill("source level")
    page.get_by_role("menuitem", name="Source level").click()
    expect(page.locator("[data-trajectory='ground.source.level']")).to_be_attached()
    page.get_by_role("button", name="Remove Wander").click()
    expect(page.locator("[data-trajectory='ground.source.level']")).not_to_be_attached()
    page.get_by_role("button", name="Add a layer").click()
    page.get_by_role("menuitem", name="Wavetable").click()
    expect(page.locator("[data-address='layer1.source.unison']")).to_be_visible()
    page.get_by_role("button", name="Add filter").click()
    page.get_by_role("menuitem", name="High-pass").click()
    expect(page.get_by_role("heading", name="2 High-pass")).to_be_visible()
    page.get_by_label("Filters joined", exact=True).select_option("parallel")
    expect(page.locator("[data-address='layer1.blend']")).to_be_visible()
    page.get_by_role("button", name=re.compile("More for Wall")).click()
    page.get_by_role("menuitem", name="Remove").click()
    expect(page.locator("[data-address='layer1.source.unison']")).not_to_be_attached()
    for _ in range(7):
        page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("status").filter(has_text="saved")).to_be_visible()
    expect(page.locator("[data-modulator]")).to_have_count(4)


def test_a_dropped_midi_file_becomes_the_score(minute_page: Page) -> None:
    page = minute_page
    data = list(write_midi(held_chord("E2 B2 F#3 C#4 G#4", 30.0)))
    drop = """async ([bytes, name]) => {
        const transfer = new DataTransfer();
        transfer.items.add(new File([new Uint8Array(bytes)], name));
        window.dispatchEvent(new DragEvent("drop", { dataTransfer: transfer, cancelable: true }));
    }"""
    page.evaluate(drop, [data, "cue.mid"])
    expect(page.get_by_role("img", name="5 held notes")).to_be_visible()
    expect(page.get_by_text("cue.mid: 5 notes")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("img", name="4 held notes")).to_be_visible()
    page.evaluate(drop, [data[:40], "short.mid"])
    expect(page.get_by_role("alert")).to_contain_text("short.mid is damaged or cut off")
    page.evaluate(drop, [list(b"only text"), "words.mid"])
    expect(page.get_by_role("alert")).to_contain_text("not a Standard MIDI File")
    expect(page.get_by_role("img", name="4 held notes")).to_be_visible()


def test_a_scale_is_loaded_moved_and_taken_back(page: Page) -> None:
    page.get_by_text("Master", exact=True).click()
    section = page.get_by_role("region", name="Scale", exact=True)
    expect(section).to_contain_text("twelve equal steps")
    scale = b"! thirds.scl\nThree thirds\n 3\n 5/4\n 25/16\n 2/1\n"
    file = page.get_by_label("Scala file", exact=True)
    file.set_input_files({"name": "thirds.scl", "mimeType": "text/plain", "buffer": scale})
    expect(section).to_contain_text("Three thirds, 3 degrees from C4")
    expect(section.get_by_role("img")).to_have_accessible_name(re.compile("386.3 ct, 772.6 ct"))
    section.get_by_label("Root").fill("D3")
    section.get_by_label("Root").press("Enter")
    expect(section).to_contain_text("3 degrees from D3")
    page.get_by_role("button", name="Undo").click()
    expect(section).to_contain_text("3 degrees from C4")
    section.get_by_role("button", name="Equal steps").click()
    expect(section).to_contain_text("twelve equal steps")
    file.set_input_files({"name": "odd.scl", "mimeType": "text/plain", "buffer": b"nothing"})
    expect(page.get_by_role("alert")).to_contain_text("odd.scl: this is not a Scala scale file")


def test_a_chord_is_typed(minute_page: Page) -> None:
    page = minute_page
    page.get_by_role("button", name=re.compile("^Chord")).click()
    page.get_by_label("Notes or chord symbols").fill("Am9")
    page.get_by_label("Minutes").fill("2")
    page.get_by_role("button", name="Hold", exact=True).click()
    expect(page.get_by_role("img", name="5 held notes")).to_be_visible()
    expect(page.get_by_text("of 2:00")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Chord")).click()
    page.get_by_label("Notes or chord symbols").fill("Xyz")
    page.get_by_role("button", name="Hold", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("Xyz")
    page.get_by_role("button", name="Close").click()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("of 1:00")).to_be_visible()


def test_versions_are_kept_and_restored(page: Page) -> None:
    page.get_by_role("button", name="Versions").click()
    page.get_by_label("Name of the version").fill("Before the test")
    page.get_by_role("button", name="Keep this state").click()
    expect(page.get_by_text("Before the test")).to_be_visible()
    page.get_by_role("button", name="Close").click()
    type_value(page, "ground.source.detune", "44")
    expect(value(page, "ground.source.detune")).to_have_text("44 ct")
    page.get_by_role("button", name="Versions").click()
    page.get_by_role("button", name="Restore version 1").click()
    expect(page.locator("[data-address='ground.source.detune'] [data-value]")).to_have_text("11 ct")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("[data-address='ground.source.detune'] [data-value]")).to_have_text("44 ct")
    page.get_by_role("button", name="Undo").click()


def test_exported_files_measure_as_they_should(page: Page, tmp_path: Path) -> None:
    page.get_by_role("button", name=re.compile("^Chord")).click()
    page.get_by_label("Notes or chord symbols").fill("C2 G2 D3")
    page.get_by_label("Minutes").fill("0.2")
    page.get_by_role("button", name="Hold", exact=True).click()
    expect(page.get_by_text("of 0:12")).to_be_visible()
    page.get_by_role("button", name="Export").click()
    page.get_by_label("Tail in seconds").fill("1")
    page.get_by_role("button", name="Render", exact=True).click()
    row = page.locator("[data-render]").first
    expect(row).to_have_attribute("data-state", "done", timeout=60_000)
    with page.expect_download() as waiting:
        row.get_by_role("link", name="Save file").click()
    target = tmp_path / "export.wav"
    waiting.value.save_as(target)
    assert soundfile.info(target).subtype == "PCM_24"
    report = measure_file(target)
    assert report.length == 13.0
    assert -40.0 < report.integrated < -10.0
    assert report.true_peak <= -0.9
    page.get_by_role("button", name="Close").click()
    page.get_by_role("button", name="Undo").click()


def test_loops_are_dragged_and_let_go(page: Page) -> None:
    view = page.get_by_test_id("long-view")
    box = view.bounding_box()
    assert box
    page.mouse.move(box["x"] + 300, box["y"] + 80)
    page.mouse.down()
    page.mouse.move(box["x"] + 420, box["y"] + 80, steps=5)
    page.mouse.up()
    expect(page.get_by_test_id("loop")).to_be_visible()
    page.get_by_role("button", name=re.compile("^Loop")).click()
    expect(page.get_by_test_id("loop")).not_to_be_attached()


@pytest.mark.hears
def test_keys_play_over_what_is_heard_and_panic_silences(page: Page) -> None:
    page.get_by_role("button", name=re.compile("^Chord")).click()
    page.get_by_label("Notes or chord symbols").fill("C2")
    page.get_by_role("button", name="Hold", exact=True).click()
    page.get_by_role("button", name="Keys").click()
    quiet = listened(page, 1.0)[:, -9_600:]
    page.locator("body").click(position={"x": 640, "y": 390})
    page.keyboard.down("a")
    page.keyboard.down("g")
    expect(page.get_by_role("button", name="C3", exact=True)).to_have_attribute(
        "aria-pressed", "true"
    )
    loud = heard_until(page, lambda heard: heard[:, -9_600:].std() > 1.3 * quiet.std())[:, -9_600:]
    page.keyboard.up("a")
    page.keyboard.up("g")
    assert loud.std() > 1.3 * quiet.std()
    page.get_by_role("button", name="Panic").click()
    assert is_silent(page)
    page.wait_for_timeout(500)
    assert captured(page)[:, -9_600:].std() < 1e-5, "nothing comes after it"
    page.get_by_role("button", name="Stop").click()
    page.get_by_role("button", name="Keys").click()
    page.get_by_role("button", name="Undo").click()


@pytest.mark.hears
def test_everything_can_be_done_by_keyboard(page: Page) -> None:
    slider = page.get_by_role("slider", name="Cutoff").first
    slider.focus()
    cutoff = value(page, "ground.filter1.cutoff")
    before = cutoff.inner_text()
    slider.press("ArrowUp")
    expect(cutoff).not_to_have_text(before)
    expect(slider).to_have_attribute("aria-valuetext", cutoff.inner_text())
    slider.press("Enter")
    page.keyboard.type("500")
    page.keyboard.press("Enter")
    expect(value(page, "ground.filter1.cutoff")).to_have_text("500 Hz")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(cutoff).to_have_text(before)
    playhead = page.get_by_role("slider", name="Playhead")
    playhead.focus()
    playhead.press("Home")
    playhead.press("PageUp")
    expect(page.get_by_test_id("clock")).to_have_text(re.compile(r"^0:10"))
    playhead.press(" ")
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    page.keyboard.press(" ")
    expect(page.get_by_role("button", name="Listen")).to_be_visible()


def test_other_sounds_are_opened_made_and_renamed(page: Page) -> None:
    page.get_by_role("button", name="Productions, cues and sounds").click()
    page.get_by_role("button", name="Snowblind", exact=True).click()
    expect(page.get_by_role("button", name="Sound: Snowblind")).to_be_visible()
    expect(page.locator("[data-modulator]")).to_have_count(3)
    page.get_by_role("button", name="Productions, cues and sounds").click()
    page.get_by_role("button", name="Add sound to Shutter Open").click()
    page.get_by_role("menuitem", name="New sound").click()
    expect(page.get_by_role("button", name="Sound: New sound")).to_be_visible()
    page.get_by_role("button", name="Sound: New sound").dblclick()
    page.get_by_role("textbox", name="Sound").fill("Night Watch")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Sound: Night Watch")).to_be_visible()
    page.get_by_role("button", name="Productions, cues and sounds").click()
    expect(page.get_by_role("button", name="Night Watch", exact=True)).to_be_visible()
    page.reload()
    expect(page.get_by_role("button", name="Sound: Night Watch")).to_be_visible()


def test_what_is_deleted_is_brought_back(page: Page) -> None:
    """By the button that is offered at once, and later from the list; versions as well."""

    def library() -> None:
        page.get_by_role("button", name="Productions, cues and sounds").click()

    def sound(name: str) -> Locator:
        return page.get_by_role("button", name=name, exact=True)

    library()
    page.get_by_role("button", name="Delete Snowblind").click()
    expect(sound("Snowblind")).not_to_be_attached()
    page.get_by_role("button", name="Undo", exact=True).last.click()
    expect(page.get_by_text("“Snowblind” is back.")).to_be_visible()
    library()
    expect(sound("Snowblind")).to_be_visible()
    more = page.get_by_role("button", name="More for cue Counting Plates")
    more.focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("menuitem", name="Delete cue")).to_be_focused()
    page.keyboard.press("Enter")
    expect(sound("Lamp Hum")).not_to_be_attached()
    deleted = page.get_by_role("region", name="Deleted")
    expect(deleted).to_contain_text("4m1 Counting Plates cue of The Long Exposure")
    deleted.get_by_role("button", name="Bring back cue 4m1 Counting Plates").press("Enter")
    expect(sound("Lamp Hum")).to_be_visible()
    expect(deleted).not_to_be_attached()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Versions").click()
    page.get_by_role("button", name="Keep this state").click()
    page.get_by_role("button", name="Delete version 1").click()
    expect(page.get_by_role("button", name="Restore version 1")).not_to_be_attached()
    page.get_by_role("button", name="Undo", exact=True).last.click()
    page.get_by_role("button", name="Versions").click()
    expect(page.get_by_role("button", name="Restore version 1")).to_be_visible()


def test_hold_still_shows_resting_values(page: Page) -> None:
    expect(page.locator("[data-trajectory='ground.source.position']")).to_be_attached()
    page.get_by_role("button", name="Hold still", exact=True).click()
    expect(page.locator("[data-trajectory='ground.source.position']")).not_to_be_attached()
    page.get_by_role("button", name="Hold still", exact=True).click()
    expect(page.locator("[data-trajectory='ground.source.position']")).to_be_attached()


@pytest.mark.hears
def test_a_lost_connection_comes_back_and_goes_on(page: Page) -> None:
    listened(page, 0.8)
    page.evaluate("window.caligo.loseConnection()")
    page.wait_for_timeout(3_000)
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    back = heard_until(page, lambda heard: heard[:, -9_600:].std() > 0.002)
    assert back[:, -9_600:].std() > 0.002
    type_value(page, "ground.source.spread", "50")
    expect(page.get_by_role("status").filter(has_text="saved")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    page.get_by_role("button", name="Stop").click()


def test_a_killed_server_loses_nothing_and_marks_the_render(
    context: BrowserContext, own_server: Server
) -> None:
    for page in opened(context, own_server.url):
        type_value(page, "ground.source.detune", "33")
        expect(page.get_by_role("status").filter(has_text="saved")).to_be_visible()
        page.get_by_role("button", name="Export").click()
        page.get_by_role("button", name="Render", exact=True).click()
        expect(page.locator("[data-state='running']")).to_be_visible()
        port = own_server.port
        own_server.kill()
        page.get_by_role("button", name="Close").click()
        type_value(page, "ground.source.spread", "12")
        expect(page.get_by_role("status").filter(has_text="offline")).to_be_visible()
        own_server.start(port)
        expect(page.get_by_role("status").filter(has_text="saved")).to_be_visible()
        page.reload()
        expect(page.locator("[data-address='ground.source.detune'] [data-value]")).to_have_text(
            "33 ct"
        )
        expect(page.locator("[data-address='ground.source.spread'] [data-value]")).to_have_text(
            "12 %"
        )
        page.get_by_role("button", name="Export").click()
        expect(page.locator("[data-state='cut off']")).to_be_visible()
        expect(page.get_by_role("button", name="Render again")).to_be_visible()
