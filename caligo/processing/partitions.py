"""Convolution with a long response in partitions of the frequency domain, short ones first.

Source: T. Stockham, "High-speed convolution and correlation" (1966), overlap-save; in partitions
of two sizes, W. Gardner, "Efficient convolution without input-output delay" (JAES 1995): the
response's beginning in short partitions, so that it comes soon, the rest in long ones, of which
far fewer are multiplied.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.fft
from numpy.typing import NDArray

from caligo.processing.processor import Signal, State
from caligo.signal.kernel import kernel

Spectra = NDArray[np.float32]
"""Real and imaginary parts ``[2 channels, partitions, 2, bins]``."""

PARTITION = 2_048
"""Samples of a short partition, by which the output is late."""
LONG = 8 * PARTITION
"""Samples of a long partition, and of the beginning that short ones answer."""


@dataclass(frozen=True, slots=True)
class Response:
    """A response's spectra: of its beginning in short partitions, of the rest in long ones.

    Parameters
    ----------
    share
        The share of its energy that has come after each short partition ``[partitions]``.
    """

    early: Spectra
    late: Spectra
    share: NDArray[np.float64]

    def share_heard(self, samples: float) -> float:
        """The share of its energy that answers what has been heard for so many samples."""
        whole = max(0, min(len(self.share), int(samples) // PARTITION) - 1)
        return float(self.share[whole])


@kernel
def _multiply(heard: np.ndarray, response: np.ndarray, newest: int, out: np.ndarray) -> None:
    """The sum of all partitions' products into `out` ``[2, bins]``.

    `heard` and `response` are ``[partitions, 2, bins]``, real and imaginary parts; `newest` is the
    row of what came last, and what came before it stands in the rows before, in a ring.
    """
    count = len(response)
    out[:] = np.float32(0.0)
    for p in range(count):
        one, two = heard[(newest - p) % count], response[p]
        for k in range(out.shape[1]):
            out[0, k] += one[0, k] * two[0, k] - one[1, k] * two[1, k]
            out[1, k] += one[0, k] * two[1, k] + one[1, k] * two[0, k]


def _spectra(response: Signal, size: int) -> Spectra:
    count = -(-response.shape[1] // size)
    padded = np.zeros((2, count * size), np.float32)
    padded[:, : response.shape[1]] = response
    found = scipy.fft.rfft(padded.reshape(2, count, size), 2 * size, axis=2)
    return np.stack([found.real, found.imag], axis=2).astype(np.float32)


def spectra_of(response: Signal) -> Response:
    """The partitions of a response ``[2, samples]``."""
    starts = np.arange(0, response.shape[1], PARTITION)
    energy = np.add.reduceat(np.square(response, dtype=np.float64).sum(axis=0), starts).cumsum()
    return Response(
        _spectra(response[:, :LONG], PARTITION),
        _spectra(response[:, LONG:], LONG),
        energy / max(energy[-1], 1e-30),
    )


def initial_state(response: Response) -> State:
    """What a convolver remembers, at rest."""
    return {
        "heard": np.zeros_like(response.early),
        "line": np.zeros((2, 2 * PARTITION), np.float32),
        "made": np.zeros((2, PARTITION), np.float32),
        "late_heard": np.zeros_like(response.late),
        "late_line": np.zeros((2, 2 * LONG if response.late.size else 0), np.float32),
        "late_made": np.zeros((2, LONG if response.late.size else 0), np.float32),
    }


def convolve(signal: Signal, at: int, response: Response, state: State) -> Signal:
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
            _next(response, (at + done) // PARTITION - 1, state)
    return out


def _answer(line: Signal, heard: Spectra, response: Spectra, newest: int) -> Signal:
    """What the partitions answer to the newest half of `line` ``[2, 2 * size]``: ``[2, size]``."""
    size = line.shape[1] // 2
    product = np.empty((2, size + 1), np.float32)
    joined = np.empty(size + 1, np.complex64)
    made = np.empty((2, size), np.float32)
    for c in range(2):
        spectrum = scipy.fft.rfft(line[c])
        heard[c, newest, 0], heard[c, newest, 1] = spectrum.real, spectrum.imag
        _multiply(heard[c], response[c], newest, product)
        joined.real, joined.imag = product
        made[c] = scipy.fft.irfft(joined, 2 * size)[size:]
    line[:, :size] = line[:, size:]
    return made


def _next(response: Response, number: int, state: State) -> None:
    """A short partition is whole, the `number`-th of the cue: make the next stretch of output."""
    newest = state["line"][:, PARTITION:].copy()
    state["made"][:] = _answer(
        state["line"], state["heard"], response.early, number % response.early.shape[1]
    )
    if response.late.size:
        _add_late(response.late, number, newest, state)
    if not np.isfinite(state["made"]).all():
        for array in state.values():
            array[:] = 0.0


def _add_late(response: Spectra, number: int, newest: Signal, state: State) -> None:
    """Add what long partitions answer, and take in a short one ``[2, PARTITION]`` for them."""
    group, place = divmod(number, LONG // PARTITION)
    here = slice(place * PARTITION, (place + 1) * PARTITION)
    state["made"] += state["late_made"][:, here]
    state["late_line"][:, LONG:][:, here] = newest
    if (place + 1) * PARTITION == LONG:
        state["late_made"][:] = _answer(
            state["late_line"], state["late_heard"], response, group % response.shape[1]
        )
