"""The long view: an exact picture of the whole length, from left to right."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.engine.layers.metering import CELL_TICKS, MASTER, OUTPUT, SlotMeter
from caligo.engine.render.engine import DEFAULT_RATE, MIDDLE_BLOCK, Engine, Interrupted
from caligo.engine.stems.store import StemStore, ticks_in
from caligo.measure.findings import Finding, findings, held_down
from caligo.measure.loudness import MOMENTARY, LoudnessMeter, lufs
from caligo.measure.panorama import IMAGE, image_of
from caligo.measure.spectrogram import ROWS, Column, SpectrogramStream, longest_window
from caligo.measure.stereo import stereo_image
from caligo.measure.true_peak import TruePeakMeter
from caligo.movement.hold_still import HoldStill
from caligo.signal.ticks import TICK

COLUMNS = 1_200
"""Columns over the whole length."""
DETAIL_COLUMNS = 600
"""Columns of a stretch that is looked at closer."""
CLOSER_TILE = 40
CLOSER_BLOCK = 16_384
DETAIL_PREROLL = 4.0
"""Seconds of run-in at most, where the mixer has left no state nearby."""
SLOT_POINTS = 120
"""Points of a slot's level over the whole length."""


@dataclass(frozen=True, slots=True)
class Tile:
    """Neighbouring columns of the long view.

    Parameters
    ----------
    first, span
        The first of `COLUMNS` columns, and how many of them each of the tile's covers.
    levels
        Bytes ``[columns, ROWS]``, see `caligo.measure.spectrogram`.
    image
        Bytes ``[columns, IMAGE]``, see `caligo.measure.panorama`.
    loudness, width
        LUFS and width of each column ``[columns]``.
    """

    first: int
    span: int
    fine: bool
    levels: NDArray[np.uint8]
    image: NDArray[np.uint8]
    loudness: list[float]
    width: list[float]


@dataclass(slots=True)
class Summary:
    """What is known of the whole once the fine pass is through.

    Parameters
    ----------
    slots
        The level behind every slot of the chain, in dB ``[SLOT_POINTS]``; the slots' names
        are those of `caligo.engine.layers.metering`.
    peaks
        The highest peak behind every slot, in dB.
    findings
        What stands out over the whole length.
    """

    integrated: float = -math.inf
    loudness_range: float = 0.0
    true_peak: float = -math.inf
    width: float = 0.0
    correlation: float = 1.0
    loudness: list[float] = field(default_factory=list)
    slots: dict[str, list[float]] = field(default_factory=dict)
    peaks: dict[str, float] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)


class _Columns:
    """Loudness and width gathered into the long view's columns."""

    def __init__(self, rate: int, hop: float) -> None:
        self._hop = hop
        self._loudness = LoudnessMeter(rate)
        self._samples_per_column = hop * rate
        self._held = np.zeros((2, 0), np.float32)
        self._made = 0
        self.peak = TruePeakMeter()
        self.widths: list[float] = []
        self._weights: list[float] = []
        self._correlations: list[float] = []

    def add(self, signal: NDArray[np.float32]) -> None:
        self._loudness.add(signal)
        self.peak.add(signal)
        self._held = np.concatenate([self._held, signal], axis=1)
        while True:
            size = round((self._made + 1) * self._samples_per_column) - round(
                self._made * self._samples_per_column
            )
            if self._held.shape[1] < size:
                return
            piece, self._held = self._held[:, :size], self._held[:, size:]
            image = stereo_image(piece)
            self.widths.append(image.width)
            self._correlations.append(image.correlation)
            self._weights.append(float(np.mean(piece.astype(np.float64) ** 2)))
            self._made += 1

    def loudness_at(self, index: int) -> float:
        """Momentary loudness around a column, from as many steps as there are."""
        middle = int((index + 0.5) * self._hop / 0.1)
        powers = self._loudness.powers[max(0, middle - MOMENTARY // 2) : middle + MOMENTARY // 2]
        return lufs(float(np.mean(powers))) if powers else -math.inf

    def summary(self) -> Summary:
        weight = sum(self._weights) or 1.0

        def mean(values: list[float]) -> float:
            return sum(w * v for w, v in zip(self._weights, values, strict=True)) / weight

        return Summary(
            self._loudness.integrated(),
            self._loudness.range(),
            self.peak.decibels,
            mean(self.widths),
            mean(self._correlations),
        )


def slot_lines(meter: SlotMeter, length_ticks: int) -> dict[str, list[float]]:
    """The level behind every slot in dB ``[SLOT_POINTS]``, evenly over the length."""
    points = np.linspace(0.0, max(0, length_ticks // CELL_TICKS - 1), SLOT_POINTS)
    return {
        slot: np.interp(points, level.first + np.arange(len(level.power)), level.power).tolist()
        for slot, level in meter.levels().items()
    }


def slot_peaks(meter: SlotMeter) -> dict[str, float]:
    """The highest peak behind every slot, in dB under full scale."""
    return {slot: float(level.peak.max()) for slot, level in meter.levels().items()}


def _held_down(meter: SlotMeter, ceiling: float) -> Finding | None:
    """What the ceiling takes from what the master gives it."""
    levels = meter.levels()
    if MASTER not in levels or OUTPUT not in levels:
        return None
    before, after = levels[MASTER], levels[OUTPUT]
    first = max(before.first, after.first)
    pair = before.peak[first - before.first :], after.peak[first - after.first :]
    count = min(len(channel) for channel in pair)
    return held_down(pair[0][:count], pair[1][:count], ceiling)


def fine(
    sound: Sound,
    score: Score,
    *,
    rate: int = DEFAULT_RATE,
    hold_still: HoldStill = False,
    store: StemStore | None = None,
    threads: int = 1,
    interrupted: Interrupted = lambda: False,
) -> Iterator[Tile | Summary]:
    """The exact picture, rendered from the start.

    Parameters
    ----------
    sound : Sound
    score : Score
    rate : int, optional
        Samples per second, one of `caligo.engine.render.engine.RATES`.
    hold_still : bool or Frozen, optional
        Stop all movement: at rest, or as it is at a moment.
    store : StemStore, optional
        Where finished stems are kept, so that they are not rendered again.
    threads : int, optional
        Workers that render layers.
    interrupted : callable, optional
        Asked now and then; once it gives True, nothing more is computed.

    Yields
    ------
    Tile or Summary
        Columns of levels from left to right as they come, and a summary at the end.

    Examples
    --------
    >>> from caligo.document import read_sound
    >>> from caligo.document.held import held_chord
    >>> layer = {"id": "a", "name": "A", "source": {"kind": "wavetable"}}
    >>> sound = read_sound({"name": "Plain", "layers": [layer]})
    >>> *tiles, summary = fine(sound, held_chord("A2", 2.0))
    >>> tiles[0].levels.shape[1]
    224
    """
    meter = SlotMeter()
    engine = Engine(
        sound, score, rate=rate, hold_still=hold_still, stems=store, threads=threads, meter=meter
    )
    hop = score.length / COLUMNS
    spectra = SpectrogramStream(rate, hop, image_of)
    columns = _Columns(rate, hop)
    waiting: list[Column] = []
    whole: list[Column] = []
    first = 0

    def tile() -> Tile:
        ready = waiting[: COLUMNS - first]
        indexes = range(first, first + len(ready))
        return Tile(
            first,
            1,
            True,
            np.array(ready, dtype=np.uint8).reshape(-1, ROWS),
            np.array(spectra.made[first : first + len(ready)], np.uint8).reshape(-1, IMAGE),
            [columns.loudness_at(i) for i in indexes],
            [
                columns.widths[min(i, len(columns.widths) - 1)] if columns.widths else 0.0
                for i in indexes
            ],
        )

    for signal in engine.stream(engine.length_ticks, MIDDLE_BLOCK):
        if interrupted():
            return
        columns.add(signal)
        waiting += spectra.add(signal)
        if len(waiting) >= max(1, min(24, int(2.0 / hop))):
            yield tile()
            first += len(waiting)
            whole += waiting
            waiting = []
    waiting += spectra.finish()
    if waiting and first < COLUMNS:
        yield tile()
    whole += waiting
    summary = columns.summary()
    summary.slots = slot_lines(meter, engine.length_ticks)
    summary.peaks = slot_peaks(meter)
    summary.loudness = [columns.loudness_at(i) for i in range(COLUMNS)]
    held = _held_down(meter, sound.master.number("ceiling"))
    found = findings(np.array(whole[:COLUMNS], np.uint8), engine.voicing.fundamentals())
    summary.findings = [*([held] if held else []), *found]
    yield summary


def detail(
    sound: Sound,
    score: Score,
    span: tuple[float, float],
    *,
    rate: int = DEFAULT_RATE,
    hold_still: HoldStill = False,
    store: StemStore | None = None,
    interrupted: Interrupted = lambda: False,
) -> Iterator[Tile]:
    """The exact picture of a stretch in `DETAIL_COLUMNS` columns, from left to right.

    Parameters
    ----------
    sound : Sound
    score : Score
    span : tuple of float
        From where to where, in seconds.
    rate : int, optional
        Samples per second, one of `caligo.engine.render.engine.RATES`.
    hold_still : bool or Frozen, optional
        Stop all movement: at rest, or as it is at a moment.
    store : StemStore, optional
        Where finished stems are kept, so that they are not rendered again.
    interrupted : callable, optional
        Asked now and then; once it gives True, nothing more is computed.

    Yields
    ------
    Tile
    """
    engine = Engine(sound, score, rate=rate, hold_still=hold_still, stems=store, begins=False)
    hop = (span[1] - span[0]) / DETAIL_COLUMNS
    spectra = SpectrogramStream(rate, hop, image_of)
    # Long windows look back past the beginning of the stretch.
    reach = ticks_in(longest_window(rate) / 2 / rate, rate, round(span[0] * rate / TICK))
    begin = round(span[0] * rate / TICK) - reach
    engine.start(begin, most=DETAIL_PREROLL, interrupted=interrupted)
    columns = _Columns(rate, hop)
    spectra.begin(reach * TICK)
    first, waiting = 0, []
    ticks = reach + math.ceil((span[1] - span[0]) * rate / TICK) + longest_window(rate) // TICK
    skipped = reach * TICK
    left = engine.length_ticks * TICK - begin * TICK
    for signal in engine.stream(ticks, CLOSER_BLOCK):
        if interrupted():
            return
        signal[:, max(left, 0) :] = 0.0  # the cue ends, whatever would still ring
        left -= signal.shape[1]
        columns.add(signal[:, min(skipped, signal.shape[1]) :])
        skipped -= min(skipped, signal.shape[1])
        waiting += spectra.add(signal)
        ready = min(len(waiting), DETAIL_COLUMNS - first, len(columns.widths) - first)
        if ready >= CLOSER_TILE or first + ready == DETAIL_COLUMNS:
            yield Tile(
                first,
                1,
                True,
                np.array(waiting[:ready], dtype=np.uint8).reshape(-1, ROWS),
                np.array(spectra.made[first : first + ready], np.uint8).reshape(-1, IMAGE),
                [columns.loudness_at(i) for i in range(first, first + ready)],
                columns.widths[first : first + ready],
            )
            first += ready
            waiting = waiting[ready:]
        if first == DETAIL_COLUMNS:
            return
