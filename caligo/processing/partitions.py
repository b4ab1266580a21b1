"""Convolution with a long response in partitions of the frequency domain, short ones first.

Source: T. Stockham, "High-speed convolution and correlation" (1966), overlap-save; in partitions
of two sizes, W. Gardner, "Efficient convolution without input-output delay" (JAES 1995): the
response's beginning in short partitions, so that it comes soon, the rest in long ones, of which
far fewer are multiplied.
"""

from __future__ import annotations

import math
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


STRETCH = 1_024
"""Bins that are summed at once: so many sums stay in a processor's nearest cache."""


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
def _multiply(
    spectra: np.ndarray,
    line: np.ndarray,
    heard: np.ndarray,
    response: np.ndarray,
    newest: int,
    sums: np.ndarray,
    out: np.ndarray,
) -> None:
    """Take in the newest `spectra`, and put the sum of all partitions' products into `out`.

    Both are ``[2 channels, 2 * bins]``, real and imaginary parts in turn; `heard` and `response`
    ``[2 channels, partitions, 2, bins]``. `newest` is the row of what came last, and what came
    before it stands in the rows before, in a ring. `line` ``[2 channels, 2 * size]``, which has
    been transformed, moves on by half. `sums` is room for a stretch ``[2, STRETCH]``.
    """
    channels, count, _, bins = response.shape
    for c in range(channels):
        now, passed, here = heard[c, newest], line[c, : bins - 1], line[c, bins - 1 :]
        for k in range(bins):
            now[0, k] = spectra[c, 2 * k]
            now[1, k] = spectra[c, 2 * k + 1]
        for k in range(bins - 1):
            passed[k] = here[k]
        for first in range(0, bins, STRETCH):
            length = min(STRETCH, bins - first)
            real, imaginary = sums[0, :length], sums[1, :length]
            for k in range(length):
                real[k], imaginary[k] = np.float32(0.0), np.float32(0.0)
            for p in range(count):
                row = (newest - p) % count
                a, b = heard[c, row, 0, first:], heard[c, row, 1, first:]
                d, e = response[c, p, 0, first:], response[c, p, 1, first:]
                for k in range(length):
                    real[k] += a[k] * d[k] - b[k] * e[k]
                    imaginary[k] += a[k] * e[k] + b[k] * d[k]
            for k in range(length):
                out[c, 2 * (first + k)] = real[k]
                out[c, 2 * (first + k) + 1] = imaginary[k]


@kernel
def _pass_through(
    signal: np.ndarray, done: int, inside: int, made: np.ndarray, line: np.ndarray, out: np.ndarray
) -> int:
    """Give out what is `made` for this stretch, and take in `signal`; so many samples.

    Both go as far as the partition does, from its sample `inside` on; `signal` and `out`
    ``[2, samples]`` from `done` on. `made` is ``[2, PARTITION]``, `line` twice as long.
    """
    count: int = min(PARTITION - inside, signal.shape[1] - done)
    for c in range(2):
        given, to = signal[c, done : done + count], out[c, done : done + count]
        ready, here = made[c, inside:], line[c, PARTITION + inside :]
        for n in range(count):
            to[n] = ready[n]
            here[n] = given[n]
    return count


@kernel
def _join(
    early: np.ndarray,
    late: np.ndarray,
    newest: np.ndarray,
    place: int,
    made: np.ndarray,
    late_line: np.ndarray,
) -> bool:
    """Put what both kinds of partitions answer into `made` ``[2, PARTITION]``; whether it is good.

    `early` has it behind as many samples, `late` ``[2, LONG]`` at the `place`-th partition of it,
    if it has any. There the `newest` partition ``[2, PARTITION]`` goes into `late_line`.
    """
    start, good = place * PARTITION, True
    for c in range(2):
        to, answer = made[c], early[c, PARTITION:]
        for n in range(PARTITION):
            to[n] = answer[n]
        if late.shape[1] > 0:
            more, given, here = late[c, start:], newest[c], late_line[c, LONG + start :]
            for n in range(PARTITION):
                to[n] += more[n]
                here[n] = given[n]
        for n in range(PARTITION):
            good = good and math.isfinite(to[n])
    return good


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
        count = _pass_through(signal, done, inside, state["made"], state["line"], out)
        done += count
        if inside + count == PARTITION:
            _next(response, (at + done) // PARTITION - 1, state)
    return out


def _answer(line: Signal, heard: Spectra, response: Spectra, newest: int) -> Signal:
    """What partitions answer to the newest half of `line` ``[2, 2 * size]``, in its second half."""
    spectra = scipy.fft.rfft(line, axis=1)
    product = np.empty_like(spectra)
    sums = np.empty((2, STRETCH), np.float32)
    _multiply(
        spectra.view(np.float32), line, heard, response, newest, sums, product.view(np.float32)
    )
    made: Signal = scipy.fft.irfft(product, line.shape[1], axis=1, overwrite_x=True)
    return made


def _next(response: Response, number: int, state: State) -> None:
    """A short partition is whole, the `number`-th of the cue: make the next stretch of output."""
    newest = number % response.early.shape[1]
    answer = _answer(state["line"], state["heard"], response.early, newest)
    group, place = divmod(number, LONG // PARTITION)
    # The first half of the line is what has just been taken in.
    good = _join(
        answer, state["late_made"], state["line"], place, state["made"], state["late_line"]
    )
    if response.late.size and (place + 1) * PARTITION == LONG:
        newest = group % response.late.shape[1]
        late = _answer(state["late_line"], state["late_heard"], response.late, newest)
        state["late_made"][:] = late[:, LONG:]
    if not good:
        for array in state.values():
            array[:] = 0.0
