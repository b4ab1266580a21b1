"""The wavetable source: cycles read at any pitch, position interpolated, in unison."""

from __future__ import annotations

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, Scale, register
from caligo.movement.block import TICK, Block
from caligo.movement.chance import derive, unit
from caligo.movement.routes import Frame, Track
from caligo.sources.source import Source
from caligo.sources.tables import EVOLVING, LENGTH, RECIPES, built_in

HISTORY = 8192
"""Ticks of an earlier course that are added up at a time."""
INDEX_SHIFT = np.uint32(32 - (LENGTH - 1).bit_length())
"""A phase of 32 bits holds the place in the cycle above this bit, and a fraction below."""
FRACTION = np.uint32((1 << int(INDEX_SHIFT)) - 1)
FRACTION_STEP = np.float32(1.0 / (1 << int(INDEX_SHIFT)))
ONE = np.uint32(1)


@njit(cache=True, nogil=True)
def _level_for(limits: np.ndarray, step: float) -> int:
    """The fullest level whose highest partial stays below half the sample rate."""
    for level in range(len(limits)):
        if limits[level] * step < 0.5:
            return level
    return len(limits) - 1


@njit(cache=True, nogil=True)
def add_turns(turns: float, step: np.ndarray, track: np.ndarray) -> float:
    """Add up a voice's cycles, tick by tick, in the one order that all renders share.

    Parameters
    ----------
    turns
        Cycles passed at the first tick; those at the last are returned.
    step
        Cycles per sample at every tick ``[ticks + 1]``.
    track
        Receives the cycles at every tick but the last ``[ticks]``; may be empty.
    """
    for k in range(len(step) - 1):
        if len(track) > 0:
            track[k] = turns
        turns += 0.5 * TICK * (step[k] + step[k + 1])
    return turns


@njit(cache=True, nogil=True)
def spread_turns(
    turns: np.ndarray, detune: float, offsets: np.ndarray, starts: np.ndarray, track: np.ndarray
) -> None:
    """Phases ``[oscillators, ticks]`` of detuned oscillators from the voice's cycles ``[ticks]``."""
    for o in range(len(offsets)):
        ratio = 2.0 ** (detune * offsets[o] / 1200.0)
        for k in range(len(turns)):
            p = starts[o] + turns[k] * ratio
            track[o, k] = p - math.floor(p)


@njit(cache=True, nogil=True)
def add_phases(
    phase: np.ndarray, step: np.ndarray, detune: np.ndarray, offsets: np.ndarray,
    track: np.ndarray,
) -> None:
    """Add up each oscillator's phase where the detune moves; like `add_turns`.

    `phase` ``[oscillators]`` is carried on; `detune` is in cents at every tick ``[ticks + 1]``,
    `offsets` the share of it that each oscillator takes, `track` ``[oscillators, ticks]``.
    """
    for o in range(len(phase)):
        p = phase[o]
        here = step[0] * 2.0 ** (detune[0] * offsets[o] / 1200.0)
        for k in range(len(step) - 1):
            if track.shape[1] > 0:
                track[o, k] = p
            there = step[k + 1] * 2.0 ** (detune[k + 1] * offsets[o] / 1200.0)
            p += 0.5 * TICK * (here + there)
            p -= math.floor(p)
            here = there
        phase[o] = p


@njit(cache=True, nogil=True)
def render_voice(
    cycles: np.ndarray, limits: np.ndarray, phases: np.ndarray, step: np.ndarray,
    detune: np.ndarray, offsets: np.ndarray, position: np.ndarray, left: np.ndarray,
    right: np.ndarray, out: np.ndarray,
) -> None:
    """One voice's oscillators, added to `out` ``[2, samples]``.

    Parameters
    ----------
    cycles, limits
        A `caligo.sources.tables.Table`.
    phases
        Cycles at the start of every tick ``[oscillators, ticks]``.
    step, detune, position
        Cycles per sample, cents, and frame number at every tick ``[ticks + 1]``.
    left, right
        Gains at every tick ``[oscillators, ticks + 1]``.
    """
    frames = cycles.shape[1]
    for o in range(phases.shape[0]):
        for k in range(phases.shape[1]):
            from_step = step[k] * 2.0 ** (detune[k] * offsets[o] / 1200.0)
            to_step = step[k + 1] * 2.0 ** (detune[k + 1] * offsets[o] / 1200.0)
            level = _level_for(limits, max(from_step, to_step))
            # Phase in units of 2**-32 cycles: it wraps by itself. The pitch glides within a
            # tick, so the phase has a square term, in units of 2**-48.
            p = np.uint32(int(phases[o, k] * 4294967296.0))
            q = np.uint32(int(from_step * 4294967296.0))
            bend = np.int64((to_step - from_step) * (4294967296.0 * 65536.0 / (2 * TICK)))
            gain_left = np.float32(left[o, k])
            gain_right = np.float32(right[o, k])
            left_step = np.float32((left[o, k + 1] - left[o, k]) / TICK)
            right_step = np.float32((right[o, k + 1] - right[o, k]) / TICK)
            first = min(int(position[k]), frames - 1)
            slope = (position[k + 1] - position[k]) / TICK
            to_left = out[0, k * TICK : (k + 1) * TICK]
            to_right = out[1, k * TICK : (k + 1) * TICK]
            if first <= position[k + 1] <= first + 1:
                here = cycles[level, first]
                there = cycles[level, min(first + 1, frames - 1)]
                blend = np.float32(position[k] - first)
                blend_step = np.float32(slope)
                for n in range(TICK):
                    turn = np.uint32(p + np.uint32(n) * q + np.uint32((n * n * bend) >> 16))
                    i = np.uint32(turn >> INDEX_SHIFT)
                    f = np.float32(np.int32(turn & FRACTION)) * FRACTION_STEP
                    a = here[i]
                    a += f * (here[i + ONE] - a)
                    b = there[i]
                    b += f * (there[i + ONE] - b)
                    x = np.float32(n)
                    a += (blend + x * blend_step) * (b - a)
                    to_left[n] += a * (gain_left + x * left_step)
                    to_right[n] += a * (gain_right + x * right_step)
            else:
                for n in range(TICK):
                    turn = np.uint32(p + np.uint32(n) * q + np.uint32((n * n * bend) >> 16))
                    i = np.uint32(turn >> INDEX_SHIFT)
                    f = np.float32(np.int32(turn & FRACTION)) * FRACTION_STEP
                    where = position[k] + n * slope
                    row = min(int(where), frames - 1)
                    next_row = min(row + 1, frames - 1)
                    a = cycles[level, row, i]
                    a += f * (cycles[level, row, i + ONE] - a)
                    b = cycles[level, next_row, i]
                    b += f * (cycles[level, next_row, i + ONE] - b)
                    x = np.float32(n)
                    a += np.float32(where - row) * (b - a)
                    to_left[n] += a * (gain_left + x * left_step)
                    to_right[n] += a * (gain_right + x * right_step)


@register(
    Module(
        family="source",
        kind="wavetable",
        name="Wavetable",
        help="Single cycles played at any pitch; evolving tables change along their position.",
        parameters=(
            Parameter("table", "Table", "The row of cycles it plays.", default="saw",
                      kind=Kind.CHOICE,
                      choices=tuple(Choice(k, name) for k, (name, _, _) in RECIPES.items())),
            Parameter("position", "Position", "Where in an evolving table it reads.", unit="%",
                      high=100.0, default=0.0, moves=Moves.PER_NOTE, when=("table", EVOLVING)),
            Parameter("fine", "Fine", "Tunes the source by cents.", unit="ct", low=-1200.0,
                      high=1200.0, moves=Moves.PER_NOTE),
            Parameter("level", "Source level", "Loudness of each note at the source.", unit="dB",
                      low=-80.0, high=12.0, scale=Scale.DECIBEL, moves=Moves.PER_NOTE),
            Parameter("unison", "Unison", "Oscillators for each note.", low=1, high=24,
                      default=1, kind=Kind.INTEGER),
            Parameter("detune", "Detune", "How far the outer oscillators lie either side.",
                      unit="ct", high=100.0, default=10.0, moves=Moves.PER_NOTE),
            Parameter("spread", "Spread", "How far the oscillators spread in stereo.", unit="%",
                      high=100.0, default=70.0, moves=Moves.PER_NOTE),
            Parameter("scatter", "Phase scatter", "How differently the oscillators begin.",
                      unit="%", high=100.0, default=100.0),
        ),
    )
)
class Wavetable(Source):
    """Renders unison oscillators over one table."""

    def __init__(self, *args: object) -> None:
        super().__init__(*args)  # type: ignore[arg-type]
        self._table = built_in(self.part.text("table"))
        self._tracks: dict[str, Track] = {
            key: self.movement.track(f"{self.path}.{key}")
            for key in ("position", "fine", "level", "detune", "spread")
        }
        count = int(self.part.number("unison"))
        self._offsets = np.linspace(-1.0, 1.0, count) if count > 1 else np.zeros(1)
        self._added: dict[str, tuple[int, NDArray[np.float64]]] = {}

    def _starts(self, seed: int) -> NDArray[np.float64]:
        """The phases with which a voice's oscillators begin ``[oscillators]``."""
        scatter = self.part.number("scatter") / 100.0
        own = derive(self.seed, seed)
        return np.array([scatter * unit(own, o) for o in range(len(self._offsets))])

    def _steps(self, frame: Frame, pitch: NDArray[np.float64]) -> NDArray[np.float64]:
        """Cycles per sample at every tick."""
        fine = self._tracks["fine"].values(frame)
        steps: NDArray[np.float64] = np.exp2(pitch + fine / 1200.0) / self.rate
        return np.minimum(steps, 0.45)

    def _phases(
        self, block: Block, row: int, step: NDArray[np.float64], detune: NDArray[np.float64]
    ) -> NDArray[np.float64]:
        """The phase of every oscillator at the start of every tick of the block."""
        voice, span = block.voices[row], block.span
        began = math.floor(voice.start * self.rate / TICK)
        track = np.zeros((len(self._offsets), span.ticks))
        starts = self._starts(voice.seed)
        wait = max(0, began - span.first)
        track[:, :wait] = starts[:, None]
        own = track[:, wait:]
        if self._tracks["detune"].moved:
            phase = self._carried(block, row, began, starts).copy()
            add_phases(phase, step[wait:], detune[wait:], self._offsets, own)
            self._added[voice.name] = (span.first + span.ticks, phase)
            return track
        turns = np.empty(span.ticks - wait)
        if voice.steady and not self._tracks["fine"].moved:
            turns[:] = TICK * step[0] * (np.arange(span.first + wait, span.first + span.ticks)
                                         - began)
        else:
            carried = self._carried(block, row, began, np.zeros(1))
            end = add_turns(carried[0], step[wait:], turns)
            self._added[voice.name] = (span.first + span.ticks, np.array([end]))
        spread_turns(turns, detune[0], self._offsets, starts, own)
        return track

    def _carried(
        self, block: Block, row: int, began: int, nothing: NDArray[np.float64]
    ) -> NDArray[np.float64]:
        """What a moving pitch has added up to by the block's start, from `nothing` at the note's.

        Kept from the block before where there was one, else added up again from the note on.
        """
        voice, first = block.voices[row], block.span.first
        at, added = self._added.get(voice.name, (began, nothing))
        if at > max(first, began) or len(added) != len(nothing):
            at, added = began, nothing
        added = added.copy()
        while at < first:
            ticks = min(HISTORY, first - at)
            frame, pitch = block.history(row, at, ticks)
            step = self._steps(frame, pitch)[0]
            if self._tracks["detune"].moved:
                add_phases(added, step, self._tracks["detune"].values(frame)[0], self._offsets,
                           np.empty((len(added), 0)))
            else:
                added[0] = add_turns(added[0], step, np.empty(0))
            at += ticks
        return added

    def render(self, block: Block, out: NDArray[np.float32]) -> None:
        """See `Source.render`."""
        frame = block.frame
        steps = self._steps(frame, block.pitch)
        detune = self._tracks["detune"].values(frame)
        frames = self._table.cycles.shape[1]
        position = self._tracks["position"].values(frame) * ((frames - 1) / 100.0)
        gain = 10.0 ** (self._tracks["level"].values(frame) / 20.0) / math.sqrt(len(self._offsets))
        spread = self._tracks["spread"].values(frame) / 100.0
        for row in range(len(block.voices)):
            angle = (1.0 + self._offsets[:, None] * spread[row][None, :]) * (math.pi / 4.0)
            left = math.sqrt(2.0) * np.cos(angle) * gain[row][None, :]
            right = math.sqrt(2.0) * np.sin(angle) * gain[row][None, :]
            render_voice(
                self._table.cycles, self._table.limits,
                self._phases(block, row, steps[row], detune[row]),
                steps[row], detune[row], self._offsets, position[row], left, right, out[row],
            )
        if len(self._added) > 4 * len(block.voices) + 64:
            alive = {v.name for v in block.voices}
            self._added = {k: v for k, v in self._added.items() if k in alive}
