"""Tuning, chords and tempo against the standards and other implementations."""

from __future__ import annotations

import librosa
import mido
import numpy as np
import pytest

from caligo.document.held import held_chord
from caligo.document.pitch import PitchError, chord, frequency, note_name, note_number
from caligo.document.score import Score, TempoChange
from caligo.document.sound import TuningScale
from caligo.document.tempo import TempoMap
from caligo.formats.scala import ScalaError, read_scala
from caligo.movement.voices import Tuning, Voice, pitch_values


def test_equal_temperament_is_librosas() -> None:
    """ISO 16 (A4 = 440 Hz); librosa as an independent implementation."""
    for key in range(128):
        assert frequency(key) == pytest.approx(librosa.midi_to_hz(key), rel=1e-12)
        assert note_number(note_name(key)) == key
        ours = note_name(key)
        assert librosa.note_to_midi(ours) == key


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("C2 G2 D3", ["C2", "G2", "D3"]),
        ("Am9", ["A3", "C4", "E4", "G4", "B4"]),
        ("Cmaj7, D", ["C3", "E3", "G3", "B3", "D3", "F♯3", "A3"]),
        ("F#m7b5", ["F♯3", "A3", "C4", "E4"]),
        ("C/G", ["G2", "C3", "E3", "G3"]),
        ("Bb2 E♭3", ["B♭2", "E♭3"]),
    ],
)
def test_chords(text: str, names: list[str]) -> None:
    assert [note_name(k) for k in chord(text)] == names


@pytest.mark.parametrize("text", ["", "H3", "C", "C99", "Cwide", "?"])
def test_what_names_nothing_is_refused_or_a_triad(text: str) -> None:
    if text == "C":
        assert len(chord(text)) == 3
        return
    with pytest.raises(PitchError):
        chord(text)


def test_a_held_chord_leaves_room_for_its_release() -> None:
    score = held_chord("C2 G2", 240.0)
    assert all(n.start == 0.0 and n.length == pytest.approx(223.2) for n in score.notes)


def test_quarter_note_at_120_is_two_hertz() -> None:
    """Common practice."""
    assert TempoMap(Score()).beats(1.0) == 2.0


def test_33_sixteenths_meet_the_bar_line_after_33_bars() -> None:
    """Common practice: two bars and a sixteenth against 4/4."""
    pattern, bar = 33 * 0.25, 4.0
    meets = next(n for n in range(1, 100) if (n * pattern) % bar == 0)
    assert meets * pattern / bar == 33.0


def test_tempo_map_is_midos() -> None:
    """Seconds of ticks under changing tempo, against mido's own clock."""
    file = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    file.tracks.append(track)
    bpms = [90.0, 47.5, 133.0, 61.2]
    for i, bpm in enumerate(bpms):
        track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm), time=960 if i else 0))
    track.append(mido.Message("note_on", note=60, velocity=1, time=960))
    changes, now = [], 0.0
    for message in file:
        now += message.time
        if message.type == "set_tempo":
            changes.append(TempoChange(time=now, bpm=60e6 / message.tempo))
    tempo = TempoMap(Score(tempo=changes))
    assert tempo.beats(now) == pytest.approx(8.0, abs=1e-9)
    for beats in np.linspace(0, 8, 33):
        assert tempo.beats(tempo.seconds(float(beats))) == pytest.approx(beats, abs=1e-9)


PYTHAGOREAN = """! pyth.scl
!
A twelve-tone Pythagorean scale
 12
!
 2187/2048
 9/8
 32/27
 81/64
 4/3
 729/512
 3/2
 6561/4096
 27/16
 16/9
 243/128
 2/1
"""


def test_scala_scale_gives_pure_fifths() -> None:
    """The Scala scale file format: ratios, cents, comments; 3/2 is 701.955 cents."""
    scale = read_scala(PYTHAGOREAN, root=60)
    tuning = Tuning(440.0, scale)
    fifth = tuning.octaves(67) - tuning.octaves(60)
    assert 1200.0 * fifth == pytest.approx(701.955, abs=1e-3)
    assert tuning.octaves(72) - tuning.octaves(60) == pytest.approx(1.0)
    assert tuning.octaves(59) - tuning.octaves(60) == pytest.approx(np.log2(243 / 256))


@pytest.mark.parametrize(
    "text",
    [
        "",
        "name only",
        "name\n2\n100.\n",
        "name\n1\nx/y\n",
        "n\n1\n0/1\n",
        "beyond ten octaves\n1\n12000.0\n",
        "too many\n129\n" + "1.0\n" * 129,
        "RIFF\0\0\n1\n2/1\n",
        f"endless\n1\n1{'0' * 400}/1\n",
    ],
)
def test_broken_scala_files_are_refused(text: str) -> None:
    with pytest.raises(ScalaError):
        read_scala(text)


def test_equal_scale_equals_no_scale() -> None:
    equal = TuningScale(cents=[100.0 * n for n in range(1, 13)])
    for key in (21, 60, 69, 100):
        assert Tuning(440.0, equal).octaves(key) == pytest.approx(Tuning(440.0, None).octaves(key))


@pytest.mark.filterwarnings("error")
@pytest.mark.parametrize("glide", [0.0, 5e-324, 0.5])
def test_a_glide_of_next_to_nothing_is_a_step(glide: float) -> None:
    """A quotient by the least number there is would be infinite."""
    voice = Voice("n", 60, 0.0, 4.0, 0.8, 1, ((0.0, 60), (1.0, 72)), glide)
    found = pitch_values([voice], 0, Tuning(440.0, None), np.array([0.5, 1.25, 3.0]))[0]
    middle = 0.5 if glide == 0.5 else 1.0
    assert found - found[0] == pytest.approx([0.0, middle, 1.0])
