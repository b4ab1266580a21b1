"""MP3 files as encoders write them: with and without a length in their first frame."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from caligo.material.mp3 import says_its_length
from caligo.material.reading import MaterialError, read_recording

RATE, SECONDS = 44_100, 20.0
FRAME = 1152
"""Samples of an MPEG-1 layer III frame (ISO 11172-3)."""


def encoded(path: Path, mode: str) -> bytes:
    """A tone that grows, so that a variable bit rate varies."""
    t = np.arange(round(RATE * SECONDS)) / RATE
    noise = np.random.default_rng(3).standard_normal(len(t))
    wave = 0.3 * np.sin(2 * np.pi * 440.0 * t) + 0.1 * noise * t / SECONDS
    soundfile.write(
        path, np.stack([wave, wave], axis=1), RATE, format="MP3", subtype="MPEG_LAYER_III",
        bitrate_mode=mode, compression_level=0.5,
    )  # fmt: skip
    return path.read_bytes()


def without_length(data: bytes) -> bytes:
    """The same without its first frame, which holds the length (as `lame -t` writes it)."""
    tag = max(data.find(b"Xing", 0, 2000), data.find(b"Info", 0, 2000))
    assert tag > 0
    begin = data.find(b"\xff\xfb", tag)
    assert begin > 0
    return data[begin:]


@pytest.mark.parametrize("mode", ["VARIABLE", "CONSTANT"])
def test_a_file_without_a_length_is_read_to_its_end(tmp_path: Path, mode: str) -> None:
    whole = tmp_path / "whole.mp3"
    data = encoded(whole, mode)
    assert says_its_length(whole)
    expected = read_recording(whole)[0]
    assert expected.shape == (2, round(RATE * SECONDS))
    bare = tmp_path / "bare.mp3"
    bare.write_bytes(without_length(data))
    assert not says_its_length(bare)
    samples, rate = read_recording(bare)
    assert rate == RATE
    # What the length would have left out stays: the encoder's delay, and the last frame's rest.
    assert 0 <= samples.shape[1] - expected.shape[1] <= 3 * FRAME
    tone = np.abs(np.fft.rfft(samples[0, -RATE:]))
    assert abs(int(tone.argmax()) - 440) <= 1


def test_a_file_with_a_length_that_is_cut_off_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "cut.mp3"
    data = encoded(path, "VARIABLE")
    path.write_bytes(data[: len(data) // 2])
    with pytest.raises(MaterialError, match="cut off"):
        read_recording(path)
