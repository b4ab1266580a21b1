"""Ring and phase modulation of a voice: its products are made where they do not fold.

The product of two signals reaches twice as high as they do, so ring modulation works at twice the
sample rate. Phase modulation reads a voice earlier and later than now, at four times the rate: as
high as 20 kHz it may then be bent by seven times its own pace.

Rates are multiples of that of the arrays ``[samples]``; both channels of a voice are ``[2,
samples]``.
"""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import device, kernel
from caligo.signal.arrays import are_equal, copy
from caligo.signal.fourfold import EXTRA, NEAR, doubled, down, halved
from caligo.signal.oversampling import FAR, REACH, raised
from caligo.signal.ticks import TICK

RING, PHASE = 2, 4
"""Multiples of the sample rate at which either works."""
UP_LATENCY = {RING: REACH - 1, PHASE: 2 * (REACH - 1) + FAR - 1}
"""Samples of those rates by which a signal is late there."""
RING_LATENCY = (REACH - 1 + NEAR - 1) // RING
PHASE_LATENCY = (2 * (REACH - 1 + NEAR - 1) + 2 * (FAR - 1) + EXTRA) // PHASE
"""Samples by which what comes back is late."""
MARGIN = 4
"""Samples that interpolation needs on either side."""


@kernel("f8[::1], f8[::1], f4[::1], f4[::1]", allocates=True)
def sine_at(
    cycles: np.ndarray, amplitude: np.ndarray, delayed: np.ndarray, out: np.ndarray
) -> None:
    """A sine, delayed by as many samples as `delayed` holds.

    Parameters
    ----------
    cycles, amplitude
        At every tick ``[ticks + 1]``.
    delayed
        Samples that were made and not yet given ``[latency]``; they are replaced.
    out
        A multiple of the block's samples.
    """
    ticks = len(cycles) - 1
    size = len(out) // ticks
    whole = np.empty(len(delayed) + len(out), np.float32)
    copy(delayed, whole[: len(delayed)])
    for k in range(ticks):
        phase = cycles[k] - math.floor(cycles[k])
        step = (cycles[k + 1] - cycles[k]) / size
        growth = (amplitude[k + 1] - amplitude[k]) / size
        for n in range(size):
            wave = math.sin(2.0 * math.pi * (phase + n * step))
            whole[len(delayed) + k * size + n] = (amplitude[k] + n * growth) * wave
    copy(whole, out)
    copy(whole[len(out) :], delayed)


@device
def _alike(channels: np.ndarray) -> bool:
    """Whether both of two channels ``[2, samples]`` are the same."""
    return bool(are_equal(channels[0], channels[1]))


@kernel(
    "f4[:, ::1], f4[::1], f8[::1], f4[::1], f4[::1], f4[::1], f4[:, ::1], f4[:, ::1]",
    allocates=True,
)
def ring(
    signal: np.ndarray,
    by: np.ndarray,
    amount: np.ndarray,
    even_taps: np.ndarray,
    odd_taps: np.ndarray,
    near_taps: np.ndarray,
    up_held: np.ndarray,
    down_held: np.ndarray,
) -> None:
    """Multiply a voice ``[2, samples]`` by `by` ``[2 * samples]``, as far as `amount` says.

    `amount` runs from 0, untouched, to 1, at every tick ``[ticks + 1]``. What the filters hold of
    either channel is carried on.
    """
    size = RING * TICK
    mono = _alike(signal) and _alike(up_held) and _alike(down_held)
    for c in range(1 if mono else 2):
        wave = raised(signal[c], even_taps, odd_taps, up_held[c])
        for k in range(len(amount) - 1):
            a = np.float32(amount[k])
            step = np.float32((amount[k + 1] - amount[k]) / size)
            for n in range(size):
                i = k * size + n
                fraction = a + np.float32(n) * step
                wave[i] *= np.float32(1.0) - fraction + fraction * by[i]
        copy(halved(wave, near_taps, down_held[c]), signal[c])
    if mono:
        for channels in (signal, up_held, down_held):
            copy(channels[0], channels[1])


@device
def _places(
    first: float,
    step: float,
    most: float,
    by: np.ndarray,
    at: int,
    whole: np.ndarray,
    weights: np.ndarray,
) -> None:
    """Where a tick is read, and the weights of the six samples around (Lagrange).

    Parameters
    ----------
    first, step
        The shift at full modulation at the tick's beginning, and by how much it grows.
    by
        The modulating wave ``[samples]``.
    at
        The place of its first sample where nothing is shifted.
    whole, weights
        Receive the sample before each place ``[samples]``, and the weights ``[6, samples]``.
    """
    for n in range(len(by)):
        shift = min(max((first + n * step) * by[n], -most), most)
        # Apart from the place in the block, beside which a fraction would be rounded.
        samples = math.floor(shift)
        whole[n] = at + n + samples
        f = np.float32(shift - samples)
        a, b = f + np.float32(2.0), f + np.float32(1.0)
        d, e, g = f - np.float32(1.0), f - np.float32(2.0), f - np.float32(3.0)
        weights[0, n] = b * f * d * e * g * np.float32(-1.0 / 120.0)
        weights[1, n] = a * f * d * e * g * np.float32(1.0 / 24.0)
        weights[2, n] = a * b * d * e * g * np.float32(-1.0 / 12.0)
        weights[3, n] = a * b * f * e * g * np.float32(1.0 / 12.0)
        weights[4, n] = a * b * f * d * g * np.float32(-1.0 / 24.0)
        weights[5, n] = a * b * f * d * e * np.float32(1.0 / 120.0)


@kernel(
    "f4[:, ::1], f4[:, ::1], f4[::1], f8[::1], i8, f4[::1], f4[::1], f4[::1], f4[::1], "
    "f4[:, ::1], f4[:, ::1], f4[:, ::1], f4[:, ::1], f4[:, ::1]",
    allocates=True,
)
def shift_phase(
    line: np.ndarray,
    signal: np.ndarray,
    by: np.ndarray,
    reach: np.ndarray,
    latency: int,
    even_taps: np.ndarray,
    odd_taps: np.ndarray,
    near_taps: np.ndarray,
    far_taps: np.ndarray,
    up_near: np.ndarray,
    up_far: np.ndarray,
    waiting: np.ndarray,
    down_near: np.ndarray,
    down_far: np.ndarray,
) -> None:
    """Read a voice earlier and later than now.

    Parameters
    ----------
    line
        What came before, at four times the rate ``[2, 8 * late + 2 * MARGIN]``; it is brought up
        to date.
    signal
        The voice ``[2, samples]``, replaced.
    by
        The modulating wave in [-1, 1] ``[4 * samples]``.
    reach
        Samples of shift at full modulation, at every tick ``[ticks + 1]``.
    latency
        By how many samples the outcome is late, at least the largest shift, besides
        `PHASE_LATENCY`.
    """
    before, most = line.shape[1], PHASE * latency
    size = PHASE * TICK
    samples = PHASE * signal.shape[1]
    whole = np.empty((2, before + samples), np.float32)
    mono = _alike(signal)
    for held in (line, up_near, up_far, waiting, down_near, down_far):
        mono = mono and _alike(held)
    count = 1 if mono else 2
    for c in range(count):
        wave = raised(signal[c], even_taps, odd_taps, up_near[c])
        copy(line[c], whole[c, :before])
        copy(doubled(wave, far_taps, up_far[c]), whole[c, before:])
        copy(whole[c, samples:], line[c])
    out = np.empty((2, samples), np.float32)
    places, weights = np.empty(size, np.int64), np.empty((6, size), np.float32)
    for k in range(len(reach) - 1):
        first, step = PHASE * reach[k], PHASE * (reach[k + 1] - reach[k]) / size
        here = slice(k * size, (k + 1) * size)
        _places(first, step, most, by[here], before + k * size - most - MARGIN, places, weights)
        for c in range(count):
            read, to = whole[c], out[c, here]
            for n in range(size):
                j = np.uint64(places[n] - 2)
                total = weights[0, n] * read[j]
                for i in range(1, 6):
                    total += weights[i, n] * read[j + np.uint64(i)]
                to[n] = total
    for c in range(count):
        made = down(out[c], near_taps, far_taps, down_near[c], down_far[c], waiting[c])
        copy(made, signal[c])
    if mono:
        for channels in (signal, line, up_near, up_far, waiting, down_near, down_far):
            copy(channels[0], channels[1])
