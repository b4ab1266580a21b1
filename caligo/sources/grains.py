"""The grain source: a recording heard through many short windows.

Grain number i of a voice begins where the density, added up since the note began, passes i.
All of a grain's chance is a hash of (seed, i), so that the cloud is a function of time.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.document.pitch import frequency
from caligo.movement.block import SourceBlock
from caligo.movement.chance import combine, derive, signed, unit
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Bundle
from caligo.signal.ticks import TICK
from caligo.synthesis.common import unison_parameters, voice_parameters
from caligo.synthesis.drawing import (
    follow_parameter,
    level_for,
    recording_of,
    recording_parameter,
)
from caligo.synthesis.phases import Accumulated, first_tick
from caligo.synthesis.portrait import Portrait, Shown
from caligo.synthesis.sines import sine
from caligo.synthesis.source import VOICE_RMS
from caligo.synthesis.unison import InUnison

CELL = 16
"""Control ticks between two looks at the parameters; densities go in lines between."""
LONGEST = 4.0
"""Seconds that a grain lasts at most, its scatter included."""
SPARSE = 0.3
"""Overlaps below are not made up for: single grains stay single grains."""
MOVED = (
    "position", "density", "size", "pitch", "reverse", "window", "pan", "level", "fine",
    "position_scatter", "time_scatter", "size_scatter", "pitch_scatter", "level_scatter",
    "pan_scatter",
)  # fmt: skip
(
    POSITION, DENSITY, SIZE, PITCH, REVERSE, WINDOW, PAN, LEVEL, FINE, POSITION_SCATTER,
    TIME_SCATTER, SIZE_SCATTER, PITCH_SCATTER, LEVEL_SCATTER, PAN_SCATTER, TUNED,
) = range(16)  # fmt: skip
SHOWN = 1500
"""Grains in a picture of the whole length."""
COLUMNS = 9
"""Of a grain: onset, length, place, speed, flank, left, right, number, level in dB."""


@njit(cache=True, nogil=True)
def add_density(
    passed: float, density: np.ndarray, seconds: float, trajectory: np.ndarray
) -> float:
    """Grains begun, added up over cells of `seconds` from densities at their borders."""
    for c in range(len(density) - 1):
        if len(trajectory) > 0:
            trajectory[c] = passed
        passed += 0.5 * seconds * (density[c] + density[c + 1])
    return passed


@njit(cache=True, nogil=True)
def _crossing(count: float, begun: float, a: float, b: float, seconds: float) -> float:
    """When in a cell the density, going from `a` to `b`, has added up from `begun` to `count`."""
    need = count - begun
    slope = (b - a) / seconds
    if abs(slope) < 1e-12:
        return need / max(a, 1e-12)
    # The root of slope/2 t² + a t - need = 0 that lies in the cell.
    return 2.0 * need / (a + math.sqrt(max(a * a + 2.0 * slope * need, 0.0)))


@njit(cache=True, nogil=True)
def _window_power(flank: float) -> float:
    """The mean square of a tapered cosine window whose flanks take `flank` of it."""
    return 1.0 - 0.625 * flank


@njit(cache=True, nogil=True)
def find_grains(
    values: np.ndarray,
    begun: np.ndarray,
    first: float,
    last: float,
    first_cell: int,
    seconds: float,
    note_start: float,
    travel: np.ndarray,
    travel_speed: np.ndarray,
    frames: int,
    recording_rate: float,
    rate: float,
    seed: np.uint64,
    out: np.ndarray,
) -> int:
    """The grains that sound between two moments.

    Parameters
    ----------
    values
        Parameters at the borders of cells ``[cells + 1, 16]``, in the units of the catalogue;
        the last is the voice's transposition in octaves.
    begun
        Grains begun at each border ``[cells + 1]``.
    first, last
        Seconds.
    first_cell, seconds
        The first cell's number since the start of time, and how long each is.
    travel, travel_speed
        Shares of the recording that the position has moved on by at each border since the
        note's start ``[cells + 1]``, empty where the speed stays; and shares in a second, as
        many, or one.
    out
        Receives grains ``[at most, COLUMNS]``; how many there are is returned.
    """
    count = 0
    cells = len(begun) - 1
    for c in range(cells):
        # A grain may begin up to a whole turn later than its own by its scatter in time.
        number = math.ceil(begun[c])
        while number < begun[c + 1] and count < out.shape[0]:
            a, b = values[c, DENSITY], values[c + 1, DENSITY]
            inside = _crossing(number, begun[c], a, b, seconds)
            own = combine(seed, number)
            late = unit(own, 1) * values[c, TIME_SCATTER] / 100.0 / max(a, 1e-9)
            onset = (first_cell + c) * seconds + inside + min(late, 2.0)
            x = inside / seconds
            row = np.empty(16)
            for v in range(16):
                row[v] = values[c, v] + x * (values[c + 1, v] - values[c, v])
            scale = 2.0 ** (2.0 * signed(own, 2) * row[SIZE_SCATTER] / 100.0)
            size = min(row[SIZE] * scale, LONGEST)
            if onset < last and onset + size > first:
                octaves = row[TUNED] + row[PITCH] / 12.0 + row[FINE] / 1200.0
                octaves += signed(own, 3) * row[PITCH_SCATTER] / 12.0
                speed = 2.0 ** min(max(octaves, -7.0), 7.0) * recording_rate / rate
                reach = size * rate * speed
                if len(travel) > 0:
                    since = onset - (first_cell + c) * seconds
                    share = row[POSITION] / 100.0 + travel[c] + travel_speed[c] * since
                else:
                    share = row[POSITION] / 100.0 + travel_speed[0] * (onset - note_start)
                share += signed(own, 4) * row[POSITION_SCATTER] / 200.0
                place = (share - math.floor(share)) * frames
                place = min(max(place, 0.0), max(0.0, frames - reach))
                if unit(own, 5) * 100.0 < row[REVERSE]:
                    place = min(place + reach, float(frames))
                    speed = -speed
                flank = max(1.0 - row[WINDOW] / 100.0, 0.02)
                overlap = row[DENSITY] * row[SIZE] * _window_power(flank)
                decibels = row[LEVEL] - unit(own, 6) * row[LEVEL_SCATTER]
                # The mean power of levels spread evenly over the scatter is made up for.
                spread = max(row[LEVEL_SCATTER] * math.log(10.0) / 10.0, 1e-6)
                softened = (1.0 - math.exp(-spread)) / spread
                gain = 10.0 ** (decibels / 20.0) / math.sqrt(max(overlap, SPARSE) * softened)
                pan = row[PAN] / 100.0 + signed(own, 7) * row[PAN_SCATTER] / 100.0
                angle = (min(max(pan, -1.0), 1.0) + 1.0) * math.pi / 4.0
                out[count, 0] = onset
                out[count, 1] = size
                out[count, 2] = place
                out[count, 3] = speed
                out[count, 4] = flank
                out[count, 5] = gain * math.sqrt(2.0) * math.cos(angle)
                out[count, 6] = gain * math.sqrt(2.0) * math.sin(angle)
                out[count, 7] = number
                out[count, 8] = decibels
                count += 1
            number += 1
    return count


@njit(cache=True, nogil=True)
def _tick_of_grain(
    flat: np.ndarray,
    first: np.uint64,
    last: float,
    place: float,
    step: float,
    since: float,
    size: float,
    rise: float,
    a: np.float32,
    b: np.float32,
    left: np.ndarray,
    right: np.ndarray,
    at: np.uint64,
    places: np.ndarray,
    scratch: np.ndarray,
) -> None:
    """Add a tick of a grain, which begins `since` samples after its onset.

    Outside of the grain its window is zero. `first` is where in `flat` the sample before the
    recording's first but two lies. As in the wavetable source, the work is split into short
    loops over `places` ``[TICK]`` and `scratch` ``[6 * TICK]``, which the compiler turns into
    vector instructions.
    """
    turn = np.float32(0.25 * rise)
    up = np.float32(0.25 * since * rise)
    down = np.float32(0.25 * (size - since) * rise)
    for n in range(TICK):
        rising, falling = up + np.float32(n) * turn, down - np.float32(n) * turn
        x = rising if rising < falling else falling
        x = x if x > np.float32(0.0) else np.float32(0.0)
        x = x if x < np.float32(0.25) else np.float32(0.25)
        # The sine over a quarter turn, squared: a raised cosine over half a turn.
        s = sine(x)
        scratch[n] = s * s
    begin = place + since * step
    for n in range(TICK):
        p = begin + n * step
        p = p if p > -3.0 else -3.0
        p = p if p < last else last
        i = np.floor(p)
        scratch[TICK + n] = np.float32(p - i)
        places[n] = np.uint32(np.int32(i) + np.int32(3))
    one, two, three = np.uint64(1), np.uint64(2), np.uint64(3)
    for n in range(TICK):
        j = first + np.uint64(places[n])
        scratch[2 * TICK + n] = flat[j]
        scratch[3 * TICK + n] = flat[j + one]
        scratch[4 * TICK + n] = flat[j + two]
        scratch[5 * TICK + n] = flat[j + three]
    half = np.float32(0.5)
    for n in range(TICK):
        # Catmull and Rom's cubic through four samples.
        f = scratch[TICK + n]
        w, y, z, v = (
            scratch[2 * TICK + n],
            scratch[3 * TICK + n],
            scratch[4 * TICK + n],
            scratch[5 * TICK + n],
        )
        c1 = half * (z - w)
        c2 = w - np.float32(2.5) * y + np.float32(2.0) * z - half * v
        c3 = half * (v - w) + np.float32(1.5) * (y - z)
        scratch[n] *= y + f * (c1 + f * (c2 + f * c3))
    for n in range(np.uint64(TICK)):
        left[at + n] += a * scratch[n]
    for n in range(np.uint64(TICK)):
        right[at + n] += b * scratch[n]


@njit(cache=True, nogil=True)
def add_grains(
    grains: np.ndarray,
    flat: np.ndarray,
    starts: np.ndarray,
    ratios: np.ndarray,
    frames: int,
    first: int,
    rate: int,
    out: np.ndarray,
) -> None:
    """Add grains to `out` ``[2, samples]``, which begins at the absolute sample `first`.

    `flat` to `frames` are one side of a `caligo.material.pyramid.Pyramid`.
    """
    ticks = out.shape[1] // TICK
    left, right = out[0], out[1]
    places = np.empty(TICK, np.uint32)
    scratch = np.empty(6 * TICK, np.float32)
    for g in range(grains.shape[0]):
        onset = grains[g, 0] * rate - first
        size = grains[g, 1] * rate
        speed = grains[g, 3]
        level, share = level_for(abs(speed), len(ratios))
        if share > 0.5 and level < len(ratios) - 1:
            level += 1
        ratio = ratios[level]
        begin = max(0, math.floor(onset / TICK))
        end = min(ticks, math.ceil((onset + size) / TICK))
        for k in range(begin, end):
            _tick_of_grain(
                flat,
                np.uint64(starts[level] - 4),
                int(frames * ratio) + 3.0,
                grains[g, 2] * ratio,
                speed * ratio,
                first + k * TICK - grains[g, 0] * rate,
                size,
                2.0 / (grains[g, 4] * size),
                np.float32(grains[g, 5]),
                np.float32(grains[g, 6]),
                left,
                right,
                np.uint64(k * TICK),
                places,
                scratch,
            )


def _moved(key: str, name: str, help: str, unit: str, **more: Any) -> Parameter:
    return Parameter(key, name, help, unit=unit, moves=Moves.PER_NOTE, **more)


def _share(key: str, name: str, help: str, default: float = 0.0) -> Parameter:
    return _moved(key, name, help, "%", high=100.0, default=default)


@register(
    Module(
        family="source",
        kind="grains",
        category="Recordings",
        groups=(
            ("Recording", "recording position travel follow"),
            ("Grains", "density size pitch reverse window pan"),
            ("Scatter", "position_scatter time_scatter size_scatter pitch_scatter level_scatter "
             "pan_scatter"),
        ),
        name="Grains",
        help="A recording heard through many short windows, from single grains to a wash.",
        parameters=(
            recording_parameter("What the grains are taken from."),
            _share("position", "Position", "Where in the recording grains begin.", 20.0),
            Parameter("travel", "Travel", "How far the position moves on in a minute; it comes "
                      "round at the end.", unit="%/min", low=-600.0, high=600.0, default=5.0,
                      moves=Moves.PER_NOTE),
            _moved("density", "Density", "Grains that begin in a second.", "Hz", low=0.1,
                   high=400.0, default=24.0, scale=Scale.LOGARITHMIC),
            _moved("size", "Size", "How long each grain lasts.", "s", low=0.001, high=4.0,
                   default=0.25, scale=Scale.LOGARITHMIC),
            _moved("pitch", "Pitch", "Transposes the grains.", "st", low=-36.0, high=36.0),
            _share("reverse", "Backwards", "How many of the grains run backwards."),
            _share("window", "Window", "From smooth to flat: how sharply grains begin and end."),
            _moved("pan", "Pan", "Where the grains are heard.", "%", low=-100.0, high=100.0),
            *voice_parameters(),
            follow_parameter(),
            _share("position_scatter", "Position scatter", "How far grains begin elsewhere.",
                   10.0),
            _share("time_scatter", "Time scatter", "How irregularly grains begin.", 80.0),
            _share("size_scatter", "Size scatter", "How differently long they are.", 20.0),
            _moved("pitch_scatter", "Pitch scatter", "How far grains are out of tune.", "st",
                   high=24.0),
            _moved("level_scatter", "Level scatter", "How much softer some are.", "dB",
                   high=36.0, default=6.0),
            *unison_parameters(scatter=False),
            _share("pan_scatter", "Pan scatter", "How far apart grains are heard.", 70.0),
        ),
        picture="grains",
    )
)  # fmt: skip
class Grains(InUnison):
    """Renders clouds of grains."""

    def __init__(self, *args: object) -> None:
        super().__init__(*args)
        self.recording = recording_of(self.part)
        self._trajectories = [self.movement.trajectory(f"{self.path}.{key}") for key in MOVED]
        self._bundle = Bundle(self._trajectories)
        self._travel = self.movement.travel(f"{self.path}.travel", per=6000.0)
        self._follow = self.part.switch("follow")
        self._cell = CELL * TICK / self.rate
        self._added = Accumulated()
        self.prepare()

    def prepare(self) -> None:
        """See `Source.prepare`."""
        scatter = self._trajectories[SIZE_SCATTER].reach()[1] / 100.0
        longest = min(self._trajectories[SIZE].reach()[1] * 4.0**scatter, LONGEST)
        scattered = self._trajectories[TIME_SCATTER].reach()[1] / 100.0
        late = min(scattered / self._trajectories[DENSITY].reach()[0], 2.0)
        # Grains that began so many cells ago may still sound.
        self._back = math.ceil((longest + late) / self._cell) + 1

    def save_state(self) -> dict[str, Any]:
        """See `Source.save_state`."""
        return {"begun": self._added.copy()}

    def restore_state(self, state: dict[str, Any]) -> None:
        """See `Source.restore_state`."""
        self._added.take(state["begun"])

    def _values(self, moments: Moments, pitch: Floats) -> Floats:
        """Parameters at moments ``[moments, 16]``."""
        values = np.empty((len(moments.times), 16))
        values[:, : len(self._trajectories)] = self._bundle.values(moments).T
        root = 0.0 if self.recording is None else math.log2(frequency(self.recording.root))
        own = math.log2(frequency(float(moments.notes.key[0])))
        values[:, TUNED] = pitch[0] - (root if self._follow else own)
        return values

    def grains(self, block: SourceBlock, row: int, back: int) -> Floats:
        """The grains of a voice that sound in the block ``[grains, COLUMNS]``.

        `back` cells before the block are searched for grains that still sound.
        """
        assert self.recording is not None
        span, voice = block.span, block.voices[row]
        began = first_tick(block, row) // CELL
        first = max(began, span.first // CELL - back)
        last = -(-(span.first + span.ticks) // CELL)
        if last <= first:
            return np.empty((0, COLUMNS))
        moments, pitch = block.history(row, first * CELL, (last - first) * CELL, CELL)
        values = self._values(moments, pitch)
        begun = np.empty(last - first + 1)
        if self._trajectories[DENSITY].moved:
            ahead = span.first - first * CELL
            before = self._added.up_to(
                block, row, np.zeros(1), self._advance, CELL, before=ahead, stride=CELL
            )
            if block.rough:
                before[0] = values[0, DENSITY] * (first - began) * self._cell
            begun[-1] = add_density(float(before[0]), values[:, DENSITY], self._cell, begun)
            keep = span.ticks // CELL
            self._added.keep(block, row, begun[keep : keep + 1].copy(), CELL, ahead)
        else:
            begun[:] = (np.arange(first, last + 1) - began) * self._cell * values[0, DENSITY]
        speed = self._travel.speeds(moments)[0]
        travelled = np.empty(0) if self._travel.steady else self._travel.at(moments)[0]
        most = int(begun[-1] - begun[0]) + 2
        out = np.empty((most, COLUMNS))
        count = find_grains(
            values,
            begun,
            float(span.times[0]),
            float(span.times[-1]),
            first,
            self._cell,
            voice.start,
            travelled,
            speed,
            self.recording.frames,
            float(self.recording.rate),
            float(self.rate),
            np.uint64(derive(self.seed, voice.seed)),
            out,
        )
        return out[:count]

    def _advance(self, added: NDArray[np.float64], moments: Moments, pitch: Floats) -> None:
        density = self._trajectories[DENSITY].values(moments)[0]
        added[0] = add_density(float(added[0]), density, self._cell, np.empty(0))

    def picture(self, portrait: Portrait) -> Shown:
        """Grains over the whole length ``[grains, 5]``, at most `SHOWN` of them.

        Onset and length in seconds, place in the recording and reach there (below 0 where it
        runs backwards) as shares of it, and level in dB.
        """
        if self.recording is None:
            return {"grains": np.empty((0, 5), np.float32)}
        found: list[Floats] = []
        each = max(2, SHOWN // len(portrait.moments))
        for _, block in portrait.blocks(CELL):
            grains = self.grains(block, 0, self._back)
            found.append(grains[:: max(1, len(grains) // each)][:each])
        whole = np.concatenate(found) if found else np.empty((0, COLUMNS))
        # One grain may have been seen at two moments.
        _, once = np.unique(whole[:, 7], return_index=True)
        return {"grains": self.shown(whole[once])}

    def close_up(self, block: SourceBlock) -> Shown:
        """All grains of all voices that sound in the block, see `picture`."""
        if self.recording is None or not block.voices:
            return {"grains": np.empty((0, 5), np.float32)}
        rows = [self.grains(block, row, self._back) for row in range(len(block.voices))]
        return {"grains": self.shown(np.concatenate(rows))}

    def shown(self, grains: Floats) -> NDArray[np.float32]:
        """Grains as their picture shows them ``[grains, 5]``, see `picture`."""
        assert self.recording is not None
        reach = grains[:, 1] * grains[:, 3] * self.rate / self.recording.frames
        place = grains[:, 2] / self.recording.frames
        return np.stack([grains[:, 0], grains[:, 1], place, reach, grains[:, 8]], axis=1).astype(
            np.float32
        )

    def render_each(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """See `InUnison.render_each`."""
        if self.recording is None:
            return
        levels = self.recording.mono
        size = np.float32(VOICE_RMS / max(self.recording.level, 1e-6))
        for row in range(len(block.voices)):
            grains = self.grains(block, row, self._back)
            grains[:, 5:7] *= size
            add_grains(
                grains,
                levels.flat[0],
                levels.starts,
                levels.ratios,
                levels.frames,
                block.span.first * TICK,
                self.rate,
                out[row],
            )
