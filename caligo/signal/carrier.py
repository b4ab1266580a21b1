"""Sines that signals are multiplied with."""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import kernel
from caligo.signal.ticks import TICK


@kernel("f4[:, ::1], f8[:, ::1]")
def multiply(signal: np.ndarray, phase: np.ndarray) -> None:
    """Multiply `signal` ``[2, samples]`` in place by a sine as loud as the signal.

    `phase` are the cycles of each channel's sine at every tick ``[2, ticks + 1]``.
    """
    loud = math.sqrt(2.0)
    for k in range(phase.shape[1] - 1):
        for c in range(2):
            turn = 2.0 * math.pi * (phase[c, k] - math.floor(phase[c, k]))
            step = 2.0 * math.pi * (phase[c, k + 1] - phase[c, k]) / TICK
            # The sine turns on from sample to sample; it is set right at every tick.
            s, q = math.sin(turn), math.cos(turn)
            ds, dq = math.sin(step), math.cos(step)
            for n in range(TICK):
                signal[c, k * TICK + n] *= np.float32(loud * s)
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
