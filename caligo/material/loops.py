"""Loops: stretches of a recording that can be repeated with the least trace."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from caligo.material.long import stretch

WINDOW = 0.04
"""Seconds around the ends that are compared."""
FURTHEST = 30.0
"""Seconds behind a loop's start in which its end is looked for."""
SHORTEST = 0.12
"""Seconds that a loop lasts at least."""
AT_A_TIME = 1 << 18
"""Ends that are tried at a time."""


@dataclass(frozen=True, slots=True)
class FoundLoop:
    """A loop in seconds; `match` is how alike its ends are, 1 for the same."""

    start: float
    end: float
    match: float


def _matches(
    samples: NDArray[np.float32], pattern: NDArray[np.float64], first: int, size: int
) -> NDArray[np.float64]:
    """How alike a pattern ``[samples]`` is to what begins at each frame of a stretch ``[ends]``.

    It is 1 only where the levels agree as well: twice the product over the sum of energies.
    """
    from scipy.signal import correlate

    found = np.empty(max(0, size - len(pattern) + 1))
    here = float(np.sum(pattern**2))
    for at in range(0, len(found), AT_A_TIME):
        count = min(AT_A_TIME, len(found) - at)
        rest = stretch(samples, first + at, count + len(pattern) - 1)
        energy = np.concatenate([[0.0], np.cumsum(rest**2)])
        there = energy[len(pattern) :] - energy[:count]
        likeness = correlate(rest, pattern, mode="valid", method="fft")
        found[at : at + count] = 2.0 * likeness / np.maximum(here + there, 1e-12)
    return found


def find_loops(samples: NDArray[np.float32], rate: int, most: int = 5) -> list[FoundLoop]:
    """Loops of a recording whose ends are most alike.

    From several starts, every end is tried by normalised cross-correlation of what lies around
    the two; level and colour must then agree as well as the phase.

    Parameters
    ----------
    samples : ndarray
        A recording ``[channels, samples]``.
    rate : int
        Samples per second.
    most : int, optional
        How many are wanted.

    Returns
    -------
    list of FoundLoop
        The best first.
    """
    # Loading it takes two seconds, which every start of the studio would wait for.
    from scipy.signal import find_peaks

    half = int(0.5 * WINDOW * rate)
    total = samples.shape[1]
    shortest = int(SHORTEST * rate)
    if total < 4 * half + shortest:
        return []
    found: list[FoundLoop] = []
    for fraction in (0.08, 0.15, 0.25, 0.35, 0.45, 0.55):
        start = max(half, int(fraction * total))
        first = start + shortest - half
        pattern = stretch(samples, start - half, 2 * half)
        match = _matches(samples, pattern, first, min(total - first, int(FURTHEST * rate)))
        ends = start + shortest + np.arange(len(match))
        if len(match) == 0 or float(np.sum(pattern**2)) <= 1e-9 * total:
            continue
        peaks, _ = find_peaks(match, distance=max(1, shortest // 2))
        if len(peaks) == 0:
            peaks = np.array([int(match.argmax())])
        # Of ends that are as good, the later one: longer loops repeat less often.
        reward = match[peaks] + 0.03 * (ends[peaks] - start) / total
        for peak in peaks[np.argsort(reward)[::-1][:2]]:
            found.append(
                FoundLoop(start / rate, float(ends[peak]) / rate, float(min(1.0, match[peak])))
            )
    found.sort(key=lambda loop: loop.match + 0.03 * (loop.end - loop.start) * rate / total)
    return [loop for loop in reversed(found) if loop.match > 0.3][:most]
