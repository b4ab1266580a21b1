"""Sines that signals are multiplied with."""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import kernel
from caligo.signal.four_rows import ROWS
from caligo.signal.ticks import TICK


@kernel("f4[:, ::1], f8[::1]")
def multiply_rows(rows: np.ndarray, phase: np.ndarray) -> None:
    """Multiply one channel at four times the rate in place by a sine as loud as the signal.

    Parameters
    ----------
    rows
        ``[ROWS, samples]``, see `caligo.signal.four_rows`.
    phase
        Cycles of the sine at every tick ``[ticks + 1]``.
    """
    loud = math.sqrt(2.0)
    for k in range(len(phase) - 1):
        turn = 2.0 * math.pi * (phase[k] - math.floor(phase[k]))
        step = 2.0 * math.pi * (phase[k + 1] - phase[k]) / TICK
        ds, dq = math.sin(step), math.cos(step)
        for p in range(ROWS):
            # The sine turns on from sample to sample; it is set right at every tick.
            first = turn + p * step / ROWS
            s, q = math.sin(first), math.cos(first)
            row = rows[p][k * TICK : (k + 1) * TICK]
            for n in range(TICK):
                row[n] *= np.float32(loud * s)
                s, q = s * dq + q * ds, q * dq - s * ds


@kernel("f8[::1], f8[::1], f8[::1], f4[::1]")
def shift(real: np.ndarray, turned: np.ndarray, phase: np.ndarray, out: np.ndarray) -> None:
    """Move one channel's spectrum: the single side band ``real cos - turned sin`` into `out`.

    Parameters
    ----------
    real, turned, out
        Components a quarter of a cycle apart, and what is made ``[samples]``.
    phase
        Cycles at every tick ``[ticks + 1]``.
    """
    for k in range(len(phase) - 1):
        turn = 2.0 * math.pi * (phase[k] - math.floor(phase[k]))
        step = 2.0 * math.pi * (phase[k + 1] - phase[k]) / TICK
        s, q = math.sin(turn), math.cos(turn)
        ds, dq = math.sin(step), math.cos(step)
        for n in range(TICK):
            i = k * TICK + n
            out[i] = real[i] * q - turned[i] * s
            s, q = s * dq + q * ds, q * dq - s * ds
