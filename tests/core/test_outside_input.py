"""Files from outside: odd, cut off, blown up; see also ``python -m tests.robust.files``."""

from __future__ import annotations

import io
import math
import struct
from pathlib import Path

import mido
import numpy as np
import pytest
import soundfile
from PIL import Image

from caligo.engine.stems import store as stems
from caligo.engine.stems.store import Piece, StemStore
from caligo.formats import audio
from caligo.formats.audio import AudioWriter
from caligo.formats.midi import MidiError, read_midi, write_midi
from caligo.formats.sfz import SfzError, read_sfz
from caligo.material.cards import Fade, Trim
from caligo.material.cutting import by_picture
from caligo.material.reading import MaterialError, read_recording
from caligo.material.steps import check
from tests.core.builders import two_notes
from tests.robust import files


@pytest.mark.parametrize("kind", files.KINDS)
def test_mutated_files_are_answered_clearly(kind: str) -> None:
    tally, complaints = files.run(kind, 150, seed=3, slowest=math.inf)
    assert complaints == []
    assert tally["read"]
    assert tally["refused"]


def with_tempo_changes(count: int) -> bytes:
    """A ritardando from 120 to 60, as a sequencer writes it."""
    file = mido.MidiFile(file=io.BytesIO(write_midi(two_notes(30.0))))
    tempo = 500_000.0 * 2.0 ** (np.arange(count) / count)
    changes = [mido.MetaMessage("set_tempo", tempo=int(t), time=1) for t in tempo]
    file.tracks[0] = mido.MidiTrack(changes)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


@pytest.mark.parametrize("count", [2_001, 20_000])
def test_dense_tempo_is_read_and_thinned(count: int) -> None:
    score = read_midi(with_tempo_changes(count), "dense.mid")
    assert 200 < len(score.tempo) <= 2_000
    assert score.tempo[-1].bpm == pytest.approx(60.0, rel=0.01)


def test_a_midi_file_that_is_too_large_is_refused_in_a_line() -> None:
    with pytest.raises(MidiError) as refused:
        read_midi(b"MThd" + bytes(700 << 10), "large.mid")
    assert len(str(refused.value)) < 200


@pytest.mark.parametrize(
    "text",
    [
        "a" * (1 << 20),
        "/*" * (1 << 19),
        "<" * (1 << 20),
        "<region>\n" * 20_000,
        "<region> sample=a.wav volume=1e999",
        "<region> sample=a.wav volume=nan",
        "<region> sample=a.wav key=" + "9" * 5_000,
    ],
    ids=lambda text: text[:12],
)
def test_a_text_that_is_no_instrument_is_refused_in_a_line(text: str) -> None:
    """Over a minute before; see `tests.robust.files` for how long it takes."""
    with pytest.raises(SfzError) as refused:
        read_sfz(text)
    assert len(str(refused.value)) < 200


def test_remarks_in_instruments_are_left_out() -> None:
    text = "/* a <region> sample=x.wav */ <region> sample=b c.wav // d\n key=60 /* never ends"
    zones = read_sfz(text).zones
    assert [(zone.sample, zone.key_low) for zone in zones] == [("b c.wav", 60)]


def test_pictures_of_16_bits_keep_their_shape(tmp_path: Path) -> None:
    wave = 0.5 + 0.5 * np.sin(2.0 * np.pi * np.arange(64) / 64.0)
    deep = Image.fromarray((wave * 65_535).astype(np.uint16)[None].repeat(4, axis=0))
    deep.save(tmp_path / "deep.png")
    plain = Image.fromarray((wave * 255).astype(np.uint8)[None].repeat(4, axis=0))
    plain.save(tmp_path / "plain.png")
    found, known = (by_picture(tmp_path / name) for name in ("deep.png", "plain.png"))
    assert np.abs(found - known).max() < 0.005
    assert abs(found[0, 0]) > 0.4


@pytest.mark.parametrize("share", [0.5, 0.9, 0.999])
def test_a_cut_off_ogg_is_told(tmp_path: Path, share: float) -> None:
    path = tmp_path / "a.ogg"
    wave = 0.3 * np.random.default_rng(1).standard_normal((200_000, 2))
    soundfile.write(path, wave, 48_000, format="OGG")
    assert read_recording(path)[0].shape[1] > 100_000
    path.write_bytes(path.read_bytes()[: int(share * path.stat().st_size)])
    with pytest.raises(MaterialError, match="cut off"):
        read_recording(path)


def test_trims_that_make_no_sense_are_refused() -> None:
    check([Trim(start=1.0, end=9.0), Fade(rise=1.0, fall=1.0), Trim(start=2.0, end=99.0)], 10.0)
    with pytest.raises(MaterialError, match="backwards"):
        check([Trim(start=3.0, end=2.0)], 10.0)
    with pytest.raises(MaterialError, match=r"after the end, 8\.00 s"):
        check([Trim(start=1.0, end=9.0), Trim(start=8.5, end=9.5)], 10.0)


def test_long_files_are_rf64(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """EBU Tech 3306: the chunk is called RF64, its length is -1, and ds64 holds the real one."""
    monkeypatch.setattr(audio, "LARGEST_WAV", 60_000)
    signal = np.random.default_rng(2).uniform(-0.5, 0.5, (2, 10_000)).astype(np.float32)
    for frames, name in ((9_000, b"RIFF"), (10_001, b"RF64")):
        writer = AudioWriter(tmp_path / "a.wav", 48_000, "pcm24", frames=frames)
        writer.write(signal[:, :frames])
        writer.finish()
        head = (tmp_path / "a.wav").read_bytes()[:20]
        assert head[:4] == name
        back, _ = soundfile.read(tmp_path / "a.wav", dtype="float32")
        assert np.abs(back.T - signal[:, :frames]).max() < 2e-7
    assert struct.unpack("<I", head[4:8])[0] == 0xFFFFFFFF
    assert head[12:16] == b"ds64"


def test_stems_give_way_to_everything_else(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    free = [stems.RESERVE + (10 << 20)]

    def usage(_: object) -> tuple[int, int, int]:
        held = sum(path.stat().st_size for path in tmp_path.glob("*.stem"))
        return 1 << 40, 0, free[0] - held

    class Usage:
        def __init__(self, found: tuple[int, int, int]) -> None:
            self.total, self.used, self.free = found

    monkeypatch.setattr(stems.shutil, "disk_usage", lambda folder: Usage(usage(folder)))
    store = StemStore(tmp_path)
    piece = Piece(np.zeros((2, 100_000), np.float32), {})
    for number in range(6):
        store.write("a", number, piece)
    assert all(store.has("a", number) for number in range(6))
    store.free_space(8 << 20)
    kept = [number for number in range(6) if store.has("a", number)]
    assert kept == [4, 5] or len(kept) == 2, "the least used go first"
    free[0] = stems.RESERVE - 1
    store.write("a", 9, piece)
    assert not store.has("a", 9), "nothing is kept where the disk is nearly full"
