"""Four voices packed in vectors, left and right of each: what filters compute with one instruction.

A filter of voices gives `begin_tick` its numbers, runs its own loop over the tick in vectors, and
gives `end_tick` what came out. Of the shapes here `dry` and `wet` are ``[TICK, WIDTH]``, `ends`
``[numbers, 2, WIDTH]``: where each number begins in the tick and by how much it grows with each
sample. The first number is the fraction of the filtered signal. `held`, what the filter remembers,
is
``[of a channel, WIDTH]``.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import CONTRACT, device
from caligo.signal.arrays import copy, is_zero
from caligo.signal.silence import DEAD, is_silent
from caligo.signal.ticks import TICK
from caligo.signal.vector import WIDTH, load, load_channels, store, store_channels

PACKED = WIDTH // 2
"""Voices that go together."""


def beside(*numbers: NDArray[np.float64]) -> NDArray[np.float64]:
    """Numbers of voices beside each other ``[numbers, voices, 2, ticks + 1]``.

    Each is ``[voices, ticks + 1]``, or ``[voices, 2, ticks + 1]`` where the channels differ.
    """
    voices, ends = numbers[0].shape[0], numbers[0].shape[-1]
    out = np.empty((len(numbers), voices, 2, ends))
    for i, values in enumerate(numbers):
        out[i] = values if values.ndim == 3 else values[:, None]
    return out


@device(allocates=True)
def scratch(numbers: int, held: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Room for `dry` and `wet` ``[TICK, WIDTH]``, `ends` and `held`."""
    lines = np.zeros((2, TICK, WIDTH))
    return lines[0], lines[1], np.zeros((numbers, 2, WIDTH)), np.zeros((held, WIDTH))


@device
def take_state(state: np.ndarray, first: int, held: np.ndarray) -> None:
    """What each channel of the voices from `first` on remembers, of ``[voices, 2, numbers]``."""
    held[:] = 0.0
    for v in range(first, min(first + PACKED, state.shape[0])):
        for c in range(2):
            for i in range(state.shape[2]):
                held[i, 2 * (v - first) + c] = state[v, c, i]


@device
def give_state(held: np.ndarray, first: int, state: np.ndarray) -> None:
    """The inverse of `take_state`, to ``[voices, 2, numbers]``."""
    for v in range(first, min(first + PACKED, state.shape[0])):
        for c in range(2):
            for i in range(state.shape[2]):
                state[v, c, i] = held[i, 2 * (v - first) + c]


@device(allocates=True)
def begin_tick(
    signal: np.ndarray,
    first: int,
    k: int,
    values: np.ndarray,
    held: np.ndarray,
    dry: np.ndarray,
    ends: np.ndarray,
) -> bool:
    """Take tick `k` of the voices from `first` on into `dry`, and their numbers into `ends`.

    `signal` is ``[voices, 2, samples]``, `values` are those of `beside`. Where nothing sounds and
    nothing is remembered there is nothing to do: False.
    """
    silent = is_zero(held)
    last = min(first + PACKED, signal.shape[0])
    for v in range(first, last):
        for c in range(2):
            silent = silent and is_silent(signal[v, c, k * TICK : (k + 1) * TICK])
    if silent:
        return False
    if last == first + PACKED:
        for n in range(0, TICK, WIDTH):
            load_channels(signal, first, k * TICK + n, dry, n)
    else:
        # Where there are fewer, nothing of the voices before is left beside them.
        dry[:, 2 * (last - first) :] = 0.0
    for v in range(first, last):
        for c in range(2):
            place = 2 * (v - first) + c
            if last < first + PACKED:
                copy(signal[v, c, k * TICK :], dry[:, place])
            for i in range(values.shape[0]):
                begin = values[i, v, c, k]
                ends[i, 0, place] = begin
                ends[i, 1, place] = (values[i, v, c, k + 1] - begin) / TICK
    return True


@device
def _settle(held: np.ndarray, wet: np.ndarray) -> None:
    """Forget what has died away; a voice that holds no numbers any more falls silent."""
    sound = True
    for i in range(held.shape[0]):
        total = 0.0
        for place in range(WIDTH):
            x = held[i, place]
            held[i, place] = 0.0 if abs(x) < DEAD else x
            total += x
        sound = sound and math.isfinite(total)
    if sound:
        return
    for place in range(0, WIDTH, 2):
        pair = held[:, place : place + 2]
        total = 0.0
        for i in range(len(pair)):
            total += pair[i, 0] + pair[i, 1]
        if not math.isfinite(total):
            pair[:] = 0.0
            wet[:, place : place + 2] = 0.0


@device(fastmath=CONTRACT)
def _crossfade(dry: np.ndarray, wet: np.ndarray, fraction: np.ndarray) -> None:
    """Go over from `dry` to `wet` by a fraction ``[2, WIDTH]``, in `wet`."""
    m, step = load(fraction, 0), load(fraction, 1)
    for n in range(TICK):
        x = load(dry, n)
        store(wet, n, x + m * (load(wet, n) - x))
        m += step


@device(allocates=True)
def end_tick(
    dry: np.ndarray,
    wet: np.ndarray,
    ends: np.ndarray,
    held: np.ndarray,
    signal: np.ndarray,
    first: int,
    k: int,
) -> None:
    """Put what came out into tick `k` of `signal` ``[voices, 2, samples]``, at its fraction."""
    _settle(held, wet)
    _crossfade(dry, wet, ends[0])
    if first + PACKED <= signal.shape[0]:
        for n in range(0, TICK, WIDTH):
            store_channels(wet, n, signal, first, k * TICK + n)
        return
    for v in range(first, signal.shape[0]):
        for c in range(2):
            copy(wet[:, 2 * (v - first) + c], signal[v, c, k * TICK : (k + 1) * TICK])
