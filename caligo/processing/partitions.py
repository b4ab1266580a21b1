"""Convolution with a long response in equal partitions of the frequency domain.

Source: T. Stockham, "High-speed convolution and correlation" (1966), overlap-save; in partitions,
W. Gardner, "Efficient convolution without input-output delay" (JAES 1995), here all of one size.
"""

from __future__ import annotations

import numpy as np
import scipy.fft
from numba import njit
from numpy.typing import NDArray

from caligo.processing.processor import Signal, State

Spectra = NDArray[np.complex64]

PARTITION = 2_048
"""Samples of a partition, by which the output is late."""


@njit(cache=True, nogil=True)
def _multiply(heard: np.ndarray, response: np.ndarray, newest: int, out: np.ndarray) -> None:
    """The sum of all partitions' products into `out` ``[bins]``.

    `heard` and `response` are ``[partitions, bins]``; `newest` is the row of what came last, and
    what came before it stands in the rows before, in a ring.
    """
    count = len(response)
    out[:] = 0.0
    for p in range(count):
        one, two = heard[(newest - p) % count], response[p]
        for k in range(len(out)):
            out[k] += one[k] * two[k]


def spectra_of(response: Signal) -> Spectra:
    """The partitions of a response ``[2, samples]`` as spectra ``[2, partitions, bins]``."""
    count = max(1, -(-response.shape[1] // PARTITION))
    padded = np.zeros((2, count * PARTITION), np.float32)
    padded[:, : response.shape[1]] = response
    parts = padded.reshape(2, count, PARTITION)
    found: Spectra = scipy.fft.rfft(parts, 2 * PARTITION, axis=2).astype(np.complex64)
    return found


def initial_state(partitions: int) -> State:
    """What a convolver remembers, at rest."""
    bins = PARTITION + 1
    return {
        "heard": np.zeros((2, partitions, bins), np.complex64),
        "line": np.zeros((2, 2 * PARTITION), np.float32),
        "made": np.zeros((2, PARTITION), np.float32),
    }


def convolve(signal: Signal, at: int, response: Spectra, state: State) -> Signal:
    """`signal` ``[2, samples]`` through a response, `PARTITION` samples late.

    `at` is the index of its first sample since the start of the cue: partitions lie on a fixed
    grid, so the blocks make no difference.
    """
    out = np.empty_like(signal)
    done = 0
    while done < signal.shape[1]:
        inside = (at + done) % PARTITION
        count = min(PARTITION - inside, signal.shape[1] - done)
        here = slice(inside, inside + count)
        out[:, done : done + count] = state["made"][:, here]
        state["line"][:, PARTITION + inside : PARTITION + inside + count] = signal[
            :, done : done + count
        ]
        done += count
        if inside + count == PARTITION:
            _next(response, ((at + done) // PARTITION - 1) % response.shape[1], state)
    return out


def _next(response: Spectra, newest: int, state: State) -> None:
    """A partition is whole: make the next stretch of output."""
    line, product = state["line"], np.empty(PARTITION + 1, np.complex64)
    for c in range(2):
        state["heard"][c, newest] = scipy.fft.rfft(line[c])
        _multiply(state["heard"][c], response[c], newest, product)
        state["made"][c] = scipy.fft.irfft(product, 2 * PARTITION)[PARTITION:]
    line[:, :PARTITION] = line[:, PARTITION:]
    if not np.isfinite(state["made"]).all():
        for array in state.values():
            array[:] = 0.0
