"""MP3 files as encoders write them: with and without a length in their first frame."""

from __future__ import annotations

import io
import struct
from functools import cache
from pathlib import Path

import numpy as np
import pytest
import soundfile

from caligo.material.mp3 import UNKNOWN, StreamedFile, first_frame
from caligo.material.reading import MaterialError, read_recording

RATE, SECONDS = 44_100, 5.0
FRAME = 1152
"""Samples of an MPEG-1 layer III frame (ISO 11172-3)."""


@cache
def encoded(mode: str) -> bytes:
    """A tone that grows, so that a variable bit rate varies."""
    t = np.arange(round(RATE * SECONDS)) / RATE
    noise = np.random.default_rng(3).standard_normal(len(t))
    wave = 0.3 * np.sin(2 * np.pi * 440.0 * t) + 0.1 * noise * t / SECONDS
    file = io.BytesIO()
    soundfile.write(
        file, np.stack([wave, wave], axis=1), RATE, format="MP3", subtype="MPEG_LAYER_III",
        bitrate_mode=mode, compression_level=0.5,
    )  # fmt: skip
    return file.getvalue()


def without_length(data: bytes) -> bytes:
    """The same without its first frame, which holds the length (as `lame -t` writes it)."""
    tag = max(data.find(b"Xing", 0, 2000), data.find(b"Info", 0, 2000))
    assert tag > 0
    begin = data.find(b"\xff\xfb", tag)
    assert begin > 0
    return data[begin:]


def says_its_length(path: Path) -> bool:
    with StreamedFile(path) as sound:
        return sound.frames < UNKNOWN


def tag(size: int, *, footer: bool = False) -> bytes:
    """An ID3v2 tag with a picture of `size` bytes, which hold what looks like a frame's begin."""
    body = b"APIC" + struct.pack(">I", size) + b"\0\0" + b"\xff\xfb\x90\x64" * (size // 4)
    sizes = bytes((len(body) >> shift) & 0x7F for shift in (21, 14, 7, 0))
    flags = 0x10 if footer else 0
    end = b"3DI\x04\0" + bytes([flags]) + sizes if footer else b""
    return b"ID3\x04\0" + bytes([flags]) + sizes + body + end


AHEAD = {
    "a small tag": tag(700),
    "a picture": tag(300_000),
    "two tags": tag(5_000) + tag(90_000, footer=True),
    "zeros": bytes(1_000),
    "a tag and zeros": tag(40_000) + bytes(70_000),
}
BEHIND = {
    "ID3v1": b"TAG" + b" " * 125,
    "lyrics": b"LYRICSBEGIN" + b"x" * 500 + b"000511LYRICS200TAG" + b" " * 125,
    "zeros": bytes(5_000),
    "what no decoder knows": b"\x11" * 50_000,
}


@pytest.mark.parametrize("length", [True, False])
@pytest.mark.parametrize("where", [*AHEAD, *(f"{name} behind" for name in BEHIND)])
def test_tags_are_no_sound(tmp_path: Path, where: str, length: bool) -> None:
    """What taggers put ahead of and behind the frames."""
    data = encoded("VARIABLE")
    data = data if length else without_length(data)
    (tmp_path / "plain.mp3").write_bytes(data)
    expected = read_recording(tmp_path / "plain.mp3")[0]
    tagged = tmp_path / "tagged.mp3"
    ahead, behind = AHEAD.get(where, b""), BEHIND.get(where.removesuffix(" behind"), b"")
    tagged.write_bytes(ahead + data if ahead else data + behind)
    assert first_frame(tagged) == len(ahead)
    found = read_recording(tagged)[0]
    assert abs(found.shape[1] - expected.shape[1]) <= FRAME
    common = min(found.shape[1], expected.shape[1])
    np.testing.assert_array_equal(found[:, :common], expected[:, :common])


def test_a_file_that_is_damaged_in_its_midst_is_no_shorter_file(tmp_path: Path) -> None:
    data = without_length(encoded("CONSTANT")) * 48
    half = len(data) // 2
    path = tmp_path / "damaged.mp3"
    path.write_bytes(data[:half] + b"\x11" * 200_000 + data[half:])
    with pytest.raises(MaterialError, match="not audio"):
        read_recording(path)


@pytest.mark.parametrize("mode", ["VARIABLE", "CONSTANT"])
def test_a_file_without_a_length_is_read_to_its_end(tmp_path: Path, mode: str) -> None:
    whole = tmp_path / "whole.mp3"
    data = encoded(mode)
    whole.write_bytes(data)
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
    data = encoded("VARIABLE")
    path.write_bytes(data[: len(data) // 2])
    with pytest.raises(MaterialError, match="cut off"):
        read_recording(path)
