"""The command line, as people and scripts use it."""

from __future__ import annotations

import errno
import json
import re
from pathlib import Path

import numpy as np
import pytest
import soundfile

from caligo.command import main
from caligo.document.held import held_chord
from caligo.engine.precompile.first_kernels import FIRST_KERNELS
from caligo.engine.precompile.precompile import warm
from caligo.formats.midi import write_midi
from caligo.kernels.cache import VARIABLE, directory
from caligo.kernels.compilation import named
from tests.core.builders import layer_of, moving_sound, plain_sound


@pytest.fixture
def sound_file(tmp_path: Path) -> str:
    path = tmp_path / "sound.json"
    path.write_text(json.dumps(moving_sound().as_document()))
    return str(path)


def rendered(path: Path) -> np.ndarray:
    return soundfile.read(path, dtype="float32")[0]


def test_render_says_length_time_and_ratio(
    tmp_path: Path, sound_file: str, capsys: pytest.CaptureFixture[str]
) -> None:
    out = tmp_path / "out.wav"
    assert (
        main(["render", sound_file, "--chord", "C3 G3", "--minutes", "0.05", "-o", str(out)]) == 0
    )
    assert re.search(
        r"3\.0 s in [\d.]+ s, [\d.]+ times real time$", capsys.readouterr().out.strip()
    )
    assert rendered(out).std() > 1e-3


def test_blocks_threads_and_ranges_agree(tmp_path: Path, sound_file: str) -> None:
    base = ["render", sound_file, "--chord", "C3", "--minutes", "0.05", "--format", "float32"]
    for name, more in (
        ("a", []),
        ("b", ["--block", "64"]),
        ("c", ["--threads", "2"]),
        ("d", ["--from", "1.5", "--to", "0:02.5"]),
    ):
        assert main([*base, *more, "-o", str(tmp_path / f"{name}.wav")]) == 0
    a, b, c, d = (rendered(tmp_path / f"{n}.wav") for n in "abcd")
    assert np.array_equal(a, b)
    assert np.array_equal(a, c)
    assert d.shape[0] == 48_000
    assert np.abs(a[72_000:120_000] - d).max() < 0.001


def test_midi_scores_and_stems(tmp_path: Path, sound_file: str) -> None:
    (tmp_path / "s.mid").write_bytes(write_midi(held_chord("C3 E3", 2.0)))
    out = tmp_path / "x.flac"
    arguments = [
        "--score",
        str(tmp_path / "s.mid"),
        "--to",
        "1",
        "--stems",
        str(tmp_path / "stems"),
    ]
    assert main(["render", sound_file, *arguments, "-o", str(out)]) == 0
    assert (tmp_path / "stems" / "ground.flac").exists()


def test_trace_gives_every_values(sound_file: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["trace", sound_file, "--minutes", "1", "--points", "50", "--json"]) == 0
    data = json.loads(capsys.readouterr().out)
    assert set(data["modulators"]) == {"swell", "weather"}
    cutoff = data["parameters"]["ground.filter1.cutoff"]
    assert len(cutoff["value"]) == 50
    assert [cutoff[key] for key in ("owner", "part", "name", "unit")] == [
        "Ground", "Low-pass", "Cutoff", "Hz",
    ]  # fmt: skip
    swell = data["modulators"]["swell"]
    assert (swell["name"], swell["kind"], swell["bipolar"]) == ("Swell", "lfo", True)
    with pytest.raises(SystemExit):
        main(["trace", "--help"])
    told = capsys.readouterr().out
    assert all(f"\n{part} " in told for part in data)


def test_measure(tmp_path: Path, sound_file: str, capsys: pytest.CaptureFixture[str]) -> None:
    out = str(tmp_path / "m.wav")
    main(["render", sound_file, "--minutes", "0.1", "-o", out])
    capsys.readouterr()
    assert main(["measure", out, "--json"]) == 0
    assert -60 < json.loads(capsys.readouterr().out)["integrated"] < 0
    assert main(["measure", out]) == 0
    assert "LUFS" in capsys.readouterr().out


def test_lists(sound_file: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["demo-sounds"]) == 0
    names = capsys.readouterr().out.split("\n")
    assert "Dome Air" in names
    for command in ("catalogue", "schema"):
        assert main([command]) == 0
        assert "cutoff" in capsys.readouterr().out
    assert main(["check", sound_file]) == 0
    assert main(["check", "Dome Air"]) == 0


@pytest.mark.parametrize(
    ("content", "says"),
    [
        ("not json", "is not JSON"),
        ('{"name": "x", "layers": []}', "layers"),
        ('{"name": "x", "shine": 1, "layers": [{"id": "a", "name": "A", "source": '
         '{"kind": "wavetable", "params": {"unison": 90}}}]}', "shine"),
    ],
)  # fmt: skip
def test_bad_sounds_are_explained(
    tmp_path: Path, content: str, says: str, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "bad.json").write_text(content)
    assert main(["check", str(tmp_path / "bad.json")]) == 2
    assert says in capsys.readouterr().err


def test_other_mistakes_are_explained(
    tmp_path: Path, sound_file: str, capsys: pytest.CaptureFixture[str]
) -> None:
    out = str(tmp_path / "o.wav")
    for arguments, says in (
        (["render", "No Such Sound", "-o", out], "Dome Air"),
        (["render", sound_file, "--chord", "H9", "-o", out], "chord"),
        (["render", sound_file, "--from", "9:00", "-o", out], "before the end"),
        (["render", sound_file, "-o", str(tmp_path / "o.txt")], "wav"),
        (["render", sound_file, "--score", str(tmp_path / "none.mid"), "-o", out], "none.mid"),
        (["measure", sound_file], "audio"),
    ):
        assert main(arguments) == 2, arguments
        assert says in capsys.readouterr().err


def test_missing_material_is_told(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    layer = layer_of("grains", recording="0123456789abcdef")
    path = tmp_path / "sound.json"
    path.write_text(json.dumps(plain_sound(layer).as_document()))
    main(["check", str(path)])
    output = capsys.readouterr()
    assert "ground.source.recording: this material is not in the library" in output.err
    assert "a valid sound" in output.out


def test_a_full_disk_is_told_with_its_place(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """What keeps compiled kernels raises an error that names no file."""

    def full(*_: object, **__: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("caligo.command.warm.warm", full)
    assert main(["warm"]) == 1
    output = capsys.readouterr().err
    assert "No space left on device" in output
    assert str(directory()) in output
    assert "free some space" in output


def test_kernels_that_cannot_be_kept_are_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_text("in the way")
    monkeypatch.setenv(VARIABLE, str(tmp_path / "file"))
    # Whatever this process has loaded: one that is missing, and that nothing keeps.
    monkeypatch.setattr(
        "caligo.engine.precompile.precompile.missing", lambda: [named(next(iter(FIRST_KERNELS)))]
    )
    monkeypatch.setattr("caligo.engine.precompile.precompile.compile_missing", lambda kernels: [])
    with pytest.raises(OSError, match="could not be kept"):
        warm(first_only=True)


def test_reseed_rolls_what_is_not_locked_and_keeps_what_was(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    layer = plain_sound().as_document()["layers"][0]
    steps = {"kind": "steps", "params": {"values": [0, 50, -50]}}
    modulators = [
        {"id": "drift", "name": "Drift", "kind": "random", "seed": 4},
        {"id": "held", "name": "Held", "kind": "random", "seed": 5, "locked": True},
        {"id": "walk", "name": "Walk", "seed": 6} | steps,
    ]
    file, out = tmp_path / "in.json", tmp_path / "out.json"
    file.write_text(json.dumps({"name": "Rolled", "layers": [layer], "modulators": modulators}))
    base = ["reseed", str(file), "--seed", "7"]
    assert main([*base, "-o", str(out)]) == 0
    assert capsys.readouterr().out == f"{out}: 2 reseeded (Drift, Walk)\n"
    drift, held, walk = json.loads(out.read_text())["modulators"]
    assert drift["seed"] != 4
    assert [roll["seed"] for roll in drift["rolls"]] == [4, drift["seed"]]
    assert (held["seed"], held["rolls"]) == (5, [])
    assert walk["params"]["values"] == [0, 50, -50]
    # The same seed gives the same, also by name and with patterns.
    assert main([*base, "--modulator", "walk", "--modulator", "held", "--patterns"]) == 0
    other = json.loads(capsys.readouterr().out)["modulators"]
    assert other[0]["seed"] == 4
    assert other[1]["seed"] != 5
    assert other[2]["seed"] == walk["seed"]
    assert len(set(other[2]["params"]["values"])) == 3
    assert main([*base, "--modulator", "gone"]) == 2
    assert "its modulators are: drift, held, walk" in capsys.readouterr().err
