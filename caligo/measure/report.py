"""All measures of a recording or a render, in one report."""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numpy.typing import NDArray

from caligo.errors import InputRefused
from caligo.measure.evolution import EvolutionMeter
from caligo.measure.loudness import LoudnessMeter
from caligo.measure.spectrogram import FLOOR, ROWS, SpectrogramStream, row_edges
from caligo.measure.stereo import StereoImage, stereo_image
from caligo.measure.true_peak import TruePeakMeter

HOP = 1.0
"""Seconds between the spectra whose centres and harshness are reported."""


class UnreadableAudio(InputRefused):
    """A file that is not audio that libsndfile reads."""


@dataclass(frozen=True, slots=True)
class Report:
    """Measures of a whole recording.

    Parameters
    ----------
    momentary, short_term
        The greatest momentary and short-term loudness in LUFS.
    evolution
        The largest of the three that follow.
    evolution_seconds, evolution_tens, evolution_minutes
        By how many dB a third of an octave changes within seconds, tens of seconds and minutes,
        apart from fades and beating; see `caligo.measure.evolution`.
    centroid, centroid_range
        Mean centre of the spectrum in Hz, and its 10th to 90th percentile in octaves.
    harshness
        Share of the energy between 2 and 5 kHz, in percent.
    """

    length: float
    rate: int
    integrated: float
    momentary: float
    short_term: float
    loudness_range: float
    true_peak: float
    correlation: float
    width: float
    evolution: float
    evolution_seconds: float
    evolution_tens: float
    evolution_minutes: float
    centroid: float
    centroid_range: float
    harshness: float

    def as_json(self) -> dict[str, Any]:
        """The report as plain data; infinities as null."""
        return {
            k: None if isinstance(v, float) and not math.isfinite(v) else v
            for k, v in asdict(self).items()
        }


class Reporter:
    """Builds a report of a stereo signal that arrives in pieces."""

    def __init__(self, rate: int) -> None:
        self.rate = rate
        self._loudness = LoudnessMeter(rate)
        self._peak = TruePeakMeter()
        self._evolution = EvolutionMeter(rate)
        self._spectra = SpectrogramStream(rate, HOP)
        self._columns: list[NDArray[np.uint8]] = []
        self._images: list[tuple[float, StereoImage]] = []
        self._samples = 0

    def add(self, signal: NDArray[np.float32]) -> None:
        """Take in `signal` ``[2, samples]``."""
        self._loudness.add(signal)
        self._peak.add(signal)
        self._evolution.add(signal)
        self._columns += self._spectra.add(signal)
        self._images.append((float(np.mean(signal.astype(np.float64) ** 2)), stereo_image(signal)))
        self._samples += signal.shape[1]

    def _spectrum_measures(self) -> tuple[float, float, float]:
        levels = np.array(self._columns, dtype=np.float64).reshape(-1, ROWS)
        levels = (levels / 255.0 - 1.0) * -FLOOR
        heard = levels[levels.max(axis=1, initial=FLOOR) > FLOOR + 20.0]
        if not len(heard):
            return 0.0, 0.0, 0.0
        edges = row_edges()
        centres = np.sqrt(edges[:-1] * edges[1:])
        power = 10.0 ** (heard / 10.0)
        centroids = np.exp2((power * np.log2(centres)).sum(axis=1) / power.sum(axis=1))
        low, high = np.percentile(np.log2(centroids), [10.0, 90.0])
        harsh = (centres >= 2000.0) & (centres <= 5000.0)
        return (
            float(np.mean(centroids)),
            float(high - low),
            float(100.0 * power[:, harsh].sum() / power.sum()),
        )

    def finish(self) -> Report:
        """The report over everything taken in."""
        self._columns += self._spectra.finish()
        total = sum(e for e, _ in self._images) or 1.0
        centroid, spread, harsh = self._spectrum_measures()
        evolution = self._evolution.finish()
        return Report(
            length=self._samples / self.rate,
            rate=self.rate,
            integrated=self._loudness.integrated(),
            momentary=self._loudness.loudest_momentary(),
            short_term=self._loudness.loudest_short_term(),
            loudness_range=self._loudness.range(),
            true_peak=self._peak.decibels,
            correlation=sum(e * i.correlation for e, i in self._images) / total,
            width=sum(e * i.width for e, i in self._images) / total,
            evolution=evolution.most,
            evolution_seconds=evolution.seconds,
            evolution_tens=evolution.tens,
            evolution_minutes=evolution.minutes,
            centroid=centroid,
            centroid_range=spread,
            harshness=harsh,
        )


def measure_file(path: Path) -> Report:
    """The report of an audio file; mono counts as two equal channels.

    Parameters
    ----------
    path : Path

    Returns
    -------
    Report

    Raises
    ------
    UnreadableAudio
        If the file is missing, not audio, or holds more than two channels.
    """
    try:
        with soundfile.SoundFile(path) as file:
            if file.channels > 2:
                raise UnreadableAudio(f"{path} has {file.channels} channels; measure one or two")
            reporter = Reporter(file.samplerate)
            for piece in file.blocks(blocksize=1 << 16, dtype="float32", always_2d=True):
                both = piece.T if piece.shape[1] == 2 else np.repeat(piece.T, 2, axis=0)
                reporter.add(np.ascontiguousarray(both))
    except (soundfile.LibsndfileError, OSError) as error:
        raise UnreadableAudio(f"{path} cannot be read as audio: {error}") from None
    return reporter.finish()
