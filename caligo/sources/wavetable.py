"""The wavetable source: cycles read at any pitch, position interpolated, in unison."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, register
from caligo.document.sound import Part
from caligo.movement.block import SourceBlock
from caligo.movement.chance import derive, unit
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Trajectory
from caligo.signal.pan import placed
from caligo.signal.ticks import TICK, at_rate
from caligo.synthesis.common import unison_parameters, voice_parameters
from caligo.synthesis.oscillators import add_phases, render_voice, spread_phases
from caligo.synthesis.phases import FADES, Accumulated, Phases, first_tick, left_of
from caligo.synthesis.portrait import Portrait, Shown
from caligo.synthesis.recent import Recent
from caligo.synthesis.source import Source
from caligo.synthesis.tables import EVOLVING, PLAYED, RECIPES, Table, built_in, cut_from, table_of
from caligo.synthesis.unison_tuning import UnisonTuning
from caligo.synthesis.warps import CELL, WARPS, warped

CUT = "cut"
POINTS = 128
"""Points of a cycle in a picture."""


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

    makes_offset = False

    def __init__(self, *args: object) -> None:
        super().__init__(*args)  # type: ignore[arg-type]
        self._table = _table_of(self.part)
        self._trajectories: dict[str, Trajectory] = {
            key: self.movement.trajectory(f"{self.path}.{key}")
            for key in ("position", "warp_amount", "fine", "level", "detune", "spread")
        }
        self._unison = UnisonTuning(self.part, self.seed, self.movement, self.path)
        self._offsets, self._intervals = self._unison.offsets, self._unison.intervals
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

    def _drifts(self, block: SourceBlock, row: int) -> tuple[Floats, Floats]:
        """How far a voice's oscillators have got ahead since it began, and their pace.

        Seconds and fractions ``[oscillators, ticks + 1]``; nothing where they do not drift, nor of
        seconds where their tuning is moved.
        """
        if not self._unison.drifts:
            return np.empty((0, 0)), np.empty((0, 0))
        seed = block.voices[row].seed
        pace = self._unison.pace(seed, block.moments, row)
        if self._unison.moved:
            return np.empty((0, 0)), pace
        began = first_tick(block, row) * (TICK / self.rate)
        ahead = self._unison.ahead(seed, np.append(block.moments.times, began))
        return ahead[:, :-1] - ahead[:, -1:], pace

    def _oscillator_phases(
        self, block: SourceBlock, row: int, step: Floats, detune: Floats,
        ahead: Floats, pace: Floats,
    ) -> Floats:  # fmt: skip
        """The phase of every oscillator at the start of every tick ``[oscillators, ticks]``."""
        seed = block.voices[row].seed
        drifts = self._unison.drifts

        def advance(added: NDArray[np.float64], moments: Moments, pitch: Floats) -> None:
            add_phases(
                added,
                self._phases.steps(moments, pitch)[0],
                self._trajectories["detune"].values(moments)[0],
                self._offsets,
                self._intervals,
                self._unison.pace(seed, moments, 0) if drifts else pace,
                np.empty((len(added), 0)),
            )

        span, starts = block.span, self._starts(seed)
        wait = min(max(0, first_tick(block, row) - span.first), span.ticks)
        at_ticks = np.zeros((len(self._offsets), span.ticks))
        at_ticks[:, :wait] = starts[:, None]
        own = np.zeros((len(self._offsets), span.ticks - wait))
        if self._unison.moved or (drifts and not self._phases.steady(block, row)):
            phase = self._phases_added.up_to(block, row, starts, advance)
            add_phases(
                phase, step[wait:], detune[wait:], self._offsets, self._intervals,
                np.ascontiguousarray(pace[:, wait:]), own,
            )  # fmt: skip
            self._phases_added.keep(block, row, phase)
            at_ticks[:, wait:] = own
            return at_ticks
        phase = self._phases.over(block, row, step)[wait:-1]
        spread_phases(phase, detune[0], self._offsets, self._intervals, starts, own)
        if drifts:
            cents = detune[0] * self._offsets + self._intervals
            cycles = step[0] * self.rate * np.exp2(cents / 1200.0)
            own += cycles[:, None] * ahead[:, wait:-1]
            own %= 1.0
        at_ticks[:, wait:] = own
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
            octaves = octaves + self._unison.most
            fastest = self._phases.steps(moments, pitch)[0] * np.exp2(octaves)
            frames = self._table.frames
            inner = slice(1, -1)
            cycles = warped(
                self._table,
                self._trajectories["position"].values(moments)[0, inner] * ((frames - 1) / 100.0),
                self._warp,
                self._trajectories["warp_amount"].values(moments)[0, inner] / 100.0,
                np.maximum(np.maximum(fastest[:-2], fastest[2:]), fastest[inner]),
                at_rate(PLAYED, self.rate),
            )
            made.update(zip(range(begin, last + 1), cycles, strict=True))
        joined = np.stack([made[number] for number in range(first, last + 1)])
        ticks = np.arange(span.first, span.first + span.ticks + 1) / CELL - first
        return table_of([joined], [1]), ticks

    def picture(self, portrait: Portrait) -> Shown:
        """The cycle that is read at every moment ``[moments, POINTS]``, from -127 to 127."""
        cycles = np.zeros((len(portrait.moments), POINTS), np.int8)
        index = {moment: i for i, moment in enumerate(portrait.moments)}
        for moment, block in portrait.blocks(1):
            table, place = self._table, self._trajectories["position"].values(block.moments)[0, 0]
            at = place * (self._table.frames - 1) / 100.0
            if self._warp:
                table, ticks = self._warped(block, 0)
                at = ticks[0]
            first = min(int(at), table.frames - 1)
            second = min(first + 1, table.frames - 1)
            low, high = table.thinned(POINTS)[[first, second]]
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
        frames = self._table.frames
        position = self._trajectories["position"].values(moments) * ((frames - 1) / 100.0)
        gain = 10.0 ** (self._trajectories["level"].values(moments) / 20.0) / math.sqrt(
            len(self._offsets)
        )
        spread = self._trajectories["spread"].values(moments) / 100.0
        for row in range(len(block.voices)):
            left, right = placed(self._offsets, spread[row], gain[row])
            own = np.exp2(
                (detune[row] * self._offsets[:, None] + self._intervals[:, None]) / 1200.0
            )
            if (fastest := steps[row] * own).max() > FADES:
                left, right = left * left_of(fastest), right * left_of(fastest)
            table, places = self._table, position[row]
            ahead, pace = self._drifts(block, row)
            if self._warp:
                table, places = self._warped(block, row)
            render_voice(
                table.flat,
                table.bits,
                table.starts,
                table.frames,
                table.limits,
                self._oscillator_phases(block, row, steps[row], detune[row], ahead, pace),
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
