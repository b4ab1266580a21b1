"""What stays on disk is what would be in memory; `tests.robust.long_recording` tells the peaks."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from caligo.engine.render.offline import render_array
from caligo.material import long, loops
from caligo.material import store as shelf
from caligo.material.cards import Fade, Normalise, Reverse, Trim
from caligo.material.cutting import by_cycles, by_spectrum
from caligo.material.long import ArrayFile, is_long, let_go, mapped
from caligo.material.overview import outline, spectrogram
from caligo.material.reading import MaterialError
from caligo.material.steps import apply, apply_long
from caligo.material.store import MaterialStore, current
from caligo.synthesis.analysis import analyse
from tests.core.builders import layer_of, one_note, plain_sound

RATE = 48_000


@pytest.fixture(scope="module")
def file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Three seconds in stereo, with a pitch of 110 Hz."""
    path = tmp_path_factory.mktemp("long") / "a.wav"
    t = np.arange(3 * RATE) / RATE
    wave = 0.4 * np.sin(2 * np.pi * 110.0 * t) + 0.1 * np.sin(2 * np.pi * 550.0 * t)
    noise = 0.01 * np.random.default_rng(3).standard_normal((len(t), 2))
    soundfile.write(path, wave[:, None] * [1.0, 0.7] + noise, RATE, subtype="FLOAT")
    return path


@pytest.fixture
def short(file: Path, tmp_path: Path) -> Any:
    kept = MaterialStore([tmp_path / "short"])
    card, _ = kept.add_recording(file, "a")
    return kept.recording(card.key)


@pytest.fixture
def small(monkeypatch: pytest.MonkeyPatch) -> None:
    """Everything counts as long, and is gone through in small pieces."""
    monkeypatch.setattr(long, "LONGEST_IN_MEMORY", 1_000)
    for module in ("long", "reading", "steps", "overview"):
        monkeypatch.setattr(f"caligo.material.{module}.PIECE", 10_007)


def test_a_long_recording_is_what_a_short_one_is(
    file: Path, short: Any, small: None, tmp_path: Path
) -> None:
    kept = MaterialStore([tmp_path / "long"])
    card, fresh = kept.add_recording(file, "a")
    assert fresh
    assert card == short.card
    again, fresh = kept.add_recording(file, "b")
    assert (again.key, fresh) == (card.key, False)
    held = kept.recording(card.key)
    assert held is not None
    assert held.place is not None
    assert type(held.samples) is np.ndarray
    assert np.array_equal(held.samples, short.samples)
    assert held.level == pytest.approx(short.level, rel=1e-9)
    # Copies come from the same resampler, at the ends by one sample more or less.
    for level, ratio in enumerate(held.pyramid.ratios):
        size = int(held.frames * ratio) - 40
        ours, theirs = (
            r.pyramid.flat[:, r.pyramid.starts[level] : r.pyramid.starts[level] + size]
            for r in (held, short)
        )
        assert np.abs(ours - theirs).max() < 1e-5
    made = sorted(path.name for path in (tmp_path / "long" / "made").iterdir())
    assert len(made) == 2
    assert not [name for name in made if name.startswith(".")]


def test_looks_and_cuts_are_the_same(file: Path, short: Any, small: None, tmp_path: Path) -> None:
    kept = MaterialStore([tmp_path / "long"])
    held = kept.recording(kept.add_recording(file, "a")[0].key)
    assert held is not None
    for look in (outline, spectrogram):
        more = (96,) if look is spectrogram else ()
        ours, theirs = (look(r.samples, RATE, 0.2, 2.9, 77, *more) for r in (held, short))
        assert np.array_equal(np.array(ours), np.array(theirs))
    for cut in (by_cycles, by_spectrum):
        assert np.array_equal(cut(held.samples, RATE, 110.0), cut(short.samples, RATE, 110.0))


STEPS = [
    [Trim(start=0.5, end=2.0)],
    [Fade(rise=0.4, fall=0.7)],
    [Reverse(), Trim(start=0.3, end=1.1), Normalise(peak=-3.0)],
    [Normalise(peak=-1.0), Fade(rise=2.5, fall=2.5), Reverse()],
]


@pytest.mark.parametrize("steps", STEPS, ids=lambda steps: " ".join(s.do for s in steps))
def test_steps_are_the_same(steps: Any, short: Any, small: None, tmp_path: Path) -> None:
    with ArrayFile(tmp_path / "a.npy", 2, short.frames) as written:
        written.write(0, short.samples)
    ours = apply_long(mapped(tmp_path / "a.npy"), RATE, steps, tmp_path / "b.npy")
    theirs = apply(short.samples, RATE, steps)
    assert np.abs(ours - theirs).max() < 1e-6
    assert sorted(path.name for path in tmp_path.glob("*.npy")) == ["a.npy", "b.npy"]
    assert not list(tmp_path.glob("*.step*"))


@pytest.mark.parametrize("kind", ["sampler", "grains", "spectral"])
def test_sources_play_what_stays_on_disk(
    kind: str, file: Path, small: None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    heard = []
    for place, most in (("short", 1 << 30), ("long", 1_000)):
        monkeypatch.setattr(long, "LONGEST_IN_MEMORY", most)
        monkeypatch.setenv(shelf.VARIABLE, str(tmp_path / place))
        key = current().add_recording(file, "a")[0].key
        zone = [{"id": "z", "kind": "zone", "params": {"recording": key}}]
        layer = layer_of(kind, zone) if kind == "sampler" else layer_of(kind, None, recording=key)
        heard.append(render_array(plain_sound(layer), one_note(64, 1.0)))
    assert np.abs(heard[0]).max() > 0.01
    assert np.abs(heard[0] - heard[1]).max() < 1e-4


ANALYSED = ("magnitude", "frequency", "summed", "tonal")


def test_the_spectrum_of_a_long_recording_is_kept_on_disk(
    file: Path, short: Any, small: None, tmp_path: Path
) -> None:
    kept = MaterialStore([tmp_path / "long"])
    held = kept.recording(kept.add_recording(file, "a")[0].key)
    assert held is not None
    ours, theirs = analyse(held), analyse(short)
    for name in ANALYSED:
        assert np.array_equal(getattr(ours, name), getattr(theirs, name)), name
    assert held.place is not None
    files = {f"{held.place.name}.{name}.npy" for name in ANALYSED}
    assert files <= {path.name for path in held.place.parent.iterdir()}
    again = analyse(held)
    assert not again.magnitude.flags.owndata
    assert np.array_equal(again.frequency, theirs.frequency)


def test_a_spectrum_without_room_on_the_disk_is_held_in_memory(
    file: Path, short: Any, small: None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    kept = MaterialStore([tmp_path / "long"])
    held = kept.recording(kept.add_recording(file, "a")[0].key)
    assert held is not None

    def full(*args: Any) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(ArrayFile, "write", full)
    ours, theirs = analyse(held), analyse(short)
    for name in ANALYSED:
        assert np.array_equal(getattr(ours, name), getattr(theirs, name)), name
    assert held.place is not None
    assert not list(held.place.parent.glob(".*")), "nothing half written stays"


def test_loops_are_found_the_same_in_pieces(
    file: Path, short: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    whole = loops.find_loops(short.samples, RATE)
    monkeypatch.setattr(loops, "AT_A_TIME", 4_999)
    pieces = loops.find_loops(short.samples, RATE)
    assert len(whole) > 0
    assert [(x.start, x.end) for x in pieces] == [(x.start, x.end) for x in whole]
    assert [x.match for x in pieces] == pytest.approx([x.match for x in whole], abs=1e-9)


def test_what_was_looked_at_can_be_let_go(tmp_path: Path) -> None:
    with ArrayFile(tmp_path / "a.npy", 1, 50_000) as written:
        written.write(0, np.ones((1, 50_000), np.float32))
    samples = mapped(tmp_path / "a.npy")
    assert samples[0, 10:20].sum() == 10.0
    let_go(samples[0, 5:])
    assert samples.sum() == 50_000.0
    let_go(np.ones(3))  # held in memory: nothing happens


def test_a_recording_without_room_for_it_is_refused(
    file: Path, small: None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    class Full:
        free = 1_000

    monkeypatch.setattr(shelf.shutil, "disk_usage", lambda _: Full)
    with pytest.raises(MaterialError, match="of room on the disk"):
        MaterialStore([tmp_path / "long"]).add_recording(file, "a")
    assert not list(tmp_path.rglob("*.npy"))


def test_twenty_minutes_count_as_long() -> None:
    assert is_long(20 * 60 * 48_000, 2)
    assert not is_long(60 * 48_000, 1)
