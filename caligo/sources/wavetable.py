"""The wavetable source: cycles read at any pitch, position interpolated, in unison."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, register
from caligo.document.sound import Part
from caligo.movement.block import SourceBlock
from caligo.movement.chance import derive, unit
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Trajectory
from caligo.signal.exponential import exp2_near
from caligo.signal.pan import placed
from caligo.signal.ticks import TICK
from caligo.synthesis.common import unison, unison_parameters, voice_parameters
from caligo.synthesis.phases import Accumulated, Phases, first_tick
from caligo.synthesis.portrait import Portrait, Shown
from caligo.synthesis.recent import Recent
from caligo.synthesis.source import Source
from caligo.synthesis.straying import Straying
from caligo.synthesis.tables import EVOLVING, LENGTH, RECIPES, Table, built_in, cut_from
from caligo.synthesis.warps import CELL, WARPS, warped

CUT = "cut"
POINTS = 128
"""Points of a cycle in a picture."""

INDEX_SHIFT = np.uint32(32 - (LENGTH - 1).bit_length())
"""A phase of 32 bits holds the place in the cycle above this bit, and a fraction below."""
FRACTION = np.uint32((1 << int(INDEX_SHIFT)) - 1)
FRACTION_STEP = np.float32(1.0 / (1 << int(INDEX_SHIFT)))
ONE = np.uint64(1)
TURN = 4294967296.0
STEADY_SLOPE = 2.0**30 / (TURN * TICK * TICK)
"""The square term of the phase must fit into 31 bits for the quick kernel."""


@njit(cache=True, nogil=True)
def _level_for(limits: np.ndarray, step: float) -> int:
    """The fullest level whose highest partial stays below half the sample rate."""
    for level in range(len(limits)):
        if limits[level] * step < 0.5:
            return level
    return len(limits) - 1


@njit(cache=True, nogil=True)
def spread_phases(
    phase: np.ndarray,
    detune: float,
    offsets: np.ndarray,
    intervals: np.ndarray,
    starts: np.ndarray,
    at_ticks: np.ndarray,
) -> None:
    """Phases ``[oscillators, ticks]`` of detuned oscillators from a voice's cycles ``[ticks]``."""
    for o in range(len(offsets)):
        ratio = np.exp2((detune * offsets[o] + intervals[o]) / 1200.0)
        for k in range(len(phase)):
            p = starts[o] + phase[k] * ratio
            at_ticks[o, k] = p - math.floor(p)


@njit(cache=True, nogil=True)
def add_phases(
    phase: np.ndarray,
    step: np.ndarray,
    detune: np.ndarray,
    offsets: np.ndarray,
    intervals: np.ndarray,
    pace: np.ndarray,
    at_ticks: np.ndarray,
) -> None:
    """Add up each oscillator's phase where the detune moves; like `accumulate_phase`.

    `phase` ``[oscillators]`` is carried on; `detune` is in cents at every tick ``[ticks + 1]``,
    `offsets` the share of it that each oscillator takes, `intervals` their own distance from the
    voice in cents, `pace` how much faster each runs than it is tuned ``[oscillators, ticks + 1]``,
    or nothing, `at_ticks` ``[oscillators, ticks]``.
    """
    strays = len(pace) > 0
    count = len(phase)
    # Cycles in a tick without detune, whose ratio lies near 1.
    base = 0.5 * TICK * np.exp2(intervals / 1200.0)
    octaves = offsets / 1200.0
    here = np.empty(count)
    for o in range(count):
        here[o] = step[0] * base[o] * exp2_near(detune[0] * octaves[o])
        if strays:
            here[o] *= 1.0 + pace[o, 0]
    for k in range(len(step) - 1):
        if at_ticks.shape[1] > 0:
            for o in range(count):
                at_ticks[o, k] = phase[o]
        next_step, next_detune = step[k + 1], detune[k + 1]
        for o in range(count):
            there = next_step * base[o] * exp2_near(next_detune * octaves[o])
            if strays:
                there *= 1.0 + pace[o, k + 1]
            p = phase[o] + (here[o] + there)
            phase[o] = p - math.floor(p)
            here[o] = there


@njit(cache=True, nogil=True)
def _tick(
    flat: np.ndarray,
    first: np.uint64,
    second: np.uint64,
    p: np.uint32,
    q: np.uint32,
    bend: np.float32,
    blend: np.float32,
    blend_step: np.float32,
    gains: np.ndarray,
    left: np.ndarray,
    right: np.ndarray,
    at: np.uint64,
    places: np.ndarray,
    scratch: np.ndarray,
) -> None:
    """One oscillator over a tick, between the cycles that begin at ``flat[first]``, ``[second]``.

    It is added to ``left[at:]`` and ``right[at:]``.

    `p` and `q` are phase and step in units of 2**-32 cycles, `bend` the square term in the same
    units; `gains` holds both gains and their steps ``[4]``. The work is split into short loops
    over `places` ``[TICK]`` and `scratch` ``[6 * TICK]``, for without that the compiler cannot
    tell the reads from the writes, and does not turn the arithmetic into vector instructions.
    """
    for n in range(TICK):
        x = np.float32(n)
        turn = np.uint32(p + np.uint32(n) * q + np.uint32(np.int32(x * x * bend)))
        places[n] = np.uint32(turn >> INDEX_SHIFT)
        scratch[n] = np.float32(np.int32(turn & FRACTION)) * FRACTION_STEP
    for n in range(TICK):
        i = first + np.uint64(places[n])
        j = second + np.uint64(places[n])
        scratch[TICK + n] = flat[i]
        scratch[2 * TICK + n] = flat[i + ONE]
        scratch[3 * TICK + n] = flat[j]
        scratch[4 * TICK + n] = flat[j + ONE]
    for n in range(TICK):
        f = scratch[n]
        a = scratch[TICK + n]
        a += f * (scratch[2 * TICK + n] - a)
        b = scratch[3 * TICK + n]
        b += f * (scratch[4 * TICK + n] - b)
        scratch[5 * TICK + n] = a + (blend + np.float32(n) * blend_step) * (b - a)
    g, g_step, h, h_step = gains[0], gains[1], gains[2], gains[3]
    for n in range(np.uint64(TICK)):
        left[at + n] += scratch[5 * TICK + n] * (g + np.float32(n) * g_step)
    for n in range(np.uint64(TICK)):
        right[at + n] += scratch[5 * TICK + n] * (h + np.float32(n) * h_step)


@njit(cache=True, nogil=True)
def _quick_tick(
    cycles: np.ndarray,
    level: int,
    phase: float,
    step: float,
    slope: float,
    position: float,
    position_slope: float,
    gains: np.ndarray,
    out: np.ndarray,
    at: int,
) -> None:
    """Like `_tick` where pitch or position move too fast for it: across several cycles."""
    frames, length = cycles.shape[1], cycles.shape[2] - 1
    for n in range(TICK):
        x = phase + n * step + n * n * slope
        x = (x - math.floor(x)) * length
        i = int(x)
        f = np.float32(x - i)
        where = position + n * position_slope
        row = min(int(where), frames - 1)
        next_row = min(row + 1, frames - 1)
        a = cycles[level, row, i]
        a += f * (cycles[level, row, i + 1] - a)
        b = cycles[level, next_row, i]
        b += f * (cycles[level, next_row, i + 1] - b)
        a += np.float32(where - row) * (b - a)
        out[0, at + n] += a * (gains[0] + np.float32(n) * gains[1])
        out[1, at + n] += a * (gains[2] + np.float32(n) * gains[3])


@njit(cache=True, nogil=True)
def render_voice(
    cycles: np.ndarray,
    limits: np.ndarray,
    phases: np.ndarray,
    step: np.ndarray,
    detune: np.ndarray,
    offsets: np.ndarray,
    intervals: np.ndarray,
    pace: np.ndarray,
    position: np.ndarray,
    left: np.ndarray,
    right: np.ndarray,
    out: np.ndarray,
) -> None:
    """One voice's oscillators, added to `out` ``[2, samples]``.

    Parameters
    ----------
    cycles, limits
        A `caligo.synthesis.tables.Table`.
    phases
        Cycles at the start of every tick ``[oscillators, ticks]``.
    step, detune, position
        Cycles per sample, cents, and table frame at every tick ``[ticks + 1]``.
    pace
        How much faster each runs than it is tuned ``[oscillators, ticks + 1]``, or nothing.
    left, right
        Gains at every tick ``[oscillators, ticks + 1]``.
    """
    frames, length = cycles.shape[1], cycles.shape[2]
    flat = cycles.reshape(-1)
    to_left, to_right = out[0], out[1]
    gains = np.empty(4, np.float32)
    places = np.empty(TICK, np.uint32)
    scratch = np.empty(6 * TICK, np.float32)
    for o in range(phases.shape[0]):
        ratio = np.exp2((detune[0] * offsets[o] + intervals[o]) / 1200.0)
        for k in range(phases.shape[1]):
            from_step = step[k] * ratio
            if detune[k + 1] != detune[k]:
                ratio = np.exp2((detune[k + 1] * offsets[o] + intervals[o]) / 1200.0)
            to_step = step[k + 1] * ratio
            if len(pace) > 0:
                from_step *= 1.0 + pace[o, k]
                to_step *= 1.0 + pace[o, k + 1]
            level = _level_for(limits, max(from_step, to_step))
            gains[0] = left[o, k]
            gains[1] = (left[o, k + 1] - left[o, k]) / TICK
            gains[2] = right[o, k]
            gains[3] = (right[o, k + 1] - right[o, k]) / TICK
            slope = (to_step - from_step) / (2 * TICK)
            first = min(int(position[k]), frames - 1)
            position_slope = (position[k + 1] - position[k]) / TICK
            if first <= position[k + 1] <= first + 1 and abs(slope) < STEADY_SLOPE:
                row = level * frames
                _tick(
                    flat,
                    np.uint64((row + first) * length),
                    np.uint64((row + min(first + 1, frames - 1)) * length),
                    np.uint32(phases[o, k] * TURN),
                    np.uint32(from_step * TURN),
                    np.float32(slope * TURN),
                    np.float32(position[k] - first),
                    np.float32(position_slope),
                    gains,
                    to_left,
                    to_right,
                    np.uint64(k * TICK),
                    places,
                    scratch,
                )
            else:
                _quick_tick(
                    cycles,
                    level,
                    phases[o, k],
                    from_step,
                    slope,
                    position[k],
                    position_slope,
                    gains,
                    out,
                    k * TICK,
                )


@register(
    Module(
        family="source",
        kind="wavetable",
        category="Oscillators",
        groups=(("Table", "table cut position warp warp_amount"),),
        name="Wavetable",
        help="Single cycles played at any pitch; evolving tables change along their position.",
        parameters=(
            Parameter(
                "table",
                "Table",
                "The row of cycles it plays.",
                default="saw",
                kind=Kind.CHOICE,
                choices=(
                    *(Choice(k, name) for k, (name, _, _) in RECIPES.items()),
                    Choice(CUT, "Cut from material"),
                ),
            ),
            Parameter(
                "cut",
                "Cut table",
                "A table that was cut from a recording or a picture.",
                default="",
                kind=Kind.REFERENCE,
                of="table",
                when=("table", (CUT,)),
            ),
            Parameter(
                "position",
                "Position",
                "Where in an evolving table it reads.",
                unit="%",
                high=100.0,
                default=0.0,
                moves=Moves.PER_NOTE,
                when=("table", (*EVOLVING, CUT)),
            ),
            Parameter(
                "warp",
                "Warp",
                "How the pace through each cycle is bent.",
                default="none",
                kind=Kind.CHOICE,
                choices=WARPS,
            ),
            Parameter(
                "warp_amount",
                "Warp amount",
                "How far it is bent; below zero a bend leans the other way.",
                unit="%",
                low=-100.0,
                high=100.0,
                moves=Moves.PER_NOTE,
                when=("warp", tuple(w.value for w in WARPS[1:])),
            ),
            *voice_parameters(),
            *unison_parameters(),
        ),
        picture="cycles",
    )
)
class Wavetable(Source):
    """Renders unison oscillators over one table."""

    def __init__(self, *args: object) -> None:
        super().__init__(*args)  # type: ignore[arg-type]
        self._table = _table_of(self.part)
        self._trajectories: dict[str, Trajectory] = {
            key: self.movement.trajectory(f"{self.path}.{key}")
            for key in ("position", "warp_amount", "fine", "level", "detune", "spread")
        }
        self._offsets, self._intervals = unison(self.part, self.seed)
        self._straying = Straying(self.part, self.seed)
        self._phases = Phases(self._trajectories["fine"], self.rate)
        self._phases_added = Accumulated()
        self._begun: dict[int, NDArray[np.float64]] = {}
        self._recent: Recent[NDArray[np.float32]] = Recent()
        self.prepare()

    def prepare(self) -> None:
        """See `Source.prepare`."""
        self._recent.clear()
        bent = self._trajectories["warp_amount"].acts
        self._warp = [w.value for w in WARPS].index(self.part.text("warp")) if bent else 0

    def _starts(self, seed: int) -> NDArray[np.float64]:
        """The phases with which a voice's oscillators begin ``[oscillators]``."""
        if seed not in self._begun:
            scatter = self.part.number("scatter") / 100.0
            own = np.uint64(derive(self.seed, seed))
            if len(self._begun) > 256:
                self._begun.clear()
            self._begun[seed] = np.array(
                [scatter * unit(own, o) for o in range(len(self._offsets))]
            )
        return self._begun[seed]

    def _paces(self, seed: int, times: Floats) -> Floats:
        """How much faster a voice's oscillators run ``[oscillators, times]``; nothing if none is.

        `seed` is the voice's.
        """
        if not self._straying.acts:
            return np.empty((0, 0))
        return np.stack([self._straying.at(seed, o, times)[1] for o in range(len(self._offsets))])

    def _oscillator_phases(
        self, block: SourceBlock, row: int, step: Floats, detune: Floats, pace: Floats
    ) -> Floats:
        """The phase of every oscillator at the start of every tick ``[oscillators, ticks]``."""
        seed = block.voices[row].seed
        strays = self._straying.acts

        def advance(added: NDArray[np.float64], moments: Moments, pitch: Floats) -> None:
            add_phases(
                added,
                self._phases.steps(moments, pitch)[0],
                self._trajectories["detune"].values(moments)[0],
                self._offsets,
                self._intervals,
                self._paces(seed, moments.times),
                np.empty((len(added), 0)),
            )

        span, starts = block.span, self._starts(block.voices[row].seed)
        wait = min(max(0, first_tick(block, row) - span.first), span.ticks)
        at_ticks = np.zeros((len(self._offsets), span.ticks))
        at_ticks[:, :wait] = starts[:, None]
        own = at_ticks[:, wait:]
        moved = self._trajectories["detune"].moved
        if moved or (strays and not self._phases.steady(block, row)):
            phase = self._phases_added.up_to(block, row, starts, advance)
            add_phases(
                phase, step[wait:], detune[wait:], self._offsets, self._intervals,
                pace[:, wait:], own,
            )  # fmt: skip
            self._phases_added.keep(block, row, phase)
            return at_ticks
        phase = self._phases.over(block, row, step)[wait:-1]
        spread_phases(phase, detune[0], self._offsets, self._intervals, starts, own)
        if strays and wait < span.ticks:
            began = first_tick(block, row)
            ticks = np.append(np.arange(span.first + wait, span.first + span.ticks), began)
            for o, cents in enumerate(detune[0] * self._offsets + self._intervals):
                ahead, _ = self._straying.at(seed, o, ticks * (TICK / self.rate))
                cycles = step[0] * 2.0 ** (cents / 1200.0) * self.rate
                own[o] = (own[o] + cycles * (ahead[:-1] - ahead[-1])) % 1.0
        return at_ticks

    def _warped(self, block: SourceBlock, row: int) -> tuple[Table, Floats]:
        """The warped cycles of a voice, one for each border of a cell, and the way through them."""
        span = block.span
        first, last = span.first // CELL, -(-(span.first + span.ticks) // CELL)
        made = self._recent.of(block, row, first)
        begin = max(made, default=first - 1) + 1
        if begin <= last:
            # One border more on either side: the fastest step around each decides its cut.
            moments, pitch = block.history(row, (begin - 1) * CELL, (last - begin + 2) * CELL, CELL)
            octaves = (
                self._trajectories["detune"].values(moments)[0] + self._intervals.max()
            ) / 1200.0
            octaves = octaves + self._straying.most
            fastest = self._phases.steps(moments, pitch)[0] * np.exp2(octaves)
            frames = self._table.cycles.shape[1]
            inner = slice(1, -1)
            cycles = warped(
                self._table,
                self._trajectories["position"].values(moments)[0, inner] * ((frames - 1) / 100.0),
                self._warp,
                self._trajectories["warp_amount"].values(moments)[0, inner] / 100.0,
                np.maximum(np.maximum(fastest[:-2], fastest[2:]), fastest[inner]),
            )
            made.update(zip(range(begin, last + 1), cycles, strict=True))
        joined = np.stack([made[number] for number in range(first, last + 1)])[None]
        ticks = np.arange(span.first, span.first + span.ticks + 1) / CELL - first
        return Table(joined, np.array([1], dtype=np.int64)), ticks

    def picture(self, portrait: Portrait) -> Shown:
        """The cycle that is read at every moment ``[moments, POINTS]``, from -127 to 127."""
        cycles = np.zeros((len(portrait.moments), POINTS), np.int8)
        index = {moment: i for i, moment in enumerate(portrait.moments)}
        where = (np.arange(POINTS) * LENGTH) // POINTS
        for moment, block in portrait.blocks(1):
            table, place = self._table, self._trajectories["position"].values(block.moments)[0, 0]
            at = place * (self._table.cycles.shape[1] - 1) / 100.0
            if self._warp:
                table, ticks = self._warped(block, 0)
                at = ticks[0]
            first = min(int(at), table.cycles.shape[1] - 1)
            second = min(first + 1, table.cycles.shape[1] - 1)
            low, high = (table.cycles[0, row, where] for row in (first, second))
            cycle = low + (at - first) * (high - low)
            cycles[index[moment]] = np.round(127.0 * cycle / max(np.abs(cycle).max(), 1e-9))
        return {"cycles": cycles}

    def save_state(self) -> dict[str, Any]:
        """See `Source.save_state`: what moving pitches have added up to."""
        return {"pitch": self._phases.accumulated.copy(), "phases": self._phases_added.copy()}

    def restore_state(self, state: dict[str, Any]) -> None:
        """See `Source.restore_state`."""
        self._phases.accumulated.take(state["pitch"])
        self._phases_added.take(state["phases"])

    def render(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """See `Source.render`."""
        moments = block.moments
        steps = self._phases.steps(moments, block.pitch)
        detune = self._trajectories["detune"].values(moments)
        frames = self._table.cycles.shape[1]
        position = self._trajectories["position"].values(moments) * ((frames - 1) / 100.0)
        gain = 10.0 ** (self._trajectories["level"].values(moments) / 20.0) / math.sqrt(
            len(self._offsets)
        )
        spread = self._trajectories["spread"].values(moments) / 100.0
        for row in range(len(block.voices)):
            left, right = placed(self._offsets, spread[row], gain[row])
            table, places = self._table, position[row]
            pace = self._paces(block.voices[row].seed, moments.times)
            if self._warp:
                table, places = self._warped(block, row)
            render_voice(
                table.cycles,
                table.limits,
                self._oscillator_phases(block, row, steps[row], detune[row], pace),
                steps[row],
                detune[row],
                self._offsets,
                self._intervals,
                pace,
                places,
                left,
                right,
                out[row],
            )


def _table_of(part: Part) -> Table:
    """The table that a part names; a sine where it names one that is not there."""
    kind = part.text("table")
    return cut_from(part.text("cut")) if kind == CUT else built_in(kind)
