"""Non-destructive steps: what is done to a recording before it is heard."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from caligo.material.cards import Fade, Normalise, Reverse, Step, Trim
from caligo.material.long import PIECE, ArrayFile, let_go, mapped, pieces
from caligo.material.reading import MaterialError

Samples = NDArray[np.float32]
SHORTEST = 0.01
"""Seconds that a trim leaves at least."""


def _trim(samples: Samples, rate: int, step: Trim) -> Samples:
    shortest = round(SHORTEST * rate)
    first = min(round(step.start * rate), max(0, samples.shape[1] - shortest))
    last = max(min(round(step.end * rate), samples.shape[1]), first + shortest)
    return samples[:, first:last]


def _fade(samples: Samples, rate: int, step: Fade) -> Samples:
    out = samples.copy()
    total = out.shape[1]
    for seconds, side in ((step.rise, slice(None)), (step.fall, slice(None, None, -1))):
        count = min(round(seconds * rate), total)
        if count:
            # A raised cosine: no corner at either end.
            ramp = 0.5 - 0.5 * np.cos(np.pi * (np.arange(count) + 0.5) / count)
            out[:, side][:, :count] *= ramp.astype(np.float32)
    return out


def check(steps: Sequence[Step], seconds: float) -> None:
    """Refuse steps that make no sense for a recording of so many seconds.

    Raises
    ------
    MaterialError
    """
    for step in steps:
        if not isinstance(step, Trim):
            continue
        if step.end <= step.start:
            raise MaterialError(
                f"a trim from {step.start:g} to {step.end:g} s runs backwards; its end comes later"
            )
        if step.start >= seconds:
            raise MaterialError(
                f"a trim from {step.start:g} s begins after the end, {seconds:.2f} s"
            )
        seconds = min(step.end, seconds) - step.start


def _in_place(piece: Samples, first: int, total: int, rate: int, step: Fade) -> Samples:
    """A piece of a recording of `total` frames, faded where it lies in the fades."""
    out = piece.copy()
    here = first + np.arange(piece.shape[1])
    for seconds, far in ((step.rise, here), (step.fall, total - 1 - here)):
        count = min(round(seconds * rate), total)
        inside = far < count
        if inside.any():
            ramp = 0.5 - 0.5 * np.cos(np.pi * (far[inside] + 0.5) / count)
            out[:, inside] *= ramp.astype(np.float32)
    return out


def _stepped(samples: Samples, rate: int, step: Step) -> Iterator[Samples]:
    """One step on a long recording, piece by piece in order."""
    total = samples.shape[1]
    if isinstance(step, Reverse):
        for end in range(total, 0, -PIECE):
            yield samples[:, max(0, end - PIECE) : end][:, ::-1]
            let_go(samples)
        return
    scale = np.float32(1.0)
    if isinstance(step, Normalise):
        highest = max(float(np.abs(piece).max(initial=0.0)) for _, piece in pieces(samples))
        scale = np.float32(10.0 ** (step.peak / 20.0) / highest) if highest > 0.0 else scale
    for first, piece in pieces(samples):
        faded = _in_place(piece, first, total, rate, step) if isinstance(step, Fade) else piece
        yield faded * scale


def apply_long(samples: Samples, rate: int, steps: Sequence[Step], path: Path) -> Samples:
    """What `apply` does, for a mapped recording ``[channels, samples]``.

    Each step is written to a file beside `path`, and gives the same samples as `apply`.
    """
    out = samples
    scratch: list[Path] = []
    for number, step in enumerate(steps):
        if isinstance(step, Trim):
            out = _trim(out, rate, step)
            continue
        place = path.with_suffix(f".step{number}")
        at = 0
        with ArrayFile(place, len(out), out.shape[1]) as file:
            for piece in _stepped(out, rate, step):
                file.write(at, piece)
                at += piece.shape[1]
        out = mapped(place)
        scratch.append(place)
    with ArrayFile(path, len(out), out.shape[1]) as file:
        for at, piece in pieces(out):
            file.write(at, piece)
    for place in scratch:
        place.unlink()
    return mapped(path)


def apply(samples: Samples, rate: int, steps: Sequence[Step]) -> Samples:
    """The recording ``[channels, samples]`` after its steps; the original is left alone."""
    out = samples
    for step in steps:
        if isinstance(step, Trim):
            out = _trim(out, rate, step)
        elif isinstance(step, Fade):
            out = _fade(out, rate, step)
        elif isinstance(step, Normalise):
            highest = float(np.abs(out).max(initial=0.0))
            if highest > 0.0:
                out = out * np.float32(10.0 ** (step.peak / 20.0) / highest)
        elif isinstance(step, Reverse):
            out = out[:, ::-1]
    return np.ascontiguousarray(out)
