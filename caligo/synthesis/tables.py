"""Built-in wavetables, made from spectra and band-limited per half octave.

A table is a row of single cycles; position moves through the row. Every cycle of a table has
the same root mean square, and its partials keep their phases along the row, so that moving
through a table changes its colour and not its level.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from caligo.material.store import current
from caligo.synthesis.source import VOICE_RMS

LENGTH = 4096
"""Samples in a cycle of few partials, and in one that is drawn or worked on."""
LONGEST = 32_768
FINENESS = 64
"""Samples at least for each partial of a cycle, and twice as many where there are `FEW`, each of
which is so much louder. Read along straight lines between samples, a partial's images lie
20 log10(64^2) = 72 dB below it."""
FEW = 128
PLAYED = 8_192
"""Samples of a cycle that is made as it is played, up to 64 kHz: with 92 partials, as at C4 and
48 kHz, images lie 78 dB below each of them."""
FRAMES = 32
MOST_PARTIALS = 512
LIMITS = tuple(
    sorted({max(1, round(MOST_PARTIALS / 2 ** (k / 2))) for k in range(19)}, reverse=True)
)
"""Partials kept at each level, from the fullest to a lone fundamental."""

Amplitudes = NDArray[np.float64]
Recipe = Callable[[Amplitudes, float], tuple[Amplitudes, Amplitudes]]
"""From partial numbers ``[partials]`` and a position 0 to 1 to amplitudes and sine phases."""


@dataclass(frozen=True, slots=True)
class Table:
    """A band-limited table.

    Parameters
    ----------
    flat
        All cycles, a level behind the other ``[samples]``: `frames` cycles each, of as many samples
        as it needs and the first once more.
    bits, starts
        The logarithm to base two of the samples in a level's cycle, and where its first cycle
        begins ``[levels]``.
    limits
        The highest partial in each level ``[levels]``.
    """

    flat: NDArray[np.float32]
    bits: NDArray[np.int64]
    starts: NDArray[np.int64]
    frames: int
    limits: NDArray[np.int64]

    def level(self, number: int = 0) -> NDArray[np.float32]:
        """The cycles of a level ``[frames, samples + 1]``; the first is the fullest."""
        length = (1 << int(self.bits[number])) + 1
        begin = int(self.starts[number])
        return self.flat[begin : begin + self.frames * length].reshape(self.frames, length)

    def thinned(self, count: int, number: int = 0) -> NDArray[np.float32]:
        """A level's cycles at `count` even places ``[frames, count]``, a power of two."""
        return self.level(number)[:, :-1][:, :: (1 << int(self.bits[number])) // count]

    def of_one_length(self) -> NDArray[np.float32]:
        """The first cycle at every level, all of one length ``[levels, LENGTH + 1]``."""
        levels = range(len(self.limits))
        return np.stack([np.append(c := self.thinned(LENGTH, k)[0], c[0]) for k in levels])


def table_of(levels: Sequence[NDArray[np.float32]], limits: Sequence[int]) -> Table:
    """A table of levels ``[frames, samples + 1]`` each, with their highest partials."""
    lengths = np.array([level.shape[1] for level in levels])
    starts = np.concatenate([[0], np.cumsum(lengths * len(levels[0]))[:-1]])
    return Table(
        np.concatenate([level.reshape(-1) for level in levels], dtype=np.float32),
        np.round(np.log2(lengths - 1)).astype(np.int64),
        starts.astype(np.int64),
        len(levels[0]),
        np.array(limits, dtype=np.int64),
    )


def _sine(n: Amplitudes, _: float) -> tuple[Amplitudes, Amplitudes]:
    return (n == 1).astype(float), np.zeros_like(n)


def _triangle(n: Amplitudes, _: float) -> tuple[Amplitudes, Amplitudes]:
    odd = n % 2 == 1
    return np.where(odd, 1.0 / n**2, 0.0), np.where((n // 2) % 2 == 1, np.pi, 0.0)


def _saw(n: Amplitudes, _: float) -> tuple[Amplitudes, Amplitudes]:
    return 1.0 / n, np.zeros_like(n)


def _square(n: Amplitudes, _: float) -> tuple[Amplitudes, Amplitudes]:
    return np.where(n % 2 == 1, 1.0 / n, 0.0), np.zeros_like(n)


def _scattered(n: Amplitudes, seed: int) -> Amplitudes:
    """A fixed phase for each partial, so that full spectra do not pile up into a peak."""
    phases: Amplitudes = np.random.default_rng(seed).uniform(0, 2 * np.pi, MOST_PARTIALS)
    return phases[: len(n)]


def _bump(x: Amplitudes, centre: float, width: float) -> Amplitudes:
    """A bell in octaves around `centre`."""
    bell: Amplitudes = np.exp(-0.5 * ((np.log2(x) - np.log2(centre)) / width) ** 2)
    return bell


def _aperture(n: Amplitudes, p: float) -> tuple[Amplitudes, Amplitudes]:
    """A pulse that narrows: the spectrum of a rectangle of duty d is sin(pi n d) / n."""
    duty = 0.5 - 0.46 * p
    return np.sin(np.pi * n * duty) / n, np.full_like(n, np.pi / 2)


def _glass_plate(n: Amplitudes, p: float) -> tuple[Amplitudes, Amplitudes]:
    """A few bright clusters, as a struck plate has, that wander against each other."""
    body = 1.0 / n**2.2
    lines = (
        0.9 * _bump(n, 3.0 + 2.0 * p, 0.10)
        + 0.7 * _bump(n, 8.5 - 2.5 * p, 0.08)
        + 0.5 * _bump(n, 13.0 + 6.0 * p, 0.07)
        + 0.35 * _bump(n, 29.0 - 8.0 * p, 0.06)
    )
    return body + lines * (0.25 + 0.35 * np.sin(np.pi * p)), _scattered(n, 11)


def _breath_hole(n: Amplitudes, p: float) -> tuple[Amplitudes, Amplitudes]:
    """A hummed tone whose two resonances open, from closed to bright."""
    slope = 1.0 / n**1.6
    first = 2.5 * _bump(n, 2.0 + 5.0 * p, 0.35)
    second = 1.8 * _bump(n, 14.0 - 7.0 * p + 10.0 * p * p, 0.25)
    return slope * (0.4 + first + second), _scattered(n, 23)


def _rime(n: Amplitudes, p: float) -> tuple[Amplitudes, Amplitudes]:
    """Fine teeth along a long slope that slide past each other, as frost grows."""
    slope = 1.0 / n**0.9
    teeth = 0.5 + 0.5 * np.cos(2 * np.pi * (n * (0.19 + 0.11 * p) + p))
    shine = 0.5 + 0.5 * np.cos(2 * np.pi * (n * 0.057 - 2.0 * p))
    keep = np.exp(-n / (18.0 + 110.0 * p))
    return slope * teeth * (0.3 + 0.7 * shine) * keep + 0.3 * (n == 1), _scattered(n, 37)


def _emulsion(n: Amplitudes, p: float) -> tuple[Amplitudes, Amplitudes]:
    """From the odd partials through all of them to every third, darkening on the way."""
    odd = (n % 2 == 1).astype(float)
    third = (n % 3 == 1).astype(float)
    a, b, c = max(0.0, 1 - 2 * p), 1 - abs(2 * p - 1), max(0.0, 2 * p - 1)
    return (a * odd + b + c * third) / n ** (1.0 + 0.5 * p), _scattered(n, 41)


RECIPES: dict[str, tuple[str, int, Recipe]] = {
    "sine": ("Sine", 1, _sine),
    "triangle": ("Triangle", 1, _triangle),
    "saw": ("Saw", 1, _saw),
    "square": ("Square", 1, _square),
    "aperture": ("Aperture", FRAMES, _aperture),
    "glass_plate": ("Glass plate", FRAMES, _glass_plate),
    "breath_hole": ("Breath hole", FRAMES, _breath_hole),
    "rime": ("Rime", FRAMES, _rime),
    "emulsion": ("Emulsion", FRAMES, _emulsion),
}
"""Built-in tables by key: name, frames and recipe."""

EVOLVING = tuple(key for key, (_, frames, _) in RECIPES.items() if frames > 1)
"""The tables through which position moves."""


_lock = Lock()
_cut: dict[str, Table] = {}


@lru_cache(maxsize=12)
def built_in(key: str) -> Table:
    """The built-in table of this key, band-limited and at equal level."""
    _, frames, recipe = RECIPES[key]
    n = np.arange(1, MOST_PARTIALS + 1, dtype=float)
    coefficients = np.zeros((frames, MOST_PARTIALS), dtype=complex)
    for frame in range(frames):
        amplitudes, phases = recipe(n, frame / max(frames - 1, 1))
        # A sine of amplitude a and phase q is the real part of a · exp(j(x + q - pi/2)).
        coefficients[frame] = amplitudes * np.exp(1j * (phases - np.pi / 2))
    return from_spectra(coefficients)


def cut_from(key: str) -> Table:
    """The cut table of this key; a sine while there is none of it."""
    with _lock:
        if key in _cut:
            return _cut[key]
    spectra = current().spectra(key) if key else None
    if spectra is None:
        return built_in("sine")
    made = from_spectra(spectra)
    with _lock:
        _cut[key] = made
        while len(_cut) > 8:
            _cut.pop(next(iter(_cut)))
    return made


def from_spectra(coefficients: NDArray[np.complex128]) -> Table:
    """A table, band-limited and at equal level, from Fourier coefficients ``[frames, partials]``.

    The cycle x(t) is the real part of the sum of c_n · exp(2 pi j n t).
    """
    partials = min(coefficients.shape[1], MOST_PARTIALS)
    own = coefficients[:, :partials]
    rms = np.maximum(np.sqrt(0.5 * np.sum(np.abs(own) ** 2, axis=1, keepdims=True)), 1e-12)
    level_of = [_cycles((VOICE_RMS / rms) * own[:, :limit]) for limit in LIMITS]
    return table_of(level_of, LIMITS)


def _cycles(coefficients: NDArray[np.complex128]) -> NDArray[np.float32]:
    """Cycles ``[frames, samples + 1]`` with these partials ``[frames, partials]``."""
    frames, partials = coefficients.shape
    samples = FINENESS * partials * (2 if partials <= FEW else 1)
    length = int(np.clip(2 ** math.ceil(math.log2(samples)), LENGTH, LONGEST))
    spectra = np.zeros((frames, length // 2 + 1), dtype=complex)
    spectra[:, 1 : partials + 1] = 0.5 * length * coefficients
    cycles = np.empty((frames, length + 1), dtype=np.float32)
    cycles[:, :length] = np.fft.irfft(spectra, length, axis=1)
    cycles[:, length] = cycles[:, 0]
    return cycles


def audition(table: Table, hertz: float, seconds: float, rate: int) -> NDArray[np.float32]:
    """A table heard on its own: one note, its position moving from the first cycle to the last.

    Returns the samples ``[samples]``, with short fades at both ends.
    """
    count = round(seconds * rate)
    step = hertz / rate
    level = next(
        (i for i, limit in enumerate(table.limits) if limit * step < 0.5), len(table.limits) - 1
    )
    cycles = table.level(level)
    place = (np.arange(count) * step % 1.0) * (cycles.shape[1] - 1)
    index = place.astype(int)
    frame = np.linspace(0.0, len(cycles) - 1.0, count)
    row = np.minimum(frame.astype(int), max(len(cycles) - 2, 0))
    following = np.minimum(row + 1, len(cycles) - 1)
    x, y = place - index, frame - row

    def read(rows: NDArray[np.int64]) -> NDArray[np.float64]:
        here = cycles[rows, index]
        found: NDArray[np.float64] = here + x * (cycles[rows, index + 1] - here)
        return found

    wave = (1.0 - y) * read(row) + y * read(following)
    ramp = np.minimum(1.0, np.minimum(np.arange(count), np.arange(count)[::-1]) / (0.02 * rate))
    heard: NDArray[np.float32] = (3.0 * wave * ramp).astype(np.float32)
    return heard
