"""Regions of a recording's spectrogram that are kept or removed, softened at their edges."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Module, Parameter, Scale, register
from caligo.document.sound import ItemPart
from caligo.movement.notes import Floats
from caligo.synthesis.analysis import BINS, HOP, SIZE, Analysis


def _moment(key: str, name: str, help: str, default: float) -> Parameter:
    return Parameter(key, name, help, unit="s", high=1200.0, default=default)


REGION = Module(
    family="item",
    kind="region",
    name="Region",
    help="A part of the recording's spectrogram that is kept or removed.",
    parameters=(
        Parameter("does", "Does", "What happens to the region.", default="remove",
                  kind=Kind.CHOICE, choices=(Choice("remove", "Is removed"),
                                             Choice("keep", "Is kept, and what is kept alone"))),
        _moment("start", "From", "Where it begins.", 0.0),
        _moment("end", "To", "Where it ends.", 1.0),
        Parameter("low", "Lowest", "Its lower border.", unit="Hz", low=20.0, high=24000.0,
                  default=500.0, scale=Scale.LOGARITHMIC),
        Parameter("high", "Highest", "Its upper border.", unit="Hz", low=20.0, high=24000.0,
                  default=2000.0, scale=Scale.LOGARITHMIC),
        Parameter("edge", "Soft edge", "How softly it begins and ends: a share of its size.",
                  unit="%", high=100.0, default=20.0),
    ),
)  # fmt: skip


@register(REGION)
class RegionItem:
    """A region in a document; the source reads it."""


def region_mask(regions: list[ItemPart], analysis: Analysis) -> NDArray[np.float32]:
    """How much of each bin the regions leave ``[frames, BINS]``; empty where there are none."""
    if not regions:
        return np.empty((0, 0), np.float32)
    seconds = np.arange(analysis.frames) * HOP / analysis.rate
    octaves = np.log2(np.maximum(np.arange(BINS), 0.5) * analysis.rate / SIZE)

    def inside(at: Floats, low: float, high: float, edge: float) -> Floats:
        """A raised cosine into the range from either side, `edge` of its half width long."""
        middle, half = 0.5 * (low + high), max(0.5 * (high - low), 1e-6)
        soft = max(edge * half, 1e-6)
        x = np.clip((half + 0.5 * soft - np.abs(at - middle)) / soft, 0.0, 1.0)
        found: Floats = 0.5 - 0.5 * np.cos(np.pi * x)
        return found

    kept = np.zeros((analysis.frames, BINS))
    left = np.ones((analysis.frames, BINS))
    keeps = False
    for region in regions:
        start, end = sorted((region.number("start"), region.number("end")))
        low, high = sorted((region.number("low"), region.number("high")))
        edge = region.number("edge") / 100.0
        weight = np.outer(
            inside(seconds, start, end, edge),
            inside(octaves, math.log2(low), math.log2(high), edge),
        )
        if region.text("does") == "keep":
            kept, keeps = np.maximum(kept, weight), True
        else:
            left *= 1.0 - weight
    return ((kept if keeps else 1.0) * left).astype(np.float32)
