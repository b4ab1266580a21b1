"""Material and the sources that draw on it, through the real interface."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.conftest import heard_until, listened
from tests.core.builders import spectrum

RATE = 44_100


def tone(folder: Path, name: str, hertz: float, seconds: float = 2.0) -> Path:
    """A file with a tone of falling partials, unlike any other of another pitch."""
    t = np.arange(round(seconds * RATE)) / RATE
    wave = sum(np.sin(2 * np.pi * n * hertz * t) / n for n in range(1, 7))
    path = folder / name
    soundfile.write(path, 0.25 * np.asarray(wave), RATE, subtype="PCM_16")
    return path


def open_material(page: Page) -> None:
    page.get_by_role("button", name="Material", exact=True).click()
    expect(page.get_by_role("heading", name="Material")).to_be_visible()


def import_files(page: Page, *paths: Path) -> None:
    page.get_by_label("Recordings to import").set_input_files([str(p) for p in paths])


def source_kind(page: Page, name: str) -> None:
    page.get_by_label("Kind of source of Ground").select_option(label=name)


def middle(page: Page) -> None:
    """Put the playhead where the chord is held."""
    page.get_by_test_id("long-view").click(position={"x": 560, "y": 60})


def level(samples: np.ndarray, low: float, high: float) -> float:
    """The level of a band in the last samples that were heard, in dB."""
    found = spectrum(samples[:, -32_768:].mean(axis=0))
    hertz = np.fft.rfftfreq(32_768, 1 / 48_000)
    return float(20 * np.log10(found[(hertz >= low) & (hertz < high)].max() + 1e-9))


def test_several_files_are_taken_in_and_duplicates_are_told(page: Page, tmp_path: Path) -> None:
    open_material(page)
    first, second = tone(tmp_path, "low sill.wav", 98.0), tone(tmp_path, "high sill.flac", 311.0)
    import_files(page, first, second)
    expect(page.get_by_role("button", name=re.compile("^low sill"))).to_be_visible()
    expect(page.get_by_role("button", name=re.compile("^high sill.*E♭4"))).to_be_visible()
    again = tone(tmp_path, "another name.wav", 98.0)
    import_files(page, again)
    expect(
        page.get_by_text("Already in the library: another name.wav (as low sill)")
    ).to_be_visible()


def test_bad_files_get_clear_messages_and_nothing_is_lost(page: Page, tmp_path: Path) -> None:
    open_material(page)
    on_shelf = page.get_by_role("complementary", name="Recordings and tables").get_by_role(
        "listitem"
    )
    expect(on_shelf.first).to_be_visible()
    before = on_shelf.count()
    empty, text, cut = (tmp_path / n for n in ("empty.wav", "letter.wav", "cut.wav"))
    empty.touch()
    text.write_text("Dear composer")
    whole = tone(tmp_path, "whole.wav", 150.0).read_bytes()
    cut.write_bytes(whole[: len(whole) // 3])
    eight = tmp_path / "eight.wav"
    soundfile.write(eight, np.zeros((4000, 8)), RATE)
    for path, message in (
        (empty, "empty.wav is empty"),
        (text, "letter.wav is not audio"),
        (cut, "cut.wav is cut off"),
        (eight, "eight.wav has 8 channels"),
    ):
        import_files(page, path)
        expect(page.get_by_role("alert")).to_contain_text(message)
    expect(on_shelf).to_have_count(before)
    page.get_by_label("Picture to cut a table from").set_input_files(
        {"name": "no picture.png", "mimeType": "image/png", "buffer": b"no picture"}
    )
    expect(page.get_by_role("alert")).to_contain_text("no picture.png is not a PNG picture")


def test_steps_are_made_and_undone(page: Page, tmp_path: Path) -> None:
    open_material(page)
    import_files(page, tone(tmp_path, "stay.wav", 205.0))
    page.get_by_role("button", name=re.compile("^stay")).click()
    # A part is chosen once the length is known.
    picture = page.get_by_role(
        "group", name=re.compile("Waveform and spectrogram of stay, 0.00 to 2")
    )
    box = picture.bounding_box()
    assert box
    page.mouse.move(box["x"] + 0.25 * box["width"], box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + 0.75 * box["width"], box["y"] + 40, steps=4)
    page.mouse.up()
    page.get_by_role("button", name="Trim to selection").click()
    expect(page.get_by_text(re.compile(r"1\. Trim to 0\.[45]"))).to_be_visible()
    expect(page.get_by_text(re.compile(r"Length (0\.9|1)"))).to_be_visible()
    page.get_by_role("button", name="Reverse", exact=True).click()
    expect(page.get_by_text("2. Reverse")).to_be_visible()
    page.get_by_role("button", name="Undo").last.click()
    expect(page.get_by_text("2. Reverse")).not_to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_text("None: as recorded")).to_be_visible()
    page.get_by_role("button", name="Redo").last.click()
    expect(page.get_by_text(re.compile(r"1\. Trim"))).to_be_visible()


def test_what_is_let_go_of_is_brought_back(page: Page, tmp_path: Path) -> None:
    open_material(page)
    import_files(page, tone(tmp_path, "brief.wav", 181.0))
    entry = page.get_by_role("button", name=re.compile("^brief"))
    entry.click()
    page.get_by_role("button", name="Let go").click()
    expect(entry).not_to_be_attached()
    notice = page.get_by_role("status").filter(has_text="“brief” is let go of.")
    notice.get_by_role("button", name="Undo").press("Enter")
    expect(entry).to_be_visible()


def test_the_root_is_corrected_and_a_loop_is_found(page: Page, tmp_path: Path) -> None:
    open_material(page)
    import_files(page, tone(tmp_path, "turn.wav", 123.0, 3.0))
    page.get_by_role("button", name=re.compile("^turn")).click()
    root = page.get_by_label("Root note")
    root.fill("C3 +10 ct")
    root.press("Enter")
    expect(page.get_by_role("button", name=re.compile("^use detected B2"))).to_be_visible()
    root.fill("H9")
    root.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("is not a note")
    page.get_by_role("button", name="Find loops").click()
    page.get_by_role("button", name="Use", exact=True).first.click()
    expect(page.get_by_label("Loop start in seconds")).to_be_visible()
    expect(page.get_by_role("img", name="The wave over the join: no step")).to_be_visible()
    page.get_by_role("button", name="Play loop").click()
    expect(page.get_by_role("button", name="Stop", exact=True).last).to_be_visible()
    # Nudged while it sounds: heard anew before it is kept, and its join looked at.
    page.get_by_label("Loop crossfade in seconds").fill("0")
    end = page.get_by_label("Loop end in seconds")
    end.focus()
    with page.expect_response(lambda answer: "/loop/audio" in answer.url) as heard:
        for _ in range(3):
            page.keyboard.press("ArrowDown")
    assert heard.value.ok
    expect(page.get_by_role("img", name=re.compile("join: a step of"))).to_be_visible()
    end.press("Enter")
    page.get_by_role("button", name="Stop", exact=True).last.click()
    page.get_by_role("button", name="Undo").last.click()
    page.get_by_role("button", name="Undo").last.click()
    expect(page.get_by_role("img", name="The wave over the join: no step")).to_be_visible()


@pytest.mark.hears
def test_tables_are_cut_both_ways_and_from_a_picture_and_heard(page: Page, tmp_path: Path) -> None:
    open_material(page)
    import_files(page, tone(tmp_path, "reed.wav", 220.0))
    page.get_by_role("button", name=re.compile("^reed 2")).click()
    expect(page.locator("[data-cut='32']")).to_be_visible()
    page.get_by_role("button", name="Keep table").click()
    expect(page.get_by_text(re.compile("cut from reed by cycles at 220"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^reed 2")).click()
    page.get_by_label("Method of cutting").select_option("spectrum")
    page.get_by_label("Cycles", exact=True).fill("12")
    expect(page.locator("[data-cut='12']")).to_be_visible()
    page.get_by_label("named").fill("Reed by spectrum")
    page.get_by_role("button", name="Keep table").click()
    expect(page.get_by_text(re.compile("cut from reed by its spectrum"))).to_be_visible()
    grey = np.uint8(127 + 120 * np.sin(np.outer(np.ones(16), np.linspace(0, 6.283, 120))))
    Image.fromarray(grey).save(tmp_path / "ridge.png")
    page.get_by_label("Picture to cut a table from").set_input_files(str(tmp_path / "ridge.png"))
    page.get_by_role("button", name="Keep picture’s table").click()
    expect(page.get_by_text("cut from the picture ridge.png")).to_be_visible()
    page.get_by_role("button", name="Back to the sound").click()
    page.get_by_label("Table", exact=True).select_option(label="Cut from material")
    page.get_by_label("Cut table", exact=True).select_option(label="Reed by spectrum")
    middle(page)
    assert listened(page, 1.5)[:, -20_000:].std() > 0.003
    page.get_by_role("button", name="Stop", exact=True).click()


@pytest.mark.hears
def test_a_region_is_drawn_and_the_difference_is_heard(page: Page) -> None:
    page.get_by_role("button", name=re.compile("^More$")).first.click()
    page.get_by_role("menuitem", name="Remove").click()  # the low-pass would hide it
    source_kind(page, "Spectral")
    page.get_by_label("Recording", exact=True).select_option(label="Hummed vowel")
    # One voice a note: many would not be played in time on a slow machine, and gaps have no level.
    page.locator("[data-address='ground.source.unison'] [role=slider]").press("Home")
    area = page.locator("[data-picture=Regions]")
    area.wait_for()
    middle(page)
    before = listened(page, 2.5)
    area.scroll_into_view_if_needed()
    box = area.bounding_box()
    assert box
    # From 700 Hz up, over the whole recording.
    page.mouse.move(box["x"] + 1, box["y"] + 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 2, box["y"] + 0.5 * box["height"], steps=6)
    page.mouse.up()
    region = page.get_by_role("button", name=re.compile("^Region 1, removed"))
    expect(region).to_be_visible()
    without = level(before, 1500, 6000) - 10
    after = heard_until(page, lambda heard: level(heard, 1500, 6000) < without)
    assert level(after, 1500, 6000) < without
    assert level(after, 60, 400) > level(before, 60, 400) - 8
    region.press("Delete")
    expect(region).not_to_be_attached()
    page.get_by_role("button", name="Undo").click()
    expect(region).to_be_visible()
    region.press("ArrowDown")
    expect(region).to_be_visible()
    page.get_by_role("button", name="Stop", exact=True).click()


@pytest.mark.hears
def test_a_split_sound_is_built(page: Page) -> None:
    page.get_by_role("button", name="Add a layer").click()
    page.get_by_role("menuitem", name=re.compile("^Harmonic")).click()
    highest = page.locator("[data-address='ground.key_high'] [role=slider]")
    page.get_by_role("button", name="Layer: Ground").focus()
    page.keyboard.press("Enter")
    for address, value in (("ground.key_high", "47"), ("ground.key_fade", "3")):
        page.locator(f"[data-address='{address}'] [role=slider]").dblclick()
        field = page.locator(f"[data-address='{address}'] input")
        field.fill(value)
        field.press("Enter")
    expect(highest).to_have_attribute("aria-valuenow", "47")
    page.get_by_role("button", name="Layer: Wall").focus()
    page.keyboard.press("Enter")
    page.locator("[data-address='layer1.key_low'] [role=slider]").dblclick()
    field = page.locator("[data-address='layer1.key_low'] input")
    field.fill("48")
    field.press("Enter")
    middle(page)
    # C2 and G2 are the lower layer's alone; D3 and A3 the upper's.
    without = level(listened(page, 2.0), 60, 70) - 20
    page.get_by_role("button", name="Solo Wall").click()
    upper = heard_until(page, lambda heard: level(heard, 60, 70) < without)
    page.get_by_role("button", name="Stop", exact=True).click()
    assert level(upper, 60, 70) < without
    assert level(upper, 140, 230) > -60


@pytest.mark.hears
def test_operators_are_a_list_that_says_who_acts_on_whom(page: Page) -> None:
    source_kind(page, "Operators")
    page.get_by_role("button", name="Add operator").click()
    expect(page.get_by_role("heading", name="Operator 2")).to_be_visible()
    page.get_by_role("button", name="Add modulating operator: Operator 1").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("menuitem", name="Itself")).to_be_focused()
    page.keyboard.press("ArrowDown")
    expect(page.get_by_role("menuitem", name="Operator 2")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.get_by_text("modulated by Operator 2, 1 rad")).to_be_visible()
    expect(page.get_by_role("img", name=re.compile("Spectrum of Operator 1"))).to_be_visible(
        timeout=90_000
    )
    middle(page)
    assert listened(page, 1.5)[:, -20_000:].std() > 0.003
    page.get_by_role("button", name="Stop", exact=True).click()
    page.get_by_role("button", name="Remove Operator 2").click()
    expect(page.get_by_text("modulated by Operator 2")).not_to_be_visible()


def test_every_source_shows_what_it_does(page: Page) -> None:
    for kind, label in (
        ("Wavetable", "The cycle that is read"),
        ("Harmonic", "Partials"),
        ("Grains", "Grains"),
        ("Noise", "Spectrum of the source"),
        ("Sampler", "Zones"),
    ):
        source_kind(page, kind)
        picture = page.get_by_role("img", name=re.compile(f"^{label}"))
        expect(picture).to_be_visible(timeout=15_000)


def test_material_is_reached_by_keyboard_alone(page: Page) -> None:
    page.get_by_role("button", name="Material", exact=True).focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("region", name="Material")).to_be_focused()
    for _ in range(12):
        page.keyboard.press("Tab")
        name = page.evaluate("document.activeElement.textContent")
        if name.startswith("Dome rail"):
            break
    page.keyboard.press("Enter")
    picture = page.get_by_role("group", name=re.compile("Dome rail, 0.00 to 8.00 s"))
    picture.focus()
    page.keyboard.press("+")
    page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_text(re.compile("chosen"))).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("region", name="Material")).not_to_be_attached()
