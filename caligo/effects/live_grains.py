"""Live grains: what plays, heard again through many short windows.

The loop is closed within a sample: grains are read before what they are fed back into is written.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.document.sound import EffectPart
from caligo.kernels import CONTRACT, device, kernel
from caligo.movement.block import Block
from caligo.movement.chance import derive, text_seed
from caligo.movement.movement import Movement
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.grains_of_ring import (
    COLUMNS,
    DENSITY,
    LATEST,
    LONGEST,
    MOST,
    VALUES,
    add_grains,
    begin_grain,
)
from caligo.processing.processor import Signal, State
from caligo.signal.delay_line import ring_size
from caligo.signal.one_tick import give_tick, take_tick
from caligo.signal.ring_pyramid import NEWEST, STRETCH, ring_shape, write_tick
from caligo.signal.soft_ceiling import below_ceiling
from caligo.signal.ticks import TICK

FARTHEST = 10.0
"""Seconds that are remembered."""
FADE = 8
"""Ticks in which it stops to listen, and begins again: 11 ms at 48 kHz."""
FEEDBACK, FREEZE, DIRECT, WET = range(len(VALUES), len(VALUES) + 4)
"""The rows of what the kernel is given behind `VALUES`: the last two are gains."""
COUNT, HEAD, GATE = range(3)
"""Of the state: grains that sound or wait, the sample that is written next, and how far it listens,
from 0 to 1."""


@device(fastmath=CONTRACT)
def _fed(
    dry: np.ndarray, made: np.ndarray, feedback: np.ndarray, gate: np.ndarray, out: np.ndarray
) -> None:
    """What is written, into `out` ``[2, TICK]``: what comes in and what is fed back.

    `feedback` and `gate` are fractions at the tick's beginning, and their steps ``[2]``. What goes
    round for ever stays below a ceiling of its own.
    """
    back, back_step = np.float32(feedback[0]), np.float32(feedback[1])
    opens, opens_step = np.float32(gate[0]), np.float32(gate[1])
    for c in range(2):
        given, again, to = dry[c], made[c], out[c]
        for n in range(TICK):
            at = np.float32(n)
            fed = given[n] + (back + at * back_step) * again[n]
            to[n] = below_ceiling((opens + at * opens_step) * fed)


@kernel(
    "f4[:, ::1], f8[:, ::1], f8[::1], u8, f8, f4[:, :, ::1], f8[:, ::1], f8[::1], f4[:, :, ::1], "
    "f4[:, ::1], u4[:, ::1], f8[::1]"
)
def _run(
    signal: np.ndarray,
    values: np.ndarray,
    begun: np.ndarray,
    seed: np.uint64,
    rate: float,
    rings: np.ndarray,
    grains: np.ndarray,
    kept: np.ndarray,
    scratch: np.ndarray,
    stretch: np.ndarray,
    places: np.ndarray,
    now: np.ndarray,
) -> None:
    """Granulate `signal` ``[2, samples]`` in place.

    Parameters
    ----------
    values
        `VALUES`, feedback and freeze as fractions, and the gains of the direct signal and of the
        grains, at every tick ``[16, ticks + 1]``.
    begun
        Grains begun since the start of the cue at every tick ``[ticks + 1]``.
    rings, grains, kept
        The state: see `caligo.signal.ring_pyramid`, `caligo.processing.grains_of_ring` and `COUNT`.
    scratch, stretch, places, now
        Scratch memory for what happens in a tick ``[4, 2, TICK]``, in a ring ``[3, STRETCH]``, for
        places ``[2, TICK]`` and for the values of a moment and steps ``[20]``.
    """
    dry, made, read, fed = scratch[0], scratch[1], scratch[2], scratch[3]
    back, opens = now[len(values) : len(values) + 2], now[len(values) + 2 :]
    for k in range(len(begun) - 1):
        take_tick(signal, k, dry)
        for v in range(len(values)):
            now[v] = values[v, k]
        gate = kept[GATE]
        wanted = 0.0 if now[FREEZE] >= 0.5 else 1.0
        to_gate = gate + min(max(wanted - gate, -1.0 / FADE), 1.0 / FADE)
        moves = gate > 0.0 or to_gate > 0.0
        count, head = int(kept[COUNT]), int(kept[HEAD])
        number = math.ceil(begun[k])
        while number < begun[k + 1] and count < MOST:
            wait = TICK * (number - begun[k]) / (begun[k + 1] - begun[k])
            begin_grain(now, seed, number, wait, rate, grains[count])
            count += 1
            number += 1
        for c in range(2):
            for n in range(TICK):
                made[c, n] = np.float32(0.0)
        kept[COUNT] = add_grains(grains, count, rings, head, moves, places, read, made)
        if moves:
            back[0], back[1] = now[FEEDBACK], (values[FEEDBACK, k + 1] - now[FEEDBACK]) / TICK
            opens[0], opens[1] = gate, (to_gate - gate) / TICK
            _fed(dry, made, back, opens, fed)
            write_tick(fed, rings, head, stretch)
            kept[HEAD] = head + TICK
        kept[GATE] = to_gate
        direct, wet = np.float32(now[DIRECT]), np.float32(now[WET])
        direct_step = np.float32((values[DIRECT, k + 1] - now[DIRECT]) / TICK)
        wet_step = np.float32((values[WET, k + 1] - now[WET]) / TICK)
        for c in range(2):
            for n in range(TICK):
                at = np.float32(n)
                own = (direct + at * direct_step) * dry[c, n]
                dry[c, n] = own + (wet + at * wet_step) * made[c, n]
        give_tick(dry, signal, k)


def _moved(key: str, name: str, help: str, unit: str, **more: Any) -> Parameter:
    return Parameter(key, name, help, unit=unit, moves=Moves.SHARED, **more)


def _scatter(key: str, name: str, help: str, unit: str, high: float, default: float) -> Parameter:
    return _moved(key, name, help, unit, high=high, default=default, group="Scatter")


@register(
    Module(
        family="effect",
        kind="live_grains",
        name="Live grains",
        help="Takes grains from the last ten seconds of what plays, and can hold them for good.",
        category="Space",
        seeded=True,
        parameters=(
            _moved("position", "Position", "How far back grains begin.", "s", high=FARTHEST,
                   default=0.4, group="Grains"),
            _moved("density", "Density", "Grains that begin in a second.", "Hz", low=0.1,
                   high=200.0, default=20.0, scale=Scale.LOGARITHMIC, group="Grains"),
            _moved("size", "Size", "How long each grain lasts.", "s", low=0.005, high=LONGEST,
                   default=0.25, scale=Scale.LOGARITHMIC, group="Grains"),
            _moved("pitch", "Pitch", "Transposes the grains.", "st", low=-24.0, high=24.0,
                   group="Grains"),
            shared.percent("reverse", "Backwards", "How many of the grains run backwards.", 0.0,
                           group="Grains"),
            shared.percent("window", "Window", "From smooth to flat: how hard grains begin and "
                           "end.", 0.0, group="Grains"),
            _scatter("position_scatter", "Position scatter", "How much further back some begin.",
                     "s", FARTHEST, 0.3),
            _scatter("time_scatter", "Time scatter", "How irregularly grains begin.", "%", 100.0,
                     80.0),
            _scatter("size_scatter", "Size scatter", "How differently long they are.", "%", 100.0,
                     20.0),
            _scatter("pitch_scatter", "Pitch scatter", "How far grains are out of tune.", "st",
                     24.0, 0.0),
            _scatter("level_scatter", "Level scatter", "How much softer some are.", "dB", 36.0,
                     6.0),
            _scatter("pan_scatter", "Pan scatter", "How far apart grains are heard.", "%", 100.0,
                     60.0),
            shared.percent("feedback", "Feedback", "How much of the grains is granulated again.",
                           0.0, group="Memory"),
            shared.percent("freeze", "Freeze", "From a half on it holds what it heard last and "
                           "listens no more.", 0.0, group="Memory"),
            shared.mix("Grains against the direct signal.", 60.0),
        ),
    )
)  # fmt: skip
class LiveGrains(Effect):
    """A cloud of grains on a ring of what was heard."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self._moved = self.bundle(*VALUES, "feedback", "freeze", "mix")
        self._begun = movement.travel(f"{address}.density", 1.0)
        self._seed = np.uint64(derive(movement.setting.seed, text_seed(address)))
        self._scratch = (
            np.zeros((4, 2, TICK), np.float32),
            np.zeros((3, STRETCH), np.float32),
            np.zeros((2, TICK), np.uint32),
            np.zeros(len(VALUES) + 8),
        )

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        kept = np.zeros(3)
        kept[GATE] = 1.0
        return {
            "rings": np.zeros(ring_shape(ring_size(FARTHEST * self.rate)), np.float32),
            "grains": np.zeros((MOST, COLUMNS)),
            "kept": kept,
        }

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        moved = self._moved.values(block.moments)
        values = np.empty((len(moved) + 1, moved.shape[1]))
        values[: len(VALUES)] = moved[: len(VALUES)]
        values[FEEDBACK:DIRECT] = moved[FEEDBACK:DIRECT] / 100.0
        # What was heard earlier is added in power to what is heard now.
        mix = moved[-1] / 100.0
        values[DIRECT], values[WET] = np.sin(0.5 * np.pi * (1.0 - mix)), np.sin(0.5 * np.pi * mix)
        _run(
            signal,
            values,
            self._begun.at(block.moments.of(self.cue))[0],
            self._seed,
            float(self.rate),
            self.state["rings"],
            self.state["grains"],
            self.state["kept"],
            *self._scratch,
        )

    def tail(self) -> float:
        """See `Processor.tail`: until nothing that was heard is granulated any more."""
        if self.trajectory("freeze").reach()[1] >= 50.0:
            return math.inf
        feedback = self.trajectory("feedback").reach()[1] / 100.0
        if feedback >= 1.0:
            return math.inf
        turns = 1.0 + (math.log(1e-3) / math.log(feedback) if feedback > 1e-3 else 0.0)
        size = self.trajectory("size").reach()[1]
        size = min(LONGEST, size * 4.0 ** (self.trajectory("size_scatter").reach()[1] / 100.0))
        late = self.trajectory("time_scatter").reach()[1] / 100.0
        late = min(LATEST, late / self.trajectory(VALUES[DENSITY]).reach()[0])
        back = sum(self.trajectory(key).reach()[1] for key in ("position", "position_scatter"))
        # A grain may be read from further back than its place, by as much as it lasts and more.
        turn = min(back, FARTHEST) + 2.0 * size + NEWEST / self.rate
        return float(late + 2.0 * size + turns * turn)
