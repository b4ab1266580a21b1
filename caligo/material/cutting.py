"""Wavetables cut from recordings and pictures.

A cut is a row of spectra ``[frames, partials]``: the Fourier coefficients c_n of a cycle
x(t) = Re sum c_n exp(2 pi i n t), t from 0 to 1.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from caligo.material.long import let_go, stretch
from caligo.material.pitch import follow_pitch
from caligo.material.reading import MaterialError

MOST_PARTIALS = 512
MOST_FRAMES = 128
MOST_PIXELS = 8_000_000
"""Pixels of a picture, as its header says; decoding them takes some 200 MB."""
PARTIALS_AT_ONCE = 32
"""Partials whose phases are computed anew; the others are turned on from them."""
AUDIBLE = 1e-3
"""Moments softer than this fraction of the loudest are left out."""

Spectra = NDArray[np.complex128]


def _moments(
    samples: NDArray[np.float32], rate: int, frames: int, around: float
) -> NDArray[np.float64]:
    """Times in seconds, evenly over what is heard of a recording ``[frames]``."""
    size = max(1, rate // 50)
    count = samples.shape[1] // size
    power = np.array([float(np.mean(stretch(samples, n * size, size) ** 2)) for n in range(count)])
    let_go(samples)
    if len(power) == 0 or power.max() <= 0.0:
        raise MaterialError("the recording is silent; there is nothing to cut")
    heard = np.flatnonzero(power > AUDIBLE**2 * power.max())
    first = max(heard[0] * size / rate, around)
    last = min((heard[-1] + 1) * size / rate, samples.shape[1] / rate - around)
    return np.linspace(first, max(first, last), frames)


def _coefficients(
    frame: NDArray[np.float64], cycles_per_sample: float, partials: int
) -> NDArray[np.complex128]:
    """Fourier coefficients of the first `partials` partials, through a Hann window."""
    n = np.arange(len(frame)) - (len(frame) - 1) / 2.0
    window = 0.5 + 0.5 * np.cos(2.0 * np.pi * n / len(frame))
    windowed = frame * window / window.sum()
    few = np.arange(1, min(partials, PARTIALS_AT_ONCE) + 1)
    waves = np.exp(-2j * np.pi * np.outer(few, cycles_per_sample * n))
    turn = np.exp(-2j * np.pi * PARTIALS_AT_ONCE * cycles_per_sample * n)
    found = np.empty(partials, dtype=complex)
    for first in range(0, partials, PARTIALS_AT_ONCE):
        count = min(PARTIALS_AT_ONCE, partials - first)
        found[first : first + count] = 2.0 * (waves[:count] @ windowed)
        windowed = turn * windowed
    return found


def by_cycles(samples: NDArray[np.float32], rate: int, hertz: float, frames: int = 32) -> Spectra:
    """Cycles at the pitch near `hertz`, followed as it wanders; each begins with its fundamental.

    Two periods are looked at through a Hann window, which makes one cycle of them without a
    seam.

    Parameters
    ----------
    samples
        A recording ``[channels, samples]`` at `rate` Hz.
    frames
        How many cycles are cut, evenly spread over what is heard.

    Returns
    -------
    Spectra
        Complex amplitudes of the partials ``[frames, partials]``.

    Raises
    ------
    MaterialError
        If the recording is silent, or shorter than two periods.
    """
    around = 1.5 / hertz
    if samples.shape[1] < 4 * rate / hertz:
        raise MaterialError("the recording is too short for cycles of this pitch")
    times = _moments(samples, rate, frames, around)
    followed = follow_pitch(samples, rate, times)
    out = np.zeros((frames, MOST_PARTIALS), dtype=complex)
    for i, (time, here) in enumerate(zip(times, followed, strict=True)):
        pitch = here if math.isfinite(here) and abs(math.log2(here / hertz)) < 0.3 else hertz
        size = round(2.0 * rate / pitch)
        first = min(max(0, round(time * rate) - size // 2), samples.shape[1] - size)
        partials = min(MOST_PARTIALS, int(0.49 * rate / pitch))
        found = _coefficients(stretch(samples, first, size), pitch / rate, partials)
        turn = np.angle(found[0]) + np.pi / 2.0
        out[i, :partials] = found * np.exp(-1j * turn * np.arange(1, partials + 1))
    return out


def by_spectrum(samples: NDArray[np.float32], rate: int, hertz: float, frames: int = 32) -> Spectra:
    """What sounds around each multiple of a pitch, for noisy or gliding recordings.

    The energy within half a pitch of each multiple gives the partial's level; phases are
    scattered, the same in all frames, so that moving through the table changes colour alone.

    Parameters
    ----------
    samples
        A recording ``[channels, samples]`` at `rate` Hz.

    Returns
    -------
    Spectra
        Complex amplitudes of the partials ``[frames, partials]``.

    Raises
    ------
    MaterialError
        If the recording is silent.
    """
    size = max(256, min(16_384, 2 ** math.ceil(math.log2(6.0 * rate / hertz))))
    times = _moments(samples, rate, frames, 0.0)
    partials = min(MOST_PARTIALS, int(0.49 * rate / hertz - 0.5))
    if partials < 1:
        raise MaterialError("the pitch is too high for this recording's sample rate")
    phases = np.random.default_rng(71).uniform(0.0, 2.0 * np.pi, MOST_PARTIALS)
    window = np.hanning(size)
    edges = (np.arange(partials + 1) + 0.5) * hertz * size / rate
    borders = np.clip(np.round(edges).astype(int), 0, size // 2)
    out = np.zeros((frames, MOST_PARTIALS), dtype=complex)
    for i, time in enumerate(times):
        first = min(max(0, round(time * rate)), samples.shape[1]) - size // 2
        power = np.abs(np.fft.rfft(stretch(samples, first, size) * window)) ** 2
        total = np.concatenate([[0.0], np.cumsum(power)])
        level = np.sqrt(np.maximum(total[borders[1:]] - total[borders[:-1]], 0.0))
        out[i, :partials] = level * np.exp(1j * phases[:partials])
    return out


def _brightness(picture: Image.Image) -> NDArray[np.float64]:
    """Brightness from 0 to 1 ``[rows, columns]``; 16 bits stay as fine as they are."""
    if picture.mode.startswith("I"):
        return np.asarray(picture, dtype=np.float64) / 65535.0
    return np.asarray(picture.convert("L"), dtype=np.float64) / 255.0


def by_picture(path: Path, name: str = "", frames: int = 32) -> Spectra:
    """Brightness along each row as a cycle, rows from top to bottom as positions.

    Raises
    ------
    MaterialError
        If the file is not a PNG picture, is too large, or has no shape in it.
    """
    called = name or path.name
    try:
        with Image.open(path, formats=["PNG"]) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise MaterialError(
                    f"{called} has {picture.width} by {picture.height} pixels; make it smaller"
                )
            grey = _brightness(picture)
    except MaterialError:
        raise
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        raise MaterialError(f"{called} is not a PNG picture, or is damaged") from None
    if grey.shape[1] < 4:
        raise MaterialError(f"{called} is only {grey.shape[1]} pixels wide; at least 4 are needed")
    rows = np.array_split(np.arange(len(grey)), min(frames, len(grey)))
    out = np.zeros((len(rows), MOST_PARTIALS), dtype=complex)
    for i, row in enumerate(rows):
        found = 2.0 * np.fft.rfft(grey[row].mean(axis=0)) / grey.shape[1]
        partials = min(MOST_PARTIALS, len(found) - 1)
        out[i, :partials] = found[1 : partials + 1]
    silent = np.abs(out).max(axis=1) < 1e-4
    if silent.all():
        raise MaterialError(f"{called} has the same brightness everywhere; it makes no wave")
    # An even row makes no wave; it takes that of its nearest neighbour.
    lively = np.flatnonzero(~silent)
    for i in np.flatnonzero(silent).tolist():
        out[i] = out[lively[np.abs(lively - i).argmin()]]
    return out
