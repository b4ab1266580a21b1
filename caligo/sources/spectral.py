"""The spectral source: a recording's short-time spectrum at any speed down to standing still."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import fft

from caligo.catalogue import Choice, Items, Kind, Module, Moves, Parameter, Scale, register
from caligo.document.pitch import frequency
from caligo.document.sound import ItemPart
from caligo.movement.block import TICK, Block
from caligo.movement.chance import derive
from caligo.movement.notes import Floats
from caligo.movement.routes import Frame
from caligo.sources import resynthesis as columns
from caligo.sources.analysis import BINS, HOP, SIZE, WINDOW, Analysis, analysis_of
from caligo.sources.common import unison_parameters, voice_parameters
from caligo.sources.drawing import follow_parameter, recording_of, recording_parameter
from caligo.sources.portrait import Portrait, Shown
from caligo.sources.recent import Recent
from caligo.sources.resynthesis import VALUES, advance_frame, begin_phases, to_spectrum
from caligo.sources.source import VOICE_RMS
from caligo.sources.turns import Added, first_tick
from caligo.sources.unison import InUnison

CELL = HOP // TICK
"""Control ticks between frames."""
BEFORE = SIZE // HOP // 2
"""Frames around a moment that reach into it, on either side."""
MOVED = (
    "position", "travel", "blur", "balance", "threshold", "shift", "pitch", "stretch",
    "formants", "scatter", "width", "fine", "level",
)  # fmt: skip
COHERENT = 2.0 / 3.0
"""Squared Hann windows a quarter apart add up to 1.5."""
SCATTERED = 1.35
"""Random phases spread a frame's energy over all of it; this makes up for the window."""


def _moved(key: str, name: str, help: str, unit: str, **more: Any) -> Parameter:
    return Parameter(key, name, help, unit=unit, moves=Moves.PER_NOTE, **more)


def _moment(key: str, name: str, help: str, default: float) -> Parameter:
    return Parameter(key, name, help, unit="s", high=1200.0, default=default)


KEPT_BACK = (BEFORE - 1) * CELL
"""Ticks before a block's end at which its phases are kept for an edit."""


class Spectrum(NamedTuple):
    """A frame's phases and travel before and after it, and its wave ``[2, SIZE]``."""

    before: NDArray[np.float64]
    after: NDArray[np.float64]
    wave: NDArray[np.float32]


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


@register(
    Module(
        family="source",
        kind="spectral",
        name="Spectral",
        help="A recording's spectrum, played at any speed down to frozen, and taken apart.",
        parameters=(
            recording_parameter("The recording whose spectrum is played, up to two minutes."),
            _moved("position", "Position", "Where in the recording it begins.", "%", high=100.0,
                   default=30.0),
            _moved("travel", "Travel", "How fast it moves on: 0 stands still, 1 as recorded.",
                   "×", high=4.0, default=0.05),
            _moved("blur", "Blur", "Averages the spectrum over a stretch of time.", "s",
                   high=8.0),
            _moved("balance", "Tone or noise", "−100 leaves noise and strokes, +100 leaves tones.",
                   "%", low=-100.0, high=100.0),
            _moved("threshold", "Threshold", "Removes what is softer than the loudest by this.",
                   "dB", low=-80.0, high=0.0, default=-80.0),
            _moved("shift", "Shift", "Moves all frequencies by the same amount.", "Hz",
                   low=-2000.0, high=2000.0),
            _moved("pitch", "Pitch", "Transposes.", "st", low=-36.0, high=36.0),
            _moved("stretch", "Stretch", "Widens, or narrows, every octave of the spectrum.",
                   "ct/oct", low=-400.0, high=400.0),
            _moved("formants", "Formants kept", "Keeps the outline where it was recorded.", "%",
                   high=100.0),
            _moved("scatter", "Phase scatter", "From phases that run on to random ones: from "
                   "clear tones to a breath.", "%", high=100.0, default=20.0),
            _moved("width", "Width", "How far left and right differ.", "%", high=100.0,
                   default=60.0),
            *voice_parameters(),
            follow_parameter(),
            *unison_parameters(scatter=False),
        ),
        items=(Items("region", 0, 32),),
        picture="regions",
    )
)  # fmt: skip
class Spectral(InUnison):
    """Renders spectra on an absolute grid of frames."""

    def __init__(self, *args: object) -> None:
        super().__init__(*args)
        self.recording = recording_of(self.part)
        self._tracks = {key: self.movement.track(f"{self.path}.{key}") for key in MOVED}
        self._follow = self.part.switch("follow")
        self._added = Added()
        self._empty = np.empty((0, 0), np.float32)
        self._recent: Recent[Spectrum] = Recent()
        self._beginnings: dict[int, tuple[NDArray[np.float64], NDArray[np.float64]]] = {}
        if self.recording is not None:
            self._analysis = analysis_of(self.recording)
            self._mask = region_mask(self.part.of_kind("region"), self._analysis)
            balance = self._tracks["balance"]
            whole = not balance.moved and balance.base == 0.0
            self._tonal = self._empty if whole else self._analysis.tonal
            blur = self._tracks["blur"]
            sharp = not blur.moved and blur.base == 0.0
            self._summed = self._empty if sharp else self._analysis.summed

    def kept(self) -> dict[str, Any]:
        """See `Source.kept`."""
        return {"state": self._added.copy()}

    def carry_on(self, kept: dict[str, Any]) -> None:
        """See `Source.carry_on`."""
        self._added.take(kept["state"])

    def _values(self, frame: Frame, pitch: Floats) -> tuple[Floats, Floats]:
        """What shapes each frame ``[moments, VALUES]``, and frames travelled in a hop."""
        assert self.recording is not None
        courses = {key: track.values(frame)[0] for key, track in self._tracks.items()}
        analysis, recording = self._analysis, self.recording
        bin_of = SIZE / analysis.rate
        root = math.log2(frequency(recording.root))
        own = math.log2(frequency(float(frame.notes.key[0])))
        octaves = pitch[0] - (root if self._follow else own)
        octaves = octaves + courses["pitch"] / 12.0 + courses["fine"] / 1200.0
        values = np.zeros((len(frame.times), VALUES))
        values[:, columns.PLACE] = courses["position"] / 100.0 * analysis.frames
        values[:, columns.BLUR] = courses["blur"] * analysis.rate / HOP
        values[:, columns.BALANCE] = courses["balance"]
        values[:, columns.THRESHOLD] = courses["threshold"]
        # Frames are played at the sound's rate: a bin is as far as it is at that rate.
        values[:, columns.SHIFT] = courses["shift"] * SIZE / self.rate
        values[:, columns.RATIO] = np.exp2(np.clip(octaves, -7.0, 7.0)) * analysis.rate / self.rate
        values[:, columns.STRETCH] = courses["stretch"]
        values[:, columns.FORMANTS] = courses["formants"] / 100.0
        values[:, columns.REFERENCE] = frequency(recording.root) * bin_of
        values[:, columns.SCATTER] = courses["scatter"] / 100.0
        hop = courses["travel"] * (HOP / self.rate) * (analysis.rate / HOP)
        return values, hop

    def _begin(self, seed: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Phases and travel with which a voice begins ``[BINS + 1]``, and ways to its sides."""
        if seed not in self._beginnings:
            state, sides = np.zeros(BINS + 1), np.zeros(BINS)
            begin_phases(np.uint64(derive(self.seed, seed)), state[:BINS], sides)
            if len(self._beginnings) > 64:
                self._beginnings.clear()
            self._beginnings[seed] = (state, sides)
        return self._beginnings[seed]

    def _run(
        self,
        state: NDArray[np.float64],
        values: Floats,
        hop: Floats,
        levels: NDArray[np.float64],
        phases: NDArray[np.float64],
    ) -> None:
        """Carry phases and travel on over frames.

        `levels` and `phases` ``[frames, BINS]`` receive those of each; they may have one row.
        """
        analysis = self._analysis
        work = np.empty((5, BINS))
        for m in range(len(values)):
            at = min(m, len(levels) - 1)
            values[m, columns.PLACE] = (values[m, columns.PLACE] + state[BINS]) % analysis.frames
            advance_frame(
                values[m],
                analysis.magnitude,
                self._summed,
                analysis.frequency,
                self._tonal,
                self._mask,
                HOP / SIZE,
                state[:BINS],
                levels[at],
                work,
            )
            phases[at] = state[:BINS]
            state[BINS] += hop[m]

    def _advance(self, state: NDArray[np.float64], frame: Frame, pitch: Floats) -> None:
        cut = slice(0, -1, CELL)
        inner = Frame(frame.times[cut], frame.notes, frame.newest[cut], frame.started)
        values, hop = self._values(inner, pitch[:, cut])
        self._run(state, values, hop, np.empty((1, BINS)), np.empty((1, BINS)))

    def picture(self, portrait: Portrait) -> Shown:
        """Where in the recording it reads at every moment, as a share of it ``[moments]``."""
        places = np.full(len(portrait.moments), -1.0, np.float32)
        if self.recording is None:
            return {"places": places}
        index = {moment: i for i, moment in enumerate(portrait.moments)}
        travelled: dict[str, tuple[float, float]] = {}
        for moment, block in portrait.blocks(1):
            voice = block.voices[0]
            at, passed = travelled.get(voice.name, (voice.start, 0.0))
            frame, pitch = block.history(0, block.span.first, 1)
            values, hop = self._values(frame, pitch)
            # Between two looks the travel goes on as it is at the later one.
            passed += (moment - at) * self.rate / HOP * float(hop[0])
            travelled[voice.name] = (moment, passed)
            frames = self._analysis.frames
            places[index[moment]] = (values[0, columns.PLACE] + passed) % frames / frames
        return {"places": places}

    def render_each(self, block: Block, out: NDArray[np.float32]) -> None:
        """See `InUnison.render_each`."""
        if self.recording is None:
            return
        span = block.span
        for row in range(len(block.voices)):
            began = first_tick(block, row) // CELL
            # Frame number f has its middle at sample f * HOP.
            first = max(began, span.first // CELL - BEFORE + 1)
            last = -(-(span.first + span.ticks) // CELL) + BEFORE
            if last <= first:
                continue
            frames = self._recent.of(block, row, first)
            begin = max(frames, default=first - 1) + 1
            if begin < last:
                self._make(block, row, began, begin, last, frames)
            following = (span.first + span.ticks) // CELL - BEFORE + 1
            if following in frames:
                self._added.keep(block, row, frames[following].before.copy(), CELL, KEPT_BACK)
            for number in range(first, last):
                at = number * HOP - SIZE // 2 - span.first * TICK
                low, high = max(0, at), min(span.samples, at + SIZE)
                if low < high:
                    out[row, :, low:high] += frames[number].wave[:, low - at : high - at]

    def _make(
        self,
        block: Block,
        row: int,
        began: int,
        begin: int,
        end: int,
        frames: dict[int, Spectrum],
    ) -> None:
        """Add frames `begin` to `end` to those that were made before."""
        assert self.recording is not None
        voice = block.voices[row]
        frame, pitch = block.history(row, begin * CELL, (end - begin) * CELL, CELL)
        values, hop = self._values(frame, pitch)
        courses = {k: self._tracks[k].values(frame)[0] for k in ("width", "level", "scatter")}
        start, sides = self._begin(voice.seed)
        if begin - 1 in frames:
            state = frames[begin - 1].after.copy()
        else:
            ahead = block.span.first - begin * CELL
            state = self._added.up_to(block, row, start, self._advance, CELL, ahead)
            if block.rough:
                state[BINS] = hop[0] * (begin - began)
        scatter = courses["scatter"] / 100.0
        # Phases spread over a share s of a cycle leave sinc² s of the power in step.
        in_step = np.sinc(scatter) ** 2
        gain = VOICE_RMS / max(self.recording.level, 1e-6)
        gain = gain / np.sqrt(in_step / COHERENT**2 + (1.0 - in_step) / SCATTERED**2)
        gain *= 10.0 ** (courses["level"] / 20.0)
        level, phase = np.empty((1, BINS)), np.empty((1, BINS))
        work, waves = np.empty((2, BINS)), np.empty((4, BINS), np.float32)
        spectra = np.empty((end - begin, 2, BINS), np.complex64)
        own = np.uint64(derive(self.seed, voice.seed))
        states = [state.copy()]
        for m in range(end - begin):
            self._run(state, values[m : m + 1], hop[m : m + 1], level, phase)
            states.append(state.copy())
            to_spectrum(
                level[0],
                phase[0],
                gain[m],
                scatter[m],
                courses["width"][m] / 100.0,
                sides,
                own,
                begin + m,
                work,
                waves,
                spectra[m],
            )
        made = fft.irfft(spectra, SIZE, axis=2)
        made *= WINDOW * np.float32(0.5 * WINDOW.sum())
        for m in range(end - begin):
            frames[begin + m] = Spectrum(states[m], states[m + 1], made[m])
