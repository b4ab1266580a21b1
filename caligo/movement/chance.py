"""Chance without memory: every random number is a hash of (seed, what, index)."""

from __future__ import annotations

import math

import numpy as np

from caligo.kernels import device, kernel


@device
def mix(value: np.uint64) -> np.uint64:
    """A well-mixed 64-bit hash of a 64-bit number.

    The finaliser of SplitMix64 (Steele, Lea and Flood, "Fast splittable pseudorandom number
    generators", OOPSLA 2014), constants from memory.
    """
    z = np.uint64(value) + np.uint64(0x9E3779B97F4A7C15)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return z ^ (z >> np.uint64(31))


@kernel("u8, i8")
def combine(seed: np.uint64, index: int | np.uint64) -> np.uint64:
    """The hash of a seed and an index; indexes may be negative."""
    return mix(np.uint64(mix(np.uint64(seed))) ^ np.uint64(index))


@kernel("u8, i8")
def unit(seed: np.uint64, index: int) -> float:
    """A number in [0, 1) from a seed and an index."""
    return float(np.uint64(combine(seed, index)) >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@kernel("u8, f8[::1]")
def units(seed: np.uint64, out: np.ndarray) -> None:
    """Fill `out` ``[count]`` with the numbers in [0, 1) of the first indexes."""
    for i in range(len(out)):
        out[i] = unit(seed, i)


@kernel("u8, i8")
def signed(seed: np.uint64, index: int) -> float:
    """A number in [-1, 1) from a seed and an index."""
    return 2.0 * unit(seed, index) - 1.0


@device
def wander(seed: np.uint64, position: float) -> float:
    """A smooth random function of `position` in [-1, 1], through a new value at each integer."""
    index = math.floor(position)
    x = position - index
    a = signed(seed, int(index))
    b = signed(seed, int(index) + 1)
    return a + (b - a) * x * x * x * (x * (6.0 * x - 15.0) + 10.0)


@device
def wander_along(seed: np.uint64, positions: np.ndarray, out: np.ndarray) -> None:
    """`wander` at each of `positions` ``[places]``, into `out` ``[places]``.

    Neighbouring places mostly lie between the same two values, which are then drawn once.
    """
    known, a, b = np.int64(-(2**62)), 0.0, 0.0
    for k in range(len(positions)):
        index = np.int64(math.floor(positions[k]))
        if index != known:
            known = index
            a, b = signed(seed, int(index)), signed(seed, int(index) + 1)
        x = positions[k] - index
        out[k] = a + (b - a) * x * x * x * (x * (6.0 * x - 15.0) + 10.0)


def text_seed(text: str) -> int:
    """A seed from a text, the same on every machine (64-bit FNV-1a)."""
    value = 0xCBF29CE484222325
    for byte in text.encode():
        value = ((value ^ byte) * 0x100000001B3) & 0xFFFFFFFFFFFFFFFF
    return value


def derive(seed: int, index: int) -> int:
    """A seed for one thing out of a seed for many, below 2**63."""
    return int(combine(np.uint64(seed), int(np.uint64(index).astype(np.int64)))) >> 1
