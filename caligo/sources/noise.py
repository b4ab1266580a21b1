"""The noise source: a tilted hiss and a dust of impulses, the same every time it is asked for.

White noise is a hash of (seed, sample), dust a hash of (seed, cell of time), so both are functions
of time. The tilt is applied to overlapping short spectra on an absolute grid of frames, which can
be computed from any moment.
"""

from __future__ import annotations

import math
from functools import cache

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.kernels import device, kernel
from caligo.movement.block import SourceBlock
from caligo.movement.chance import combine, derive, signed, unit
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Bundle
from caligo.signal import fourier
from caligo.signal.ticks import REFERENCE_RATE, TICK, at_rate
from caligo.synthesis.common import level_parameter
from caligo.synthesis.recent import Recent
from caligo.synthesis.source import VOICE_RMS, Source

MOVED = ("tilt", "level", "width", "dust", "dust_rate")
SIZE = 2048
"""Samples in a frame at `REFERENCE_RATE`: what lies below 23 Hz is not distinguished. Levels too
are those at this rate, as far as they are heard: at others the same density lies in each hertz."""
LOWEST = 20.0
"""Hertz below which the tilt stays level, so that brown noise does not wander off."""
HEARD, HIGHEST = 20_000.0, 22_000.0
"""Hertz above which noise falls, and from which on there is none, at any rate."""
OCTAVE = 20.0 * math.log10(2.0)
LOUDEST = 0.7
"""The strongest impulse: rare ones would otherwise have to be louder than full level."""


@cache
def _window(size: int) -> NDArray[np.float32]:
    """Root of a Hann window ``[size]``: shaped twice and half overlapped, frames add up to 1."""
    return np.sqrt(0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(size) / size)).astype(np.float32)


@device
def poisson(chance: float, mean: float) -> int:
    """How many events a draw in [0, 1) stands for: the inverse of Poisson's distribution."""
    term = math.exp(-mean)
    total = term
    count = 0
    while chance >= total and count < 64:
        count += 1
        term *= mean / count
        total += term
    return count


@kernel("i8, u8, f8[::1], f8[::1], f4[:, ::1]")
def add_hiss(
    first: int, seed: np.uint64, hiss: np.ndarray, apart: np.ndarray, out: np.ndarray
) -> None:
    """White noise of level 1, from the absolute sample `first` on, added to ``[2, samples]``.

    `hiss` is its gain and `apart` how far left and right are apart, 0 to 1, at every tick
    ``[ticks]``.
    """
    middle, side = combine(seed, 1), combine(seed, 2)
    root = math.sqrt(3.0)  # a uniform number in [-1, 1) has a variance of a third
    for k in range(len(hiss)):
        if hiss[k] == 0.0:
            continue
        c = hiss[k] * root * math.cos(apart[k] * math.pi / 4.0)
        s = hiss[k] * root * math.sin(apart[k] * math.pi / 4.0)
        for n in range(k * TICK, (k + 1) * TICK):
            a = signed(middle, first + n) * c
            b = signed(side, first + n) * s
            out[0, n] += a + b
            out[1, n] += a - b


@kernel("i8, u8, f8[::1], f8[::1], f8[::1], f8, f8, f4[:, ::1]")
def add_dust(
    first: int,
    seed: np.uint64,
    dust: np.ndarray,
    chance: np.ndarray,
    apart: np.ndarray,
    softest: float,
    cell: float,
    out: np.ndarray,
) -> None:
    """Impulses from the absolute tick `first` on, added to ``[2, samples]``.

    Each falls at a moment, which is the same at every rate.

    Parameters
    ----------
    dust
        The strongest impulse at every tick ``[ticks]``.
    chance
        Impulses to expect in each cell at every tick ``[ticks]``.
    softest
        Octaves (factors of 2) by which the softest impulse lies below the strongest.
    cell
        Samples of a cell of time that impulses are drawn for.
    """
    many, place, strength, pan = (
        combine(seed, 3),
        combine(seed, 4),
        combine(seed, 5),
        combine(seed, 6),
    )
    for k in range(len(dust)):
        if dust[k] == 0.0:
            continue
        begin = (first + k) * TICK
        for number in range(int(begin / cell), int((begin + TICK - 1) / cell) + 1):
            for i in range(poisson(unit(many, number), chance[k])):
                own = 64 * number + i
                n = int((number + unit(place, own)) * cell) - begin
                if n < 0 or n >= TICK:
                    continue
                size = dust[k] * np.exp2(-softest * unit(strength, own))
                if signed(strength, own + (1 << 40)) < 0:
                    size = -size
                angle = (1.0 + apart[k] * signed(pan, own)) * math.pi / 4.0
                out[0, k * TICK + n] += size * math.sqrt(2.0) * math.cos(angle)
                out[1, k * TICK + n] += size * math.sqrt(2.0) * math.sin(angle)


def slope(tilt: Floats, rate: int, size: int) -> NDArray[np.complex64]:
    """Responses of a tilt in dB per octave ``[frames]``, at equal power ``[frames, bins]``.

    Frames have `size` samples; power is that at `REFERENCE_RATE`.

    A power of frequency with its least phase, (j f) ^ (tilt / 6.02): an impulse stays sharp at
    its beginning.
    """
    exponent = (tilt / OCTAVE)[:, None]
    reference, hertz, audible = _bins(rate, size)
    power = np.sqrt(2.0 * np.exp(2.0 * exponent * reference).sum(axis=1, keepdims=True) / SIZE)
    turn = np.exp(0.5j * np.pi * exponent) / power
    found: NDArray[np.complex64] = (audible * np.exp(exponent * hertz)).astype(np.complex64)
    found *= turn.astype(np.complex64)
    return found


@cache
def _bins(rate: int, size: int) -> tuple[Floats, Floats, Floats]:
    """Logarithms of kilohertz at the reference rate but for 0, and at this one; what passes.

    ``[bins]``, of which nothing lies above what is heard, and nothing at 0.
    """
    reference, hertz = (
        np.fft.rfftfreq(n, 1.0 / r) for n, r in ((SIZE, REFERENCE_RATE), (size, rate))
    )
    logarithms = [np.log(np.maximum(h, LOWEST) / 1000.0) for h in (reference[1:], hertz)]
    past = np.clip((hertz - HEARD) / (HIGHEST - HEARD), 0.0, 1.0)
    audible = 0.5 + 0.5 * np.cos(np.pi * past)
    audible[0] = 0.0
    return logarithms[0], logarithms[1], audible


@register(
    Module(
        family="source",
        kind="noise",
        category="Noise",
        groups=(
            ("Noise", "tilt width"),
            ("Dust", "dust dust_rate dust_range"),
        ),
        name="Noise",
        help="Hiss from brown to blue, and a dust of impulses; sharp filters make it weather.",
        parameters=(
            Parameter(
                "tilt",
                "Tilt",
                "Slope of the spectrum: −6 brown, −3 pink, 0 white, +3 blue.",
                unit="dB/oct",
                low=-9.0,
                high=6.0,
                default=-3.0,
                moves=Moves.PER_NOTE,
            ),
            level_parameter(),
            Parameter(
                "width",
                "Width",
                "How far left and right differ.",
                unit="%",
                high=100.0,
                default=100.0,
                moves=Moves.PER_NOTE,
            ),
            Parameter(
                "dust",
                "Dust",
                "From steady hiss to single impulses.",
                unit="%",
                high=100.0,
                moves=Moves.PER_NOTE,
            ),
            Parameter(
                "dust_rate",
                "Dust rate",
                "Impulses in a second, at random.",
                unit="Hz",
                low=0.05,
                high=4000.0,
                default=8.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.PER_NOTE,
            ),
            Parameter(
                "dust_range",
                "Dust range",
                "How much softer the softest impulse is.",
                unit="dB",
                high=48.0,
                default=18.0,
            ),
        ),
        picture="spectrum",
    )
)
class Noise(Source):
    """Renders tilted noise and dust."""

    makes_offset = False

    def __init__(self, *args: object) -> None:
        super().__init__(*args)  # type: ignore[arg-type]
        self._values = Bundle([self.movement.trajectory(f"{self.path}.{key}") for key in MOVED])
        self._recent: Recent[NDArray[np.float32]] = Recent()
        self._softest = self.part.number("dust_range") / OCTAVE
        self._size = at_rate(SIZE, self.rate)

    def prepare(self) -> None:
        """See `Source.prepare`."""
        self._recent.clear()

    def render(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """See `Source.render`."""
        span = block.span
        # The frames that reach into the span, by their number on the absolute grid.
        size, hop = self._size, self._size // 2
        first = (span.first * TICK - size) // hop + 1
        last = -(-(span.first + span.ticks) * TICK // hop)
        for row, voice in enumerate(block.voices):
            frames = self._recent.of(block, row, first)
            begin = max(frames, default=first - 1) + 1
            if begin < last:
                start = begin * hop // TICK
                ticks = ((last - begin - 1) * hop + size) // TICK
                moments, _ = block.history(row, start, ticks)
                trajectories = dict(zip(MOVED, self._values.values(moments), strict=True))
                excited = self._excited(derive(self.seed, voice.seed), start, trajectories)
                shaped = self._shaped(excited, trajectories["tilt"], last - begin)
                frames.update(zip(range(begin, last), shaped, strict=True))
            for number in range(first, last):
                at = number * hop - span.first * TICK
                low, high = max(0, at), min(span.samples, at + size)
                out[row, :, low:high] += frames[number][:, low - at : high - at]

    def _excited(
        self, seed: int, start: int, trajectories: dict[str, Floats]
    ) -> NDArray[np.float32]:
        """Hiss and dust before the tilt ``[2, samples]``, from the tick `start` on."""
        here = {key: trajectory[:-1] for key, trajectory in trajectories.items()}
        level = VOICE_RMS * 10.0 ** (here["level"] / 20.0)
        apart = here["width"] / 100.0
        fraction = here["dust"] * (math.pi / 200.0)
        # The mean square of strengths spread evenly over the range, in octaves.
        reach = 2.0 * self._softest * math.log(2.0)
        mean_square = 1.0 if reach < 1e-9 else (1.0 - math.exp(-reach)) / reach
        even = np.sqrt(REFERENCE_RATE / (here["dust_rate"] * mean_square))
        # A sample lasts the shorter the higher the rate, and noise has to fill more of a spectrum.
        faster = self.rate / REFERENCE_RATE
        strongest = faster * np.minimum(even, LOUDEST / VOICE_RMS) * level * np.sin(fraction)
        out = np.zeros((2, len(level) * TICK), np.float32)
        own = np.uint64(seed)
        add_hiss(start * TICK, own, math.sqrt(faster) * level * np.cos(fraction), apart, out)
        add_dust(
            start,
            own,
            strongest,
            here["dust_rate"] * (TICK / REFERENCE_RATE),
            apart,
            self._softest,
            TICK * faster,
            out,
        )
        return out

    def _shaped(
        self, excited: NDArray[np.float32], tilt: Floats, frames: int
    ) -> NDArray[np.float32]:
        """Frames of `excited` ``[2, samples]`` with the tilt of each ``[frames, 2, size]``."""
        size = self._size
        where, window = np.arange(frames) * (size // 2), _window(size)
        windows = np.lib.stride_tricks.sliding_window_view(excited, size, axis=1)[:, where]
        spectra = fourier.rfft(windows * window, axis=2)
        at_middle = tilt[(where + size // 2) // TICK]
        same = np.all(at_middle == at_middle[0])
        spectra *= slope(at_middle[:1] if same else at_middle, self.rate, size)
        parts = fourier.irfft(spectra, size, axis=2).astype(np.float32) * window
        found: NDArray[np.float32] = np.ascontiguousarray(parts.swapaxes(0, 1))
        return found
