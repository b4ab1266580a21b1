"""The grain source: a recording heard through many short windows."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.document.pitch import frequency
from caligo.movement.block import SourceBlock
from caligo.movement.chance import derive
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Bundle
from caligo.signal.ticks import TICK
from caligo.synthesis.common import unison_parameters, voice_parameters
from caligo.synthesis.drawing import (
    SINCS,
    evened_parameter,
    evening,
    follow_parameter,
    recording_of,
    recording_parameter,
)
from caligo.synthesis.grain_cloud import (
    COLUMNS,
    DENSITY,
    LONGEST,
    MOVED,
    SIZE,
    SIZE_SCATTER,
    TIME_SCATTER,
    TUNED,
    add_density,
    add_grains,
    find_grains,
)
from caligo.synthesis.phases import Accumulated, first_tick
from caligo.synthesis.portrait import Portrait, Shown
from caligo.synthesis.unison import InUnison

CELL = 16
"""Control ticks between two looks at the parameters; densities go in lines between."""
SHOWN = 1500
"""Grains in a picture of the whole length."""


def _moved(key: str, name: str, help: str, unit: str, **more: Any) -> Parameter:
    return Parameter(key, name, help, unit=unit, moves=Moves.PER_NOTE, **more)


def _percentage(key: str, name: str, help: str, default: float = 0.0) -> Parameter:
    return _moved(key, name, help, "%", high=100.0, default=default)


@register(
    Module(
        family="source",
        kind="grains",
        category="Recordings",
        groups=(
            ("Recording", "recording position travel follow evened"),
            ("Grains", "density size pitch reverse window pan"),
            ("Scatter", "position_scatter time_scatter size_scatter pitch_scatter level_scatter "
             "pan_scatter"),
        ),
        name="Grains",
        help="A recording heard through many short windows, from single grains to a wash.",
        parameters=(
            recording_parameter("What the grains are taken from."),
            _percentage("position", "Position", "Where in the recording grains begin.", 20.0),
            Parameter("travel", "Scan speed", "How far the position moves on in a minute; it comes "
                      "round at the end.", unit="%/min", low=-600.0, high=600.0, default=5.0,
                      moves=Moves.PER_NOTE),
            _moved("density", "Density", "Grains that begin in a second.", "Hz", low=0.1,
                   high=400.0, default=24.0, scale=Scale.LOGARITHMIC),
            _moved("size", "Size", "How long each grain lasts.", "s", low=0.001, high=4.0,
                   default=0.25, scale=Scale.LOGARITHMIC),
            _moved("pitch", "Pitch", "Transposes the grains.", "st", low=-36.0, high=36.0),
            _percentage("reverse", "Backwards", "How many of the grains run backwards."),
            _percentage("window", "Window", "From smooth to flat: how hard grains begin and end."),
            _moved("pan", "Pan", "Where the grains are heard.", "%", low=-100.0, high=100.0),
            *voice_parameters(),
            follow_parameter(),
            evened_parameter(),
            _percentage("position_scatter", "Position scatter", "How far grains begin elsewhere.",
                   10.0),
            _percentage("time_scatter", "Time scatter", "How irregularly grains begin.", 80.0),
            _percentage("size_scatter", "Size scatter", "How differently long they are.", 20.0),
            _moved("pitch_scatter", "Pitch scatter", "How far grains are out of tune.", "st",
                   high=24.0),
            _moved("level_scatter", "Level scatter", "How much softer some are.", "dB",
                   high=36.0, default=6.0),
            *unison_parameters(scatter=False),
            _percentage("pan_scatter", "Pan scatter", "How far apart grains are heard.", 70.0),
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
            if block.preview:
                before[0] = values[0, DENSITY] * (first - began) * self._cell
            density = np.ascontiguousarray(values[:, DENSITY])
            begun[-1] = add_density(float(before[0]), density, self._cell, begun)
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
        runs backwards) as fractions of it, and level in dB.
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
        size = np.float32(evening(self.part, self.recording))
        for row in range(len(block.voices)):
            grains = self.grains(block, row, self._back)
            grains[:, 5:7] *= size
            add_grains(
                grains,
                levels.flat[0],
                levels.starts,
                levels.ratios,
                levels.frames,
                SINCS,
                block.span.first * TICK,
                self.rate,
                out[row],
            )
