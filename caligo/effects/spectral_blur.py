"""Spectral blur: the spectrum of what comes in, smeared over seconds, and thinned below a level.

Short-time spectra are changed and added up again: J. Allen, "Short term spectral analysis,
synthesis, and modification by discrete Fourier transform" (1977), with Hann's window at both ends
and four frames over each other. Where the phases are the input's own, nothing is changed.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.kernels import kernel
from caligo.movement.block import Block
from caligo.movement.chance import combine, unit
from caligo.movement.notes import Floats
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.signal import fourier
from caligo.signal.fixed_delay import FixedDelay
from caligo.signal.gains import crossfade
from caligo.signal.silence import DEAD
from caligo.signal.ticks import TICK

OVERLAP = 4
HOP_SECONDS = 0.0107
"""About what a hop lasts at any rate; it is a whole number of ticks."""
SHORTEST, LONGEST = 0.02, 30.0
OWN_PHASE = 0.3
"""Seconds of blur from which on phases are all chance; below they are the input's in part."""
SEED = np.uint64(0x5EC7)
BOTTOM = -96.0
FAINT = 1e-18
"""A line of the spectrum of less power has no phase."""
LOSS = 0.25
"""The power that frames of unlike phases add up to, against those of like ones: with Hann's window
twice and four over each other ``1.5 * 0.375 / 1.5^2``."""


@kernel("c8[:, ::1], f4[:, ::1], f8, f8, f8, u8")
def _blur(
    spectrum: np.ndarray,
    powers: np.ndarray,
    fraction: float,
    chance: float,
    least: float,
    seed: np.uint64,
) -> None:
    """Blur a frame's `spectrum` ``[2, bins]`` in place.

    Parameters
    ----------
    powers
        Smoothed powers ``[2, bins]``; carried on. Powers, so that noise keeps its energy.
    fraction
        How far they go towards the frame's.
    chance
        How far phases are turned at random, both channels alike.
    least
        The height of a line under which it is left out, softly.
    """
    for k in range(spectrum.shape[1]):
        turn = 2.0 * math.pi * chance * (unit(seed, k) - 0.5)
        c, s = math.cos(turn), math.sin(turn)
        for channel in range(2):
            x = spectrum[channel, k]
            power = x.real * x.real + x.imag * x.imag
            powers[channel, k] += fraction * (power - powers[channel, k])
            if powers[channel, k] < DEAD:
                powers[channel, k] = 0.0
            level = math.sqrt(powers[channel, k])
            if least > 0.0:
                level *= min(1.0, max(0.0, level / least - 0.5))
            if power > FAINT:
                scale = level / math.sqrt(power)
                a, b = x.real * scale, x.imag * scale
            else:
                a, b = level, 0.0
            spectrum[channel, k] = complex(a * c - b * s, a * s + b * c)


def hop_of(rate: int) -> int:
    """Samples from a frame to the next."""
    return TICK * max(1, round(HOP_SECONDS * rate / TICK))


@register(
    Module(
        family="effect",
        kind="spectral_blur",
        name="Spectral blur",
        help="Smears the spectrum over seconds, and lets only what is loud enough through.",
        category="Space",
        parameters=(
            Parameter("blur", "Blur", "How long each part of the spectrum takes to change.",
                      unit="s", low=SHORTEST, high=LONGEST, default=1.5,
                      scale=Scale.LOGARITHMIC, moves=Moves.SHARED, group="Spectrum"),
            shared.level("threshold", "Threshold", "What is softer in the spectrum is left out.",
                         BOTTOM, low=BOTTOM, high=0.0, group="Spectrum"),
            shared.mix("Blurred against direct signal.", 60.0),
        ),
    )
)  # fmt: skip
class SpectralBlur(Effect):
    """Frames on a fixed grid of hops, so that the blocks make no difference."""

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        self._hop = hop_of(self.rate)
        self._size = OVERLAP * self._hop
        self._window = np.hanning(self._size + 1)[:-1].astype(np.float32)
        self._direct = FixedDelay(self._size)
        return {
            "line": np.zeros((2, self._size), np.float32),
            "made": np.zeros((2, self._size), np.float32),
            "powers": np.zeros((2, self._size // 2 + 1), np.float32),
            "direct": np.zeros((2, self._size), np.float32),
        }

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        blur, threshold, mix = (
            self.trajectory(key).values(block.moments)[0] for key in ("blur", "threshold", "mix")
        )
        state, hop, size = self.state, self._hop, self._size
        at = block.span.first * TICK
        # What came of the hop that is under way, and before it as much as a frame looks back.
        begun = at % hop
        line = np.concatenate([state["line"][:, : size - hop + begun], signal], axis=1)
        frames = (begun + signal.shape[1]) // hop
        made = np.zeros((2, frames * hop + max(size, hop + begun)), np.float32)
        made[:, :size] = state["made"]
        if frames:
            ends = (np.arange(1, frames + 1) * hop - begun) // TICK
            first = at // hop + 1
            heard = (first + np.arange(frames)) * hop / self.rate - block.heard_from
            waves = self._frames(
                line, first, np.maximum(hop / self.rate, heard), blur[ends], threshold[ends]
            )
            for frame, wave in enumerate(waves, start=1):
                made[:, frame * hop : frame * hop + size] += wave
        wet = made[:, begun : begun + signal.shape[1]]
        if not np.isfinite(made).all():
            self.reset()
            wet = np.zeros_like(signal)
        else:
            state["made"][:] = made[:, frames * hop : frames * hop + size]
            rest = line[:, frames * hop :]
            state["line"][:, : rest.shape[1]] = rest
        self._direct.held = state["direct"]
        self._direct.process(signal)
        state["direct"] = self._direct.held
        crossfade(signal[None], np.ascontiguousarray(wet)[None], mix[None] / 100.0)

    def _frames(
        self, line: Signal, first: int, heard: Floats, blur: Floats, threshold: Floats
    ) -> Signal:
        """The waves of hops that are whole ``[frames, 2, size]``, to be added up a hop apart.

        Parameters
        ----------
        line
            What came ``[2, samples]``; the frames, of which the `first`-th of the cue is the
            first, begin at its start and a hop apart.
        heard
            Seconds that have been heard at each, see `Block.heard_from`: a mean of less has
            brought no more than a fraction of its power.
        blur, threshold
            At each frame's end ``[frames]``.
        """
        windows = np.lib.stride_tricks.sliding_window_view(line, self._size, axis=1)
        windows = windows[:, :: self._hop].swapaxes(0, 1)[: len(blur)]
        spectra = fourier.rfft(windows * self._window, axis=2)
        chance = np.log(blur / SHORTEST) / math.log(OWN_PHASE / SHORTEST)
        chance = np.clip(chance, 0.0, 1.0)
        # A full-scale sine's line is a quarter of the frame high, by Hann's window.
        least = np.where(threshold > BOTTOM, 10.0 ** (threshold / 20.0) * 0.25 * self._size, 0.0)
        fraction = 1.0 - np.exp(-self._hop / (blur * self.rate))
        for i, spectrum in enumerate(spectra):
            seed = np.uint64(combine(SEED, first + i))
            _blur(spectrum, self.state["powers"], fraction[i], chance[i], least[i], seed)
        alike = np.sinc(chance) ** 2
        made_up = 1.0 / np.sqrt(alike + (1.0 - alike) * LOSS) / 1.5
        made_up /= np.sqrt(1.0 - np.exp(-heard / blur))
        shapes = (self._window * made_up.astype(np.float32)[:, None])[:, None]
        waves: Signal = fourier.irfft(spectra, axis=2) * shapes
        return waves

    def tail(self) -> float:
        """See `Processor.tail`."""
        return 7.0 * self.trajectory("blur").reach()[1] + 2.0 * self._size / self.rate

    def latency(self) -> int:
        """See `Processor.latency`."""
        return self._size
