"""Audio and MIDI files, read back by other libraries; bad and unlucky files."""

from __future__ import annotations

import io
import subprocess
import sys
import time
from pathlib import Path

import mido
import numpy as np
import pytest
import scipy.io.wavfile
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from caligo.document import Marker, Note, Score
from caligo.document.score import Lane, LanePoint, MetreChange, TempoChange
from caligo.engine.render.offline import RenderCancelled, RenderRange, render_array, render_to_file
from caligo.formats.audio import AudioFormatError, AudioWriter
from caligo.formats.midi import MidiError, read_midi, write_midi
from tests.core.builders import RATE, moving_sound, one_note, two_notes


@pytest.mark.parametrize(
    ("name", "sample_format", "subtype", "error"),
    [
        ("a.wav", "pcm16", "PCM_16", 2.0**-14),
        ("a.wav", "pcm24", "PCM_24", 2.0**-22),
        ("a.wav", "float32", "FLOAT", 0.0),
        ("a.flac", "pcm16", "PCM_16", 2.0**-14),
        ("a.flac", "pcm24", "PCM_24", 2.0**-22),
    ],
)
def test_files_hold_what_was_rendered(
    tmp_path: Path, name: str, sample_format: str, subtype: str, error: float
) -> None:
    path = tmp_path / name
    rendered = render_to_file(moving_sound(), two_notes(), path, sample_format=sample_format)
    assert soundfile.info(path).subtype == subtype
    found, rate = soundfile.read(path, always_2d=True, dtype="float32")
    assert rate == RATE
    assert rendered.length == 6.0
    assert np.abs(found.T - render_array(moving_sound(), two_notes())).max() <= error
    assert list(tmp_path.iterdir()) == [path]


@pytest.mark.parametrize(
    ("name", "sample_format"),
    [("a.wav", "float32"), ("a.wav", "pcm24"), ("a.flac", "pcm24")],
)
def test_the_same_sound_gives_the_same_bytes(tmp_path: Path, name: str, sample_format: str) -> None:
    """Whenever it is written: no file says the second."""
    kept = []
    for second in range(2):
        path = tmp_path / f"{second}{name}"
        writer = AudioWriter(path, RATE, sample_format)
        writer.write(np.sin(np.arange(9_000, dtype=np.float32))[None].repeat(2, axis=0) * 0.5)
        writer.finish()
        assert soundfile.read(path)[0].max() == pytest.approx(0.5, abs=1e-3)
        kept.append(path.read_bytes())
        time.sleep(1.1 * (1 - second))
    assert kept[0] == kept[1]


def test_scipy_reads_the_same(tmp_path: Path) -> None:
    """scipy as a second reader, which knows nothing of the library that writes."""
    path = tmp_path / "a.wav"
    render_to_file(moving_sound(), two_notes(), path, sample_format="float32")
    rate, found = scipy.io.wavfile.read(path)
    assert rate == RATE
    assert np.array_equal(found.T, render_array(moving_sound(), two_notes()))


def test_sixteen_bits_are_dithered(tmp_path: Path) -> None:
    """A tone below one step survives as a tone in noise instead of vanishing."""
    writer = AudioWriter(tmp_path / "a.wav", RATE, "pcm16")
    time = np.arange(RATE) / RATE
    tone = (0.4 / 32768 * np.sin(2 * np.pi * 1_000 * time)).astype(np.float32)
    writer.write(np.stack([tone, tone]))
    writer.finish()
    found, _ = soundfile.read(tmp_path / "a.wav")
    amplitudes = np.abs(np.fft.rfft(found[:, 0]))
    assert amplitudes.argmax() == 1_000
    assert np.corrcoef(found.T)[0, 1] < 0.5


def test_a_range_and_stems(tmp_path: Path) -> None:
    path = tmp_path / "part.wav"
    render_to_file(moving_sound(), two_notes(), path, sample_format="float32",
                   span=RenderRange(1.0, 2.0), stems_directory=tmp_path / "stems")  # fmt: skip
    assert soundfile.info(path).frames == RATE
    assert soundfile.info(tmp_path / "stems" / "ground.wav").frames == RATE


@pytest.mark.parametrize(
    ("name", "sample_format"), [("a.mp9", "pcm16"), ("a.wav", "pcm99"), ("a.flac", "float32")]
)
def test_impossible_files_are_refused(tmp_path: Path, name: str, sample_format: str) -> None:
    with pytest.raises(AudioFormatError):
        render_to_file(moving_sound(), one_note(), tmp_path / name, sample_format=sample_format)
    assert list(tmp_path.iterdir()) == []


def test_cancelling_leaves_nothing_behind(tmp_path: Path) -> None:
    progress: list[float] = []
    with pytest.raises(RenderCancelled):
        render_to_file(moving_sound(), two_notes(30.0), tmp_path / "a.wav",
                       progress=progress.append, interrupted=lambda: len(progress) > 3)  # fmt: skip
    assert progress == sorted(progress)
    assert list(tmp_path.iterdir()) == []


def test_a_full_disk_is_said_and_leaves_nothing_behind(tmp_path: Path) -> None:
    """A process that may write no more than 200 kB meets the same error as on a full disk."""
    command = (
        "ulimit -f 400; exec $0 -m caligo render 'Dome Air' --minutes 0.1 --format float32 -o a.wav"
    )
    done = subprocess.run(
        ["sh", "-c", command, sys.executable], cwd=tmp_path, capture_output=True, text=True,
        check=False,
    )  # fmt: skip
    assert done.returncode == 1
    assert "a.wav" in done.stderr
    assert "is the disk full?" in done.stderr
    assert list(tmp_path.iterdir()) == []


def test_a_folder_that_is_not_there_is_said(tmp_path: Path) -> None:
    with pytest.raises(OSError, match="nowhere"):
        render_to_file(moving_sound(), one_note(), tmp_path / "nowhere" / "a.wav")


def full_score() -> Score:
    return Score(
        name="x",
        length=20.0,
        tempo=[TempoChange(time=0, bpm=90), TempoChange(time=8.0, bpm=60)],
        metre=[MetreChange(time=0, numerator=7, denominator=8)],
        notes=[
            Note(id="n1", pitch=36, start=0.0, length=12.0, velocity=100),
            Note(id="n2", pitch=43, start=1.5, length=10.0, velocity=64),
            Note(id="n3", pitch=43, start=12.0, length=2.0, velocity=30),
        ],
        lanes=[Lane(id="cc1", controller=1, points=[
            LanePoint(time=0.0, value=0.0), LanePoint(time=10.0, value=1.0)])],
        markers=[Marker(id="m1", time=8.0, name="Plates"), Marker(id="m2", time=3.0, name="Snow")],
    )  # fmt: skip


def test_midi_survives_the_way_out_and_in() -> None:
    back = read_midi(write_midi(full_score()), "x.mid")
    assert [n.pitch for n in back.notes] == [36, 43, 43]
    for ours, theirs in zip(back.notes, full_score().notes, strict=True):
        assert ours.start == pytest.approx(theirs.start, abs=0.002)
        assert ours.length == pytest.approx(theirs.length, abs=0.002)
        assert ours.velocity == theirs.velocity
    assert [(round(t.time, 3), round(t.bpm, 3)) for t in back.tempo] == [(0.0, 90.0), (8.0, 60.0)]
    assert (back.metre[0].numerator, back.metre[0].denominator) == (7, 8)
    assert sorted((round(m.time, 2), m.name) for m in back.markers) == [
        (3.0, "Snow"), (8.0, "Plates")]  # fmt: skip
    assert back.lanes[0].points[-1].value == 1.0


def test_written_midi_plays_at_the_right_times_in_mido() -> None:
    """mido's own playback clock as an independent reader."""
    file = mido.MidiFile(file=io.BytesIO(write_midi(full_score())))
    now, starts = 0.0, []
    for message in file:
        now += message.time
        if message.type == "note_on" and message.velocity:
            starts.append((message.note, round(now, 2)))
    assert starts == [(36, 0.0), (43, 1.5), (43, 12.0)]


def midi(*messages: mido.Message, kind: int = 0) -> bytes:
    file = mido.MidiFile(type=kind, ticks_per_beat=480)
    track = mido.MidiTrack(messages)
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def test_notes_without_an_end_last_to_the_end() -> None:
    data = midi(
        mido.Message("note_on", note=60, velocity=80, time=0),
        mido.Message("note_on", note=64, velocity=0, time=0),
        mido.Message("control_change", control=7, value=3, time=1_920),
    )
    score = read_midi(data)
    assert [(n.pitch, n.length) for n in score.notes] == [(60, 2.0)]


@pytest.mark.parametrize("cut", [5, 14, 20, 40, 80])
def test_a_truncated_file_is_refused_with_its_name(cut: int) -> None:
    with pytest.raises(MidiError, match=r"short\.mid"):
        read_midi(write_midi(full_score())[:cut], "short.mid")


@pytest.mark.parametrize("data", [b"", b"RIFF1234WAVE", b"MThd", b"MThd\0\0\0\6\0\0\0\0\0\0"])
def test_other_files_are_refused(data: bytes) -> None:
    with pytest.raises(MidiError):
        read_midi(data, "other.mid")


def test_a_file_without_notes_is_refused() -> None:
    with pytest.raises(MidiError, match="no notes"):
        read_midi(midi(mido.Message("control_change", control=1, value=5, time=10)))


@settings(max_examples=150)
@given(st.integers(0, 400), st.binary(min_size=1, max_size=12))
def test_damaged_files_never_do_worse_than_be_refused(place: int, junk: bytes) -> None:
    data = write_midi(full_score())
    at = place % len(data)
    try:
        score = read_midi(data[:at] + junk + data[at + len(junk) :])
    except MidiError:
        return
    assert all(n.length > 0 for n in score.notes)
