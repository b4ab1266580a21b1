"""From a recording's short-time spectrum to a new one: moved, thinned, smeared, transposed.

Peaks are moved as wholes, with the lobes around them, and each keeps one running phase (Laroche
and Dolson, "New phase-vocoder techniques for pitch-shifting, harmonizing and other exotic
effects", WASPAA 1999).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import TupleType, device, kernel
from caligo.movement.chance import combine, mix, signed
from caligo.signal.arrays import copy
from caligo.synthesis.running import begin_anew, heard
from caligo.synthesis.sines import phasors


class Spectra(NamedTuple):
    """What is played: see `caligo.synthesis.analysis.Analysis`, and regions ``[frames, BINS]``.

    `summed`, `tonal` and `mask` are empty where they are not needed.
    """

    magnitude: NDArray[np.float32]
    summed: NDArray[np.float32]
    frequency: NDArray[np.float32]
    tonal: NDArray[np.float32]
    mask: NDArray[np.float32]


SPECTRA = TupleType(Spectra, ", ".join(5 * ["f4[:, ::1]"]))


# Columns of the values that shape a frame.
(
    PLACE,
    BLUR,
    BALANCE,
    THRESHOLD,
    SHIFT,
    RATIO,
    STRETCH,
    FORMANTS,
    REFERENCE,
    SCATTER,
) = range(10)
VALUES = 10
SMOOTH = 24
"""Bins on either side over which the envelope of formants is smoothed."""


@device
def _heard_bin(f: float, values: np.ndarray) -> float:
    """The bin at which a bin of the recording is heard."""
    if values[STRETCH] != 0.0 and f > 0.0:
        f = values[REFERENCE] * (f / values[REFERENCE]) ** (1.0 + values[STRETCH] / 1200.0)
    return float(f * values[RATIO] + values[SHIFT])


@device(allocates=True)
def _envelope(magnitude: np.ndarray, envelope: np.ndarray) -> None:
    """The spectrum's outline: a running mean over `SMOOTH` bins on either side, twice over."""
    bins = len(magnitude)
    total = np.zeros(bins + 1)
    for turn in range(2):
        for k in range(bins):
            total[k + 1] = total[k] + (magnitude[k] if turn == 0 else envelope[k])
        for k in range(bins):
            low, high = max(0, k - SMOOTH), min(bins, k + SMOOTH + 1)
            envelope[k] = (total[high] - total[low]) / (high - low)


@device
def _thinned(values: np.ndarray, played: Spectra, out: np.ndarray) -> int:
    """What of the recording sounds at a place, before it is moved; returns the nearest frame."""
    magnitude, summed, tonal, mask = played.magnitude, played.summed, played.tonal, played.mask
    frames, bins = magnitude.shape
    place = min(max(values[PLACE], 0.0), frames - 1.0)
    first = int(place)
    second = min(first + 1, frames - 1)
    x = np.float32(place - first)
    half = 0.5 * values[BLUR]
    low = min(max(round(place - half), 0), frames - 1)
    high = min(max(round(place + half) + 1, low + 1), frames)
    if values[BLUR] >= 1.0:
        upper, lower, count = summed[high], summed[low], high - low
        for k in range(bins):
            out[k] = max((upper[k] - lower[k]) / count, np.float32(0.0))
    else:
        here, there = magnitude[first], magnitude[second]
        for k in range(bins):
            out[k] = max(here[k] + x * (there[k] - here[k]), np.float32(0.0))
    nearest = second if x > 0.5 else first
    if tonal.shape[0] > 0:
        balance = values[BALANCE] / 100.0
        for k in range(bins):
            t = tonal[nearest, k]
            out[k] *= 1.0 - balance * (1.0 - t) if balance > 0.0 else 1.0 + balance * t
    if mask.shape[0] > 0:
        for k in range(bins):
            out[k] *= mask[first, k] + x * (mask[second, k] - mask[first, k])
    if values[THRESHOLD] > -79.9:
        loudest = np.float32(0.0)
        for k in range(bins):
            loudest = max(loudest, out[k])
        limit = loudest * 10.0 ** (values[THRESHOLD] / 20.0)
        for k in range(bins):
            # 12 dB of soft edge below the threshold, so that nothing switches on and off.
            x_under = out[k] / limit if limit > 0.0 else 1.0
            if x_under < 1.0:
                out[k] *= max(0.0, (x_under - 0.25) / 0.75)
    return nearest


@device(allocates=True)
def advance_frame(
    values: np.ndarray,
    played: Spectra,
    hop_turns: float,
    phases: np.ndarray,
    level: np.ndarray,
    work: np.ndarray,
) -> None:
    """The spectrum of one frame, and its phases a hop after the last.

    Parameters
    ----------
    values
        ``[VALUES]``: the place in frames, blur in frames, balance in %, threshold in dB, shift
        in bins, ratio, stretch in ct/oct, formants 0 to 1, the stretch's fixed point in bins.
    hop_turns
        Cycles that one bin of frequency turns in a hop.
    phases
        Running phases in cycles ``[sets, BINS]``; all sets are turned alike.
    level
        Receives the amplitudes found ``[BINS]``.
    work
        ``[4, BINS]``
    """
    bins = len(level)
    thin, envelope, step, before = work[0], work[1], work[2], work[3]
    # Whose phase a bin goes on from; those that nothing moves to turn as they are.
    origin = np.empty(bins, np.uint64)
    for k in range(bins):
        origin[k] = k
    nearest = _thinned(values, played, thin)
    if values[FORMANTS] > 0.0:
        _envelope(thin, envelope)
    level[:] = 0.0
    for k in range(bins):
        step[k] = k * hop_turns
    k = 1
    while k < bins - 1:
        # A region reaches from one valley to the next, around a peak.
        begin = k
        while k < bins - 1 and thin[k + 1] >= thin[k]:
            k += 1
        peak = k
        while k < bins - 1 and thin[k + 1] < thin[k]:
            k += 1
        end = k
        if k == peak:
            k += 1
            end = k
        if thin[peak] <= 0.0:
            continue
        tone = _heard_bin(played.frequency[nearest, peak], values)
        # The lobe goes with its tone, as near as whole bins allow.
        move = int(np.floor(tone - played.frequency[nearest, peak] + 0.5))
        target = peak + move
        gain = 1.0
        if values[FORMANTS] > 0.0 and 0 <= target < bins:
            there = max(envelope[target], 1e-9)
            here = max(envelope[peak], 1e-9)
            gain = min(max(there / here, 1e-3), 1e3) ** values[FORMANTS]
        if tone <= 0.0 or tone >= bins - 1.0:
            continue
        off = tone - played.frequency[nearest, peak] - move
        # Frames whose lobe lies off its tone meet a little out of step: squared Hann windows a
        # quarter apart add up to (2 + cos(pi off / 2)) / 3 of what they would. Where phases are
        # scattered they do not add up in step at all.
        gain /= 1.0 - (1.0 - values[SCATTER]) * (1.0 - np.cos(0.5 * np.pi * off)) / 3.0
        turn = tone * hop_turns
        source = min(max(target, 0), bins - 1)
        for j in range(max(begin, 1 - move), min(end, bins - 1 - move)):
            to = j + move
            strength = thin[j] * gain
            # Where moved regions meet, the stronger keeps the bin.
            if strength > level[to]:
                level[to] = strength
                step[to] = turn
                origin[to] = source
    for i in range(len(phases)):
        phase = phases[i]
        copy(phase, before)
        for k in range(bins):
            x = before[origin[k]] + step[k]
            phase[k] = x - np.floor(x)


@kernel(
    ("f8[::1], f8[:, ::1], f8[::1], u8, i8", SPECTRA, "f8, f8[::1], f8[::1]"),
    allocates=True,
)
def run_frames(
    state: np.ndarray,
    values: np.ndarray,
    hop: np.ndarray,
    seed: np.uint64,
    first: int,
    played: Spectra,
    hop_turns: float,
    level: np.ndarray,
    phase: np.ndarray,
) -> None:
    """Carry what runs on over frames.

    Parameters
    ----------
    state
        ``[2 * BINS + 1]``: the older and the newer phases, and the frames of the recording
        that have been travelled.
    values, hop
        ``[frames, VALUES]``, whose places receive the travel, and the travel of each hop.
    first
        The first frame's number, counted from the voice's first.
    level, phase
        Receive what is heard of the last frame ``[BINS]``.
    """
    bins = len(level)
    running, work = state[: 2 * bins].reshape(2, bins), np.empty((4, bins))
    for m in range(len(values)):
        values[m, PLACE] = (values[m, PLACE] + state[-1]) % len(played.magnitude)
        begin_anew(seed, first + m, running)
        advance_frame(values[m], played, hop_turns, running, level, work)
        state[-1] += hop[m]
    heard(running, first + len(values) - 1, phase)


@device
def to_spectrum(
    level: np.ndarray,
    phase: np.ndarray,
    gain: float,
    scatter: float,
    apart: float,
    spread: np.ndarray,
    seed: np.uint64,
    frame: int,
    work: np.ndarray,
    waves: np.ndarray,
    out: np.ndarray,
) -> None:
    """Complex spectra of left and right ``[2, BINS]`` from amplitudes and phases in cycles.

    Parameters
    ----------
    scatter
        From 0 to 1, replaces the running phases by random ones, new in every frame.
    apart
        From 0 to 1, turns the phases of left and right against each other.
    spread
        Which way each bin is turned ``[BINS]``, in [-1/4, 1/4].
    work, waves
        ``[2, BINS]`` of float64, and ``[4, BINS]`` of float32.
    """
    own = combine(seed, frame)
    left, right = work[0], work[1]
    cos_left, sin_left, cos_right, sin_right = waves[0], waves[1], waves[2], waves[3]
    for k in range(len(level)):
        x = phase[k]
        offset = apart * spread[k]
        if scatter > 0.0:
            hashed = mix(own ^ np.uint64(k))
            x += scatter * (float(hashed >> np.uint64(40)) / 16777216.0 - 0.5)
            half = float(hashed & np.uint64(0xFFFFFF)) / 16777216.0 - 0.5
            offset += 0.5 * scatter * apart * half
        # Half a cycle every other bin puts the frame's middle into the middle of its samples.
        turn = 0.5 * (k & 1)
        left[k] = x + offset + turn
        right[k] = x - offset + turn
    phasors(left, cos_left, sin_left)
    phasors(right, cos_right, sin_right)
    # Real and imaginary parts in turn: a product of complex numbers would be four times the work.
    parts = out.view(np.float32)
    for k in range(len(level)):
        size = np.float32(level[k] * gain)
        parts[0, 2 * k] = size * cos_left[k]
        parts[0, 2 * k + 1] = size * sin_left[k]
        parts[1, 2 * k] = size * cos_right[k]
        parts[1, 2 * k + 1] = size * sin_right[k]


@kernel(
    (
        "f8[:, ::1], f8[:, ::1], f8[::1], u8, i8, i8",
        SPECTRA,
        "f8, f8[:, ::1], f8[::1], c8[:, :, ::1]",
    ),
    allocates=True,
)
def make_frames(
    states: np.ndarray,
    values: np.ndarray,
    hop: np.ndarray,
    seed: np.uint64,
    began: int,
    first: int,
    played: Spectra,
    hop_turns: float,
    shaped: np.ndarray,
    spread: np.ndarray,
    out: np.ndarray,
) -> None:
    """Frames of a voice as spectra of left and right ``[frames, 2, BINS]``.

    Parameters
    ----------
    states
        What runs on, see `run_frames`, before each frame and after the last
        ``[frames + 1, 2 * BINS + 1]``. The first is given.
    began, first
        The voice's first frame, and the first of these, on the absolute grid.
    shaped
        Gain, scatter and how far left and right are apart, see `to_spectrum` ``[frames, 3]``.
    """
    bins = len(spread)
    level, phase = np.empty(bins), np.empty(bins)
    work, waves = np.empty((2, bins)), np.empty((4, bins), np.float32)
    for m in range(len(hop)):
        states[m + 1] = states[m]
        one = slice(m, m + 1)
        run_frames(
            states[m + 1],
            values[one],
            hop[one],
            seed,
            first + m - began,
            played,
            hop_turns,
            level,
            phase,
        )
        gain, scatter, apart = shaped[m]
        to_spectrum(
            level, phase, gain, scatter, apart, spread, seed, first + m, work, waves, out[m]
        )


@kernel("u8, f8[::1]")
def ways_apart(seed: np.uint64, spread: np.ndarray) -> None:
    """Ways to turn left against right in cycles ``[BINS]``, the same for four neighbours."""
    own = combine(seed, 1 << 33)
    for k in range(len(spread)):
        spread[k] = 0.25 * signed(own, k >> 2)
