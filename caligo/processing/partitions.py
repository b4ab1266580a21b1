"""Convolution with a long response in partitions of the frequency domain, short ones first.

Source: T. Stockham, "High-speed convolution and correlation" (1966), overlap-save; in partitions
of two sizes, W. Gardner, "Efficient convolution without input-output delay" (JAES 1995): the
response's beginning in short partitions, so that it comes soon, the rest in long ones, of which
far fewer are multiplied. All short partitions that come at once are transformed at once.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from caligo.kernels import device, kernel
from caligo.processing.long_transform import RADIX, backward, bins_of, forward, in_pairs
from caligo.processing.processor import Signal, State
from caligo.signal import fourier
from caligo.signal.vector import WIDTH, load, store

Spectra = NDArray[np.float32]
"""Real and imaginary parts ``[2 channels, partitions, 2, vectors of bins, WIDTH]``."""

PARTITION = 2_048
"""Samples of a short partition, by which the output is late."""
LONG = RADIX * PARTITION
"""Samples of a long partition, and of the beginning that short ones answer."""
STRETCH = 128
"""Vectors of bins that are summed at once: so many sums stay in a processor's nearest cache."""


@dataclass(frozen=True, slots=True)
class Response:
    """A response's spectra: of its beginning in short partitions, of the rest in long ones.

    Parameters
    ----------
    fraction
        The fraction of its energy that has come after each short partition ``[partitions]``.
    """

    early: Spectra
    late: Spectra
    fraction: NDArray[np.float64]

    def fraction_heard(self, samples: float) -> float:
        """The fraction of its energy that answers what has been heard for so many samples."""
        whole = min(float(len(self.fraction)), samples // PARTITION)
        return float(self.fraction[max(0, int(whole) - 1)])


@device
def _sum(
    heard: np.ndarray, response: np.ndarray, newest: int, first: int, length: int, sums: np.ndarray
) -> None:
    """The sum of all partitions' products, of `length` vectors from the `first` on.

    `heard` and `response` are ``[partitions, 2, vectors, WIDTH]``, `sums` ``[2, STRETCH, WIDTH]``.
    What came before the `newest` row stands in the rows before it, in a ring.
    """
    count = len(response)
    real, imaginary = sums[0], sums[1]
    for p in range(count):
        row = (newest - p) % count
        a, b, d, e = heard[row, 0], heard[row, 1], response[p, 0], response[p, 1]
        for n in range(length):
            one, two = load(a, first + n), load(b, first + n)
            three, four = load(d, first + n), load(e, first + n)
            more, other = one * three - two * four, one * four + two * three
            if p > 0:
                more, other = load(real, n) + more, load(imaginary, n) + other
            store(real, n, more)
            store(imaginary, n, other)


@kernel(
    "f4[:, :, :, ::1], f4[:, :, :, :, ::1], f4[:, :, :, ::1], f4[:, :, :, :, ::1], i8, "
    "f4[:, :, ::1], f4[:, ::1]"
)
def _answer_early(
    spectra: np.ndarray,
    heard: np.ndarray,
    rows: np.ndarray,
    response: np.ndarray,
    newest: int,
    sums: np.ndarray,
    row: np.ndarray,
) -> None:
    """Take in short partitions' `spectra`, the first as the `newest` row, and put answers there.

    `spectra` are ``[2 channels, count, bins, 2]``, `heard` and `response` ``[2 channels,
    partitions, 2, vectors, WIDTH]``; see `_sum`. `rows` and `row` are the same as `heard` and
    `sums` in single bins, ``[..., 2, bins]``.
    """
    channels, partitions, _, vectors, _ = response.shape
    bins = spectra.shape[2]
    for c in range(channels):
        for first in range(0, vectors, STRETCH):
            length = min(STRETCH, vectors - first)
            begin, end = WIDTH * first, min(WIDTH * (first + length), bins)
            for i in range(spectra.shape[1]):
                place = (newest + i) % partitions
                both = spectra[c, i, begin:end]
                real, imaginary = rows[c, place, 0, begin:], rows[c, place, 1, begin:]
                for k in range(len(both)):
                    real[k], imaginary[k] = both[k, 0], both[k, 1]
                _sum(heard[c], response[c], place, first, length, sums)
                a, b = row[0], row[1]
                for k in range(len(both)):
                    both[k, 0], both[k, 1] = a[k], b[k]


@kernel("f4[:, :, :, :, ::1], f4[:, :, :, :, ::1], i8, f4[:, :, ::1], f4[:, :, :, ::1]")
def _answer_late(
    heard: np.ndarray, response: np.ndarray, newest: int, sums: np.ndarray, out: np.ndarray
) -> None:
    """What long partitions answer, whose `newest` row is there, into `out`.

    It is ``[2 channels, 2, vectors, WIDTH]``; see `_sum`.
    """
    channels, _, _, vectors, _ = response.shape
    for c in range(channels):
        for first in range(0, vectors, STRETCH):
            length = min(STRETCH, vectors - first)
            _sum(heard[c], response[c], newest, first, length, sums)
            for part in range(2):
                to, given = out[c, part], sums[part]
                for n in range(length):
                    store(to, first + n, load(given, n))


@kernel("f4[:, ::1], i8, i8, f4[:, ::1], f4[:, ::1], f4[:, ::1]")
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


@kernel("f4[:, :, ::1], f4[:, :, ::1], f4[:, :, ::1], i8, f4[:, :, ::1], f4[:, :, ::1]")
def _finish(
    answers: np.ndarray,
    windows: np.ndarray,
    late: np.ndarray,
    place: int,
    made: np.ndarray,
    late_line: np.ndarray,
) -> bool:
    """Put what both kinds of partitions answer into `made`; whether it is good.

    It is ``[2, count, PARTITION]``. `answers` and `windows` ``[2, count, 2 * PARTITION]`` have
    what short ones answer, and what has been heard, in their second halves. `late` ``[2, WAYS,
    PARTITION]``, if there is any, has what long ones do, from the `place`-th partition on; there
    what has been heard goes into the second half of `late_line`. Both are taken apart.
    """
    good = True
    for c in range(2):
        for i in range(made.shape[1]):
            to, answer, given = made[c, i], answers[c, i, PARTITION:], windows[c, i, PARTITION:]
            for n in range(PARTITION):
                to[n] = answer[n]
            if late.shape[2] > 0:
                start = (place + i) * (PARTITION // RADIX)
                for r in range(RADIX):
                    more, here = late[c, r, start:], late_line[c, r, PARTITION + start :]
                    sums, heard = to[r:], given[r:]
                    for m in range(PARTITION // RADIX):
                        sums[RADIX * m] += more[m]
                        here[m] = heard[RADIX * m]
            for n in range(PARTITION):
                good = good and math.isfinite(to[n])
    return good


def _early_spectra(response: Signal) -> Spectra:
    """The spectra of short partitions."""
    count = -(-response.shape[1] // PARTITION)
    padded = np.zeros((2, count * PARTITION), np.float32)
    padded[:, : response.shape[1]] = response
    found = fourier.rfft(padded.reshape(2, count, PARTITION), 2 * PARTITION, axis=2)
    out = np.zeros((2, count, 2, bins_of(2 * PARTITION)), np.float32)
    out[:, :, 0, : PARTITION + 1], out[:, :, 1, : PARTITION + 1] = found.real, found.imag
    return out.reshape(2, count, 2, -1, WIDTH)


def _late_spectra(response: Signal) -> Spectra:
    """The spectra of long partitions, in the order of `forward`."""
    count = -(-response.shape[1] // LONG)
    padded = np.zeros((2, count * LONG), np.float32)
    padded[:, : response.shape[1]] = response
    bins = bins_of(2 * PARTITION)
    found = np.zeros((2, count, 2, RADIX * bins), np.float32)
    for p in range(count):
        part = padded[:, p * LONG : (p + 1) * LONG].reshape(2, PARTITION, RADIX)
        apart = np.zeros((2, RADIX, 2 * PARTITION), np.float32)
        apart[:, :, :PARTITION] = part.transpose(0, 2, 1)
        forward(apart, found[:, p].reshape(2, 2, RADIX, bins))
    return found.reshape(2, count, 2, RADIX * bins // WIDTH, WIDTH)


def spectra_of(response: Signal) -> Response:
    """The partitions of a response ``[2, samples]``."""
    starts = np.arange(0, response.shape[1], PARTITION)
    energy = np.add.reduceat(np.square(response, dtype=np.float64).sum(axis=0), starts).cumsum()
    return Response(
        _early_spectra(response[:, :LONG]),
        _late_spectra(response[:, LONG:]),
        energy / max(energy[-1], 1e-30),
    )


def initial_state(response: Response) -> State:
    """What a convolver remembers, at rest; of long partitions, lines are taken apart."""
    late = PARTITION if response.late.size else 0
    return {
        "heard": np.zeros_like(response.early),
        "line": np.zeros((2, 2 * PARTITION), np.float32),
        "made": np.zeros((2, PARTITION), np.float32),
        "late_heard": np.zeros_like(response.late),
        "late_line": np.zeros((2, RADIX, 2 * late), np.float32),
        "late_made": np.zeros((2, RADIX, late), np.float32),
    }


def convolve(signal: Signal, at: int, response: Response, state: State) -> Signal:
    """`signal` ``[2, samples]`` through a response, `PARTITION` samples late.

    `at` is the index of its first sample since the start of the cue: partitions lie on a fixed
    grid, so the blocks make no difference.
    """
    out = np.empty_like(signal)
    done = 0
    while done < signal.shape[1]:
        number, inside = divmod(at + done, PARTITION)
        whole = min((signal.shape[1] - done) // PARTITION, RADIX - number % RADIX)
        if inside == 0 and whole > 0:
            count = whole * PARTITION
            windows = _windows(state["line"], signal[:, done : done + count])
            made = _next(response, number, windows, state)
            out[:, done : done + PARTITION] = state["made"]
            out[:, done + PARTITION : done + count] = made[:, :-1].reshape(2, -1)
            state["line"][:, :PARTITION] = windows[:, -1, PARTITION:]
            state["made"][:] = made[:, -1]
        else:
            line = state["line"]
            count = _pass_through(signal, done, inside, state["made"], line, out)
            if inside + count == PARTITION:
                state["made"][:] = _next(response, number, line[:, None], state)[:, 0]
                line[:, :PARTITION] = line[:, PARTITION:]
        done += count
    return out


def _windows(line: Signal, signal: Signal) -> Signal:
    """Each partition of `signal` behind the one before it ``[2, count, 2 * PARTITION]``."""
    parts = signal.reshape(2, -1, PARTITION)
    windows = np.empty((2, parts.shape[1], 2 * PARTITION), np.float32)
    windows[:, 0, :PARTITION] = line[:, :PARTITION]
    windows[:, 1:, :PARTITION] = parts[:, :-1]
    windows[:, :, PARTITION:] = parts
    return windows


def _next(response: Response, number: int, windows: Signal, state: State) -> Signal:
    """What comes of short partitions that are whole, from the `number`-th of the cue on.

    `windows` ``[2, count, 2 * PARTITION]`` has each of them in its second half, behind the one
    before; they belong to one long partition. The output is ``[2, count, PARTITION]``.
    """
    count = windows.shape[1]
    group, place = divmod(number, RADIX)
    spectra = fourier.rfft(windows, axis=2)
    sums = np.empty((2, STRETCH, WIDTH), np.float32)
    heard, newest = state["heard"], number % response.early.shape[1]
    rows, row = heard.reshape(*heard.shape[:3], -1), sums.reshape(2, -1)
    _answer_early(in_pairs(spectra), heard, rows, response.early, newest, sums, row)
    answers = fourier.irfft(spectra, 2 * PARTITION, axis=2, overwrite_x=True)
    made = np.empty((2, count, PARTITION), np.float32)
    good = _finish(answers, windows, state["late_made"], place, made, state["late_line"])
    if response.late.size and place + count == RADIX:
        _next_long(response, group, state, sums)
    if not good:
        made[:] = 0.0
        windows[:] = 0.0
        for array in state.values():
            array[:] = 0.0
    return made


def _next_long(response: Response, group: int, state: State, sums: Signal) -> None:
    """A long partition is whole, the `group`-th of the cue: make what the next one is given.

    `sums` is room, see `_sum`.
    """
    line, heard, newest = state["late_line"], state["late_heard"], group % response.late.shape[1]
    bins = bins_of(2 * PARTITION)
    forward(line, heard[:, newest].reshape(2, 2, RADIX, bins))
    made = np.empty((2, 2, RADIX, bins), np.float32)
    _answer_late(heard, response.late, newest, sums, made.reshape(2, 2, -1, WIDTH))
    state["late_made"][:] = backward(made, 2 * PARTITION)[:, :, PARTITION:]
    line[:, :, :PARTITION] = line[:, :, PARTITION:]
