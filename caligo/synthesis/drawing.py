"""How sources draw on material: which recording they play, and reading it at any speed."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Parameter
from caligo.document.sound import Part
from caligo.kernels import device
from caligo.material.recording import Recording
from caligo.material.store import current
from caligo.synthesis.source import VOICE_LOUDNESS, VOICE_RMS

TAPS = 32
PHASES = 512
CUT, BETA = 0.92, 9.6
GLIDING = 0.03
"""The fraction by which a copy may be read too fast while it goes over into the next: what folds
then lies above what can be heard."""


def recording_parameter(help: str) -> Parameter:
    """Which recording is played."""
    return Parameter(
        "recording", "Recording", help, default="", kind=Kind.REFERENCE, of="recording"
    )


def evened_parameter() -> Parameter:
    """What brings recordings to one level."""
    return Parameter(
        "evened",
        "Even level by",
        "What brings all recordings to one level: how loud each is as it is played (ITU-R BS.1770, "
        "at its root and at middle C), or its loudest moments.",
        default="loudness",
        kind=Kind.CHOICE,
        choices=(Choice("loudness", "Loudness"), Choice("moments", "Loudest moments")),
    )


def evening(part: Part, recording: Recording) -> float:
    """The factor that brings a recording to a voice's level, as its source says.

    What is within it stays as it is. Too short for a loudness, it goes by its loudest moments.
    """
    if part.text("evened") == "loudness" and recording.evened is not None:
        return float(10.0 ** ((VOICE_LOUDNESS - recording.evened) / 20.0))
    return VOICE_RMS / max(recording.level, 1e-6)


def follow_parameter() -> Parameter:
    """Whether the key decides the pitch."""
    return Parameter(
        "follow",
        "Follow the key",
        "Transposed by the key from the recording's root, or always as recorded.",
        default=True,
        kind=Kind.SWITCH,
    )


def recording_of(part: Part) -> Recording | None:
    """The recording that a part names, or None while it names none that is there."""
    key = part.text("recording")
    return current().recording(key) if key else None


def _kernel() -> NDArray[np.float32]:
    """Windowed sincs ``[PHASES + 1, TAPS]`` for reading between samples.

    A Kaiser window over all taps, cut at `CUT` of half the sample rate (Smith and Gossett, "A
    flexible sampling-rate conversion method", ICASSP 1984). With beta 9.6 its stop band lies at
    -95 dB (Kaiser's formula: A = beta / 0.1102 + 8.7), which it reaches a fraction of (A - 8) /
    (2.285 * 2 pi * (TAPS - 1)) / 2 = 0.1 of the rate above the cut.
    """
    phase = np.arange(PHASES + 1)[:, None] / PHASES
    at = np.arange(TAPS)[None, :] - (TAPS // 2 - 1) - phase
    inside = np.clip(1.0 - (at / (TAPS / 2)) ** 2, 0.0, None)
    taps = CUT * np.sinc(CUT * at) * np.i0(BETA * np.sqrt(inside)) / np.i0(BETA)
    found: NDArray[np.float32] = (taps / taps.sum(axis=1, keepdims=True)).astype(np.float32)
    return found


SINCS = _kernel()


@device(fastmath={"reassoc", "contract", "nsz"})
def sinc_sum(
    flat: np.ndarray, first: np.uint64, sincs: np.ndarray, phase: np.uint64, fraction: np.float32
) -> np.float32:
    """Samples from ``flat[first]`` on, weighted by a kernel a fraction of the way past a phase.

    `flat` is ``[samples]``, `sincs` ``[phases, taps]``.
    """
    total = np.float32(0.0)
    # How many taps there are is not told, or the loop would be unrolled before it is vectorised.
    for k in range(np.uint64(sincs.shape[1])):
        here = sincs[phase, k]
        total += (here + fraction * (sincs[phase + np.uint64(1), k] - here)) * flat[first + k]
    return total


@device
def read_at(
    flat: np.ndarray, begin: int, frames: int, sincs: np.ndarray, place: float
) -> np.float32:
    """A recording's value between its samples; silent outside of it.

    Parameters
    ----------
    flat, begin, frames
        One side of a `caligo.material.pyramid.Pyramid` ``[samples]``: where a copy begins, and
        its length.
    place
        In the copy's samples.
    """
    if place <= -(TAPS // 2) or place >= frames + TAPS // 2:
        return np.float32(0.0)
    i = math.floor(place)
    x = (place - i) * PHASES
    j = int(x)
    first = np.uint64(begin + int(i) - (TAPS // 2 - 1))
    return sinc_sum(flat, first, sincs, np.uint64(j), np.float32(x - j))


@device(allocates=True)
def level_for(speed: float, ratios: np.ndarray) -> tuple[int, float]:
    """Which of copies ``[levels]`` to read at a speed, and how much of the next it takes.

    The speed is in samples of the recording per sample.

    It is the fullest that is not read faster than sample by sample, so that nothing folds. Just
    above that speed it goes over into the next, so that no glide steps.

    Examples
    --------
    >>> ratios = np.array([1.0, 0.84, 0.71])
    >>> level_for.called(0.5, ratios), level_for.called(1.0, ratios), level_for.called(1.1, ratios)
    ((0, 0.0), (0, 0.0), (1, 0.0))
    """
    last = len(ratios) - 1
    level = 0
    while level < last and ratios[level] * speed > 1.0 + GLIDING:
        level += 1
    beyond = ratios[level] * speed - 1.0
    if level == last or beyond <= 0.0:
        return level, 0.0
    return level, beyond / GLIDING
