"""The spectrum of one slot of the chain as it is heard: a meter for that slot alone."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from caligo.signal import fourier
from caligo.signal.ticks import TICK, Span

SIZE = 8_192
"""Samples that a spectrum is taken of: 171 ms at 48 kHz."""
KEPT = 1 << 17
"""Samples that are kept: stretches are longer than the window, and are gone back into."""
LOWEST = -128.0
"""Decibels of the lowest byte; each byte is half a decibel more."""
# Blackman's window, as the browser's own analyser has it (Web Audio API, AnalyserNode).
TURN = 2.0 * np.pi * np.arange(SIZE) / SIZE
WINDOW: NDArray[np.float32] = (0.42 - 0.5 * np.cos(TURN) + 0.08 * np.cos(2.0 * TURN)).astype(
    np.float32
)


class SpectrumMeter:
    """Keeps the last of a slot's signal, whichever is watched."""

    def __init__(self) -> None:
        self._slot = ""
        self._ring = np.zeros((2, KEPT), np.float32)
        self._from = self._until = 0

    @property
    def slot(self) -> str:
        """Name of the slot that is watched; empty for none."""
        return self._slot

    def watch(self, slot: str) -> None:
        """Watch another slot from now on."""
        if slot != self._slot:
            self._slot, self._from, self._until = slot, 0, 0

    def wants(self, slot: str) -> bool:
        """See `caligo.engine.layers.metering.Meter`."""
        return slot == self._slot

    def add(self, slot: str, span: Span, signal: NDArray[np.float32]) -> None:
        """See `caligo.engine.layers.metering.Meter`; keeps ``[2, samples]`` of what is watched."""
        if not self.wants(slot):
            return
        first = span.first * TICK
        if not self._from <= first <= self._until:
            self._from = first
        self._until = first + signal.shape[1]
        self._from = max(self._from, self._until - KEPT)
        self._ring[:, np.arange(first, self._until) % KEPT] = signal

    def spectrum(self, tick: int) -> NDArray[np.uint8] | None:
        """Both sides' spectra up to a tick ``[2, SIZE // 2]``, in half decibels over `LOWEST`.

        A full-scale sine is as high as in the browser's analyser: 13.6 dB under 0, by its window.
        None where too little of the slot has come.
        """
        end = tick * TICK
        if not (self._from <= end - SIZE and end <= self._until):
            return None
        heard = self._ring[:, np.arange(end - SIZE, end) % KEPT] * WINDOW
        spectra: NDArray[np.complex64] = fourier.rfft(heard, axis=1)[:, :-1]
        found = np.abs(spectra) / SIZE
        decibels = 20.0 * np.log10(np.maximum(found, 1e-7))
        return np.clip(np.rint(2.0 * (decibels - LOWEST)), 0, 255).astype(np.uint8)
