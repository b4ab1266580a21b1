"""Cutting tables: the same cut for looking at it, hearing it and keeping it."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from caligo.material.cutting import Spectra
from caligo.material.reading import MaterialError
from caligo.material.recording import Recording
from caligo.material.store import current
from caligo.synthesis.tables import audition, from_spectra
from studio.material.schemas import CutIn, CutOut
from studio.material.work import MISSING, in_a_worker

AUDITION_RATE = 48_000
POINTS = 128
SHOWN_PARTIALS = 64
PICTURE_NOTE = 110.0


def recording(key: str) -> Recording:
    """A recording after its steps.

    Raises
    ------
    MaterialError
        If it is not in the material library, or its file is damaged.
    """
    found = current().recording(key)
    if found is None:
        raise MaterialError(MISSING)
    return found


def cut(key: str, given: CutIn) -> tuple[Spectra, float]:
    """A cut of a recording, and the pitch in Hz that it was cut at."""
    found: tuple[Spectra, float] = in_a_worker("cut", key, given.method, given.root, given.frames)
    return found


def cut_picture(path: Path, name: str, frames: int) -> tuple[Spectra, float]:
    """A cut of a picture, and the note that it is heard at."""
    spectra: Spectra = in_a_worker("cut_picture", path, name, frames)
    return spectra, PICTURE_NOTE


def shown(spectra: Spectra, hertz: float) -> CutOut:
    """A cut as its picture shows it."""
    table = from_spectra(spectra)
    cycles = table.thinned(POINTS).astype(float)
    cycles /= np.maximum(np.abs(cycles).max(axis=1, keepdims=True), 1e-9)
    levels = np.abs(spectra[:, :SHOWN_PARTIALS])
    levels /= np.maximum(levels.max(axis=1, keepdims=True), 1e-12)
    return CutOut(
        cycles=np.round(cycles, 3).tolist(), partials=np.round(levels, 4).tolist(), hertz=hertz
    )


def heard(spectra: Spectra, hertz: float, seconds: float = 4.0) -> bytes:
    """A cut as a WAV file: one note through all of its positions."""
    return wav(audition(from_spectra(spectra), hertz, seconds, AUDITION_RATE)[None], AUDITION_RATE)


def wav(samples: NDArray[np.float32], rate: int) -> bytes:
    """Samples ``[channels, frames]`` as a WAV file of 16 bits, kept below full scale."""
    buffer = io.BytesIO()
    loudest = max(1.0, float(np.abs(samples).max(initial=0.0)))
    soundfile.write(buffer, samples.T / loudest, rate, format="WAV", subtype="PCM_16")
    return buffer.getvalue()
