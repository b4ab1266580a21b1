"""WAV and FLAC out, through libsndfile."""

from __future__ import annotations

import contextlib
import os
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from caligo.errors import InputRefused
from caligo.kernels import kernel


@dataclass(frozen=True, slots=True)
class SampleFormat:
    """How samples are written.

    Parameters
    ----------
    subtype
        As libsndfile calls it.
    bits
        Of a sample.
    whole
        Whether samples are integers; others are floats.
    containers
        Files that can hold it, as in `CONTAINERS`.
    """

    subtype: str
    bits: int
    whole: bool
    containers: tuple[str, ...]


SAMPLE_FORMATS = {
    "pcm16": SampleFormat("PCM_16", 16, True, ("WAV", "FLAC")),
    "pcm24": SampleFormat("PCM_24", 24, True, ("WAV", "FLAC")),
    "float32": SampleFormat("FLOAT", 32, False, ("WAV",)),
}
DITHERED_BITS = 16
"""Bits up to which rounding is heard, so that samples are dithered."""
LARGEST_WAV = 0xFFFFFFFF - (1 << 16)
"""Bytes of samples that a WAV file can say it has; longer ones are RF64 (EBU Tech 3306)."""
CONTAINERS = {".wav": "WAV", ".flac": "FLAC"}


def _forget_the_clock(path: Path) -> None:
    """Set to zero the second at which a file of floats was written, so that it can be repeated.

    libsndfile notes it in the chunk ``PEAK``: name, size, version, time of four bytes each.
    """
    with path.open("r+b") as file:
        at = file.read(4_096).find(b"PEAK")
        if at >= 0:
            file.seek(at + 12)
            file.write(bytes(4))


class AudioFormatError(InputRefused):
    """A file ending or sample format that cannot be written."""


@kernel("f4[:, ::1], i8, f8")
def _dither(samples: np.ndarray, first: int, step: float) -> None:
    """Add triangular noise of one step to `samples` ``[frames, channels]``, a hash of the place.

    Triangular dither makes the error of rounding independent of the signal (Lipshitz,
    Wannamaker and Vanderkooy, "Quantization and dither: a theoretical survey", 1992).
    """
    for n in range(samples.shape[0]):
        for c in range(samples.shape[1]):
            x = np.uint64(first + n) * np.uint64(2) + np.uint64(c)
            x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
            x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
            x = x ^ (x >> np.uint64(31))
            a = float(x & np.uint64(0xFFFFFFFF)) / 4294967296.0
            b = float(x >> np.uint64(32)) / 4294967296.0
            samples[n, c] += np.float32((a - b) * step)


def _whole(frames: NDArray[np.float32], bits: int) -> NDArray[np.int32]:
    """Samples rounded to `bits`, at the top of 32; left to itself the library would cut off."""
    full = 2.0 ** (bits - 1)
    rounded = np.clip(np.rint(frames.astype(np.float64) * full), -full, full - 1.0)
    return (rounded * 2.0 ** (32 - bits)).astype(np.int32)


class AudioWriter:
    """Writes a file piece by piece; it appears under its name only when finished.

    Parameters
    ----------
    frames
        How many will be written, as far as that is known; a WAV file that would pass 4 GiB is
        written as RF64, which the same programs read.

    Raises
    ------
    AudioFormatError
        For an ending other than .wav or .flac, or a format that the container does not hold.
    OSError
        If the disk is full or the folder cannot be written.
    """

    def __init__(
        self, path: Path, rate: int, sample_format: str, channels: int = 2, frames: int = 0
    ) -> None:
        container = CONTAINERS.get(path.suffix.lower())
        if container is None:
            raise AudioFormatError(f"{path.name}: the ending is .wav or .flac")
        if sample_format not in SAMPLE_FORMATS:
            raise AudioFormatError(f"{sample_format!r}: the format is {', '.join(SAMPLE_FORMATS)}")
        chosen = SAMPLE_FORMATS[sample_format]
        if container not in chosen.containers:
            raise AudioFormatError("FLAC holds 16 or 24 bits, not 32-bit float; choose WAV for it")
        if container == "WAV" and frames * channels * chosen.bits // 8 > LARGEST_WAV:
            container = "RF64"
        self.path = path
        self._scratch = path.with_name(f".{path.stem}.{os.getpid()}.part{path.suffix}")
        self._dithered = chosen.whole and chosen.bits <= DITHERED_BITS
        self._bits = chosen.bits if chosen.whole else None
        self._frames = 0
        try:
            self._file = soundfile.SoundFile(
                self._scratch,
                "w",
                samplerate=rate,
                channels=channels,
                subtype=chosen.subtype,
                format=container,
            )
        except soundfile.LibsndfileError as error:
            raise OSError(f"cannot write {path}: {error}") from None

    def write(self, signal: NDArray[np.float32]) -> None:
        """Add `signal` ``[channels, frames]``."""
        frames = signal.T.copy()
        if self._dithered:
            _dither(frames, self._frames, 1.0 / 32768.0)
        self._frames += len(frames)
        try:
            self._file.write(frames if self._bits is None else _whole(frames, self._bits))
        except soundfile.LibsndfileError as error:
            raise OSError(f"cannot write {self.path}: {error}; is the disk full?") from None

    def finish(self) -> None:
        """Close the file and give it its name."""
        try:
            self._file.close()
        except soundfile.LibsndfileError as error:
            raise OSError(f"cannot write {self.path}: {error}; is the disk full?") from None
        if soundfile.info(str(self._scratch)).frames != self._frames:
            raise OSError(f"cannot write {self.path}: the file is incomplete; is the disk full?")
        _forget_the_clock(self._scratch)
        self._scratch.replace(self.path)

    def discard(self) -> None:
        """Close and remove an unfinished file; a finished one stays."""
        with contextlib.suppress(soundfile.LibsndfileError):
            self._file.close()
        self._scratch.unlink(missing_ok=True)
