"""A delay of a whole number of samples, for signals that have to wait for others."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Signal = NDArray[np.float32]


class FixedDelay:
    """Delays a stereo signal.

    Parameters
    ----------
    samples
        How late the output is.

    Examples
    --------
    >>> delay = FixedDelay(1)
    >>> signal = np.ones((2, 2), np.float32)
    >>> delay.process(signal)
    >>> signal[0]
    array([0., 1.], dtype=float32)
    """

    def __init__(self, samples: int) -> None:
        self.held: Signal = np.zeros((2, samples), np.float32)

    def process(self, signal: Signal) -> None:
        """Delay `signal` ``[2, samples]`` in place."""
        latency = self.held.shape[1]
        if latency:
            whole = np.concatenate([self.held, signal], axis=1)
            signal[:] = whole[:, : signal.shape[1]]
            self.held = whole[:, signal.shape[1] :].copy()

    def reset(self) -> None:
        """Hold silence."""
        self.held[:] = 0.0

    def restore(self, held: Signal) -> None:
        """Take over what another delay of the same length held ``[2, samples]``."""
        if held.shape == self.held.shape:
            self.held = held.copy()
