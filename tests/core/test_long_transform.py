"""Long transforms made of eight short ones, against numpy's of the whole."""

from __future__ import annotations

import numpy as np
import pytest

from caligo.processing.long_transform import RADIX, backward, bins_of, forward

ORDER = (0, 4, 2, 6, 1, 5, 3, 7)
"""Which eighth of the spectrum each row begins at: places with their binary digits turned round."""


def apart(lines: np.ndarray) -> np.ndarray:
    """Every eighth sample of each line ``[channels, WAYS, size]``."""
    return np.ascontiguousarray(lines.reshape(len(lines), -1, RADIX).transpose(0, 2, 1))


@pytest.mark.parametrize("size", [8, 60, 256, 4096])
def test_spectra_are_those_of_the_whole_line(size: int) -> None:
    lines = np.random.default_rng(size).standard_normal((2, RADIX * size)).astype(np.float32)
    found = np.zeros((2, 2, RADIX, bins_of(size)), np.float32)
    forward(apart(lines), found)
    # `numpy.fft` in double precision, an implementation of its own.
    whole = np.fft.fft(lines.astype(np.float64), axis=1)
    bins = np.arange(size // 2 + 1)
    expected = np.stack([whole[:, (bins + size * eighth) % whole.shape[1]] for eighth in ORDER], 1)
    made = found[:, 0, :, : len(bins)] + 1j * found[:, 1, :, : len(bins)]
    assert np.abs(made - expected).max() < 1e-6 * np.abs(expected).max()


@pytest.mark.parametrize("size", [8, 60, 4096])
def test_the_way_back_gives_the_line(size: int) -> None:
    lines = apart(np.random.default_rng(size).standard_normal((2, RADIX * size)).astype(np.float32))
    spectra = np.zeros((2, 2, RADIX, bins_of(size)), np.float32)
    forward(lines, spectra)
    assert np.abs(backward(spectra, size) - lines).max() < 2e-6


def test_products_of_spectra_are_convolutions_in_a_circle() -> None:
    rng = np.random.default_rng(1)
    one, other = (rng.standard_normal((1, 512)).astype(np.float32) for _ in range(2))
    spectra = [np.zeros((1, 2, RADIX, bins_of(64)), np.float32) for _ in range(2)]
    forward(apart(one), spectra[0])
    forward(apart(other), spectra[1])
    a, b = (s[:, 0] + 1j * s[:, 1] for s in spectra)
    product = np.stack([(a * b).real, (a * b).imag], axis=1).astype(np.float32)
    made = backward(product, 64).transpose(0, 2, 1).reshape(1, -1)
    expected = np.fft.ifft(np.fft.fft(one) * np.fft.fft(other)).real
    assert np.abs(made - expected).max() < 1e-5 * np.abs(expected).max()
