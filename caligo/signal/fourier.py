"""Fourier transforms: those of `scipy.fft`, which is imported when the first is taken.

To import it takes a quarter of a second, which a command that only reads a document never waits
for.
"""

from __future__ import annotations

from typing import Any


def __getattr__(name: str) -> Any:
    import scipy.fft

    return getattr(scipy.fft, name)
