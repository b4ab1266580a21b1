"""Audio files in, with every way they can be broken told in plain words."""

from __future__ import annotations

import hashlib
import math
import struct
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from caligo.errors import InputRefused
from caligo.material.long import PIECE, pieces
from caligo.material.mp3 import UNKNOWN, decoded_frames, first_frame, opened

LONGEST = 20 * 60.0
"""Seconds that a recording may last."""
LONGEST_PAGE = 65_307
"""Bytes of an Ogg page at most (RFC 3533)."""
SHORTEST = 64
"""Frames that it must have."""
RATES = (4_000, 384_000)


class MaterialError(InputRefused):
    """Material that cannot be used, said for a person."""


class TooManyChannels(MaterialError):
    """More than two channels, of which a mix or two can be taken; says how many there are."""

    def __init__(self, text: str, channels: int) -> None:
        super().__init__(text)
        self.channels = channels

    def __reduce__(self) -> tuple[type[TooManyChannels], tuple[str, int]]:
        """Come out of a worker whole."""
        return TooManyChannels, (str(self), self.channels)


def not_audio(called: str) -> MaterialError:
    """What is said of a file that is not audio."""
    return MaterialError(
        f"{called} is not audio that Caligo reads; it takes WAV, FLAC, OGG, AIFF and MP3"
    )


def _declared_bytes(head: bytes) -> int | None:
    """The length that a WAV or AIFF file says it has, from its first chunk's header."""
    if len(head) < 12:
        return None
    if head[:4] == b"RIFF" and head[8:12] == b"WAVE":
        return int(struct.unpack("<I", head[4:8])[0]) + 8
    if head[:4] == b"FORM" and head[8:12] in (b"AIFF", b"AIFC"):
        return int(struct.unpack(">I", head[4:8])[0]) + 8
    return None


def _ogg_is_cut_off(path: Path) -> bool:
    """Whether an Ogg file lacks its last page, which is marked so (RFC 3533, section 6)."""
    with path.open("rb") as file:
        if file.read(4) != b"OggS":
            return False
        file.seek(max(0, path.stat().st_size - LONGEST_PAGE))
        end = file.read()
    at = end.rfind(b"OggS")
    if at < 0 or at + 27 > len(end):
        return True
    header, segments = end[at : at + 27], end[at + 26]
    lengths = end[at + 27 : at + 27 + segments]
    whole = at + 27 + segments + sum(lengths) <= len(end)
    return not (whole and header[5] & 0x04)


def _opened(path: Path, called: str) -> soundfile.SoundFile:
    """An audio file; an MP3 file from its first frame on."""
    try:
        found = soundfile.SoundFile(path)
    except soundfile.LibsndfileError:
        if not first_frame(path):
            raise not_audio(called) from None
    else:
        if found.format != "MP3":
            return found
        found.close()
    try:
        return opened(path)
    except soundfile.LibsndfileError:
        raise not_audio(called) from None


class RecordingReader:
    """An audio file, checked, and read piece by piece.

    Raises
    ------
    MaterialError
        If the file is not audio, is cut off, or holds what Caligo cannot use.
    """

    def __init__(self, path: Path, name: str = "") -> None:
        self._called = name or path.name
        _check_length(path, self._called)
        self._sound = _opened(path, self._called)
        self.rate: int = self._sound.samplerate
        self.channels: int = self._sound.channels
        self.frames: int = self._sound.frames
        self.ending = f".{self._sound.format.lower()}"
        """The ending of files of this format."""
        try:
            if self.frames >= UNKNOWN:
                self.frames = decoded_frames(path, math.ceil((LONGEST + 1.0) * self.rate))
            self._check_header()
        except soundfile.LibsndfileError:
            self._sound.close()
            raise not_audio(self._called) from None
        except MaterialError:
            self._sound.close()
            raise

    def _check_header(self) -> None:
        if not RATES[0] <= self.rate <= RATES[1]:
            raise MaterialError(
                f"{self._called} says its sample rate is {self.rate} Hz; "
                f"Caligo reads {RATES[0]} to {RATES[1]} Hz"
            )
        if self.channels > 2:
            raise TooManyChannels(
                f"{self._called} has {self.channels} channels; Caligo uses one or two. "
                "Take a mix of them, or two",
                self.channels,
            )
        if self.frames < SHORTEST:
            raise MaterialError(
                f"{self._called} has only {self.frames} samples; at least {SHORTEST}"
            )
        seconds = self.frames / self.rate
        if seconds > LONGEST:
            raise MaterialError(
                f"{self._called} lasts more than {LONGEST / 60:.0f} minutes, the most that a "
                "recording may last. Export the part that you want"
            )

    def pieces(self) -> Iterator[NDArray[np.float32]]:
        """The samples piece by piece ``[channels, frames]``."""
        done = 0
        while done < self.frames:
            try:
                read = self._sound.read(min(PIECE, self.frames - done), "float32", always_2d=True)
            except soundfile.LibsndfileError:
                raise not_audio(self._called) from None
            if len(read) == 0:
                missing = (self.frames - done) / self.rate
                raise MaterialError(
                    f"{self._called} is cut off: {missing:.2f} s are missing at its end"
                )
            wrong = np.flatnonzero(~np.isfinite(read).all(axis=1))
            if len(wrong):
                raise MaterialError(
                    f"{self._called} holds samples that are no numbers, the first at "
                    f"{(done + wrong[0]) / self.rate:.3f} s. Export it again"
                )
            yield np.ascontiguousarray(read.T)
            done += len(read)

    def __enter__(self) -> RecordingReader:
        return self

    def __exit__(self, *_: object) -> None:
        self._sound.close()


def read_recording(path: Path, name: str = "") -> tuple[NDArray[np.float32], int]:
    """The samples of an audio file, all in memory.

    Parameters
    ----------
    path : Path
    name : str, optional
        What messages call the file.

    Returns
    -------
    samples : ndarray
        32-bit floats ``[channels, frames]``.
    rate : int
        Samples per second.

    Raises
    ------
    MaterialError
        See `RecordingReader`.
    """
    with RecordingReader(path, name) as reader:
        return np.concatenate(list(reader.pieces()), axis=1), reader.rate


def _check_length(path: Path, called: str) -> None:
    """Refuse a file that is empty, or shorter than it says."""
    size = path.stat().st_size
    if size == 0:
        raise MaterialError(f"{called} is empty")
    with path.open("rb") as file:
        declared = _declared_bytes(file.read(12))
    # Streams that were never finished carry 0 or the largest number; those are read as they are.
    if declared is not None and 8 < declared < 0xFFFFFFF0 and declared > size + 1:
        raise MaterialError(
            f"{called} is cut off: it says it has {declared} bytes, and {size} are there. "
            "Copy or export it again"
        )
    if _ogg_is_cut_off(path):
        raise MaterialError(
            f"{called} is cut off: its last page does not end the stream. Copy or export it again"
        )


def content_key(samples: NDArray[np.float32], rate: int) -> str:
    """The key of a recording: a hash of its ``[channels, samples]``, whatever file they came in."""
    digest = hashlib.sha256(f"{rate} {samples.shape[0]}".encode())
    for row in samples:
        for _, piece in pieces(row[None]):
            digest.update(np.rint(piece * 2.0**23).astype(np.int64).tobytes())
    return digest.hexdigest()[:16]
