"""Whatever is given as material, there is a clear message or a sound, never anything else."""

from __future__ import annotations

import contextlib
import io
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from caligo.formats.sfz import SfzError, read_sfz
from caligo.material.cutting import by_cycles, by_picture, by_spectrum
from caligo.material.loops import find_loops
from caligo.material.pitch import detect
from caligo.material.reading import MaterialError, read_recording

RATE = 44_100
PATIENT = settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])


def audio(container: str) -> bytes:
    """A tenth of a second of a tone in a container."""
    wave = 0.3 * np.sin(2 * np.pi * 330 * np.arange(RATE // 10) / RATE)
    buffer = io.BytesIO()
    soundfile.write(buffer, wave, RATE, format=container)
    return buffer.getvalue()


def read(folder: Path, content: bytes, name: str = "gale.wav") -> np.ndarray | None:
    """What is read of a file with this content; None where it is refused in plain words."""
    path = folder / name
    path.write_bytes(content)
    try:
        return read_recording(path)[0]
    except MaterialError as error:
        output = str(error)
    assert name in output
    return None


@PATIENT
@given(content=st.binary(max_size=400))
def test_any_bytes_are_refused_in_plain_words(tmp_path: Path, content: bytes) -> None:
    found = read(tmp_path, content)
    assert found is None or np.isfinite(found).all()


@pytest.mark.parametrize("container", ["WAV", "FLAC", "OGG", "AIFF", "MP3"])
@PATIENT
@given(share=st.floats(0.0, 0.999))
def test_files_cut_off_anywhere(tmp_path: Path, container: str, share: float) -> None:
    """Never an error of another kind; what can be read in part is finite."""
    whole = audio(container)
    found = read(tmp_path, whole[: int(share * len(whole))], f"gale.{container.lower()}")
    assert found is None or np.isfinite(found).all()


@pytest.mark.parametrize("container", ["WAV", "AIFF", "FLAC"])
@PATIENT
@given(at=st.integers(0, 60), byte=st.integers(0, 255))
def test_a_damaged_header(tmp_path: Path, container: str, at: int, byte: int) -> None:
    content = bytearray(audio(container))
    content[at] = byte
    found = read(tmp_path, bytes(content), f"gale.{container.lower()}")
    assert found is None or np.isfinite(found).all()


@PATIENT
@given(content=st.binary(max_size=300), head=st.booleans())
def test_any_bytes_as_a_picture(tmp_path: Path, content: bytes, head: bool) -> None:
    path = tmp_path / "ridge.png"
    path.write_bytes((b"\x89PNG\r\n\x1a\n" if head else b"") + content)
    with pytest.raises(MaterialError, match=r"ridge\.png"):
        by_picture(path)


@PATIENT
@given(
    width=st.integers(1, 40), rows=st.integers(1, 40), frames=st.integers(1, 128),
    seed=st.integers(0, 9),
)  # fmt: skip
def test_any_picture_makes_a_table_or_says_why_not(
    tmp_path: Path, width: int, rows: int, frames: int, seed: int
) -> None:
    path = tmp_path / "ridge.png"
    grey = np.random.default_rng(seed).integers(0, 255, (rows, width), np.uint8)
    Image.fromarray(grey).save(path)
    try:
        spectra = by_picture(path, frames=frames)
    except MaterialError:
        assert width < 4 or np.ptp(grey) < 3 or width * rows < 16
        return
    assert len(spectra) == min(frames, rows)
    assert np.isfinite(spectra).all()
    assert (np.abs(spectra).max(axis=1) > 0).all()


@PATIENT
@given(text=st.text(max_size=200))
def test_any_text_as_an_instrument(text: str) -> None:
    with contextlib.suppress(SfzError):
        read_sfz(text)


@PATIENT
@given(
    words=st.lists(
        st.sampled_from(
            ["<region>", "<group>", "<global>", "sample=a.wav", "lokey=c4", "key=300", "lovel=x",
             "loop_start=9", "loop_end=3", "tune=", "volume=-6", "// gone", "/*", "*/", "<curve>"]
        ),
        max_size=20,
    )
)  # fmt: skip
def test_any_words_of_an_instrument(words: list[str]) -> None:
    with contextlib.suppress(SfzError):
        for zone in read_sfz("\n".join(words)).zones:
            assert 0 <= zone.key_low <= 127
            assert 0 <= zone.key_high <= 127


@PATIENT
@given(
    length=st.integers(64, 4000), level=st.sampled_from([0.0, 1e-9, 0.5]), seed=st.integers(0, 9)
)
def test_any_recording_is_looked_through(length: int, level: float, seed: int) -> None:
    """However short or silent: pitch, loops and cuts find something, or nothing."""
    wave = (level * np.random.default_rng(seed).standard_normal((1, length))).astype(np.float32)
    pitch = detect(wave, RATE)
    assert pitch is None or 0 < pitch.hertz < RATE
    for loop in find_loops(wave, RATE):
        assert 0 <= loop.start < loop.end <= length / RATE
    for cut in (by_cycles, by_spectrum):
        with contextlib.suppress(MaterialError):
            assert np.isfinite(cut(wave, RATE, 200.0, 4)).all()
