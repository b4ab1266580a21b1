"""The spectral source: a recording's short-time spectrum at any speed down to standing still."""

from __future__ import annotations

import math
from functools import cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Items, Module, Moves, Parameter, register
from caligo.document.pitch import frequency
from caligo.movement.block import SourceBlock
from caligo.movement.chance import derive
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Bundle
from caligo.signal import fourier
from caligo.signal.ticks import REFERENCE_RATE, TICK
from caligo.sources.regions import region_mask
from caligo.synthesis import resynthesis as columns
from caligo.synthesis.analysis import BINS, HOP, SIZE, analysis_of, window_of
from caligo.synthesis.common import unison_parameters, voice_parameters
from caligo.synthesis.drawing import (
    evened_parameter,
    evening,
    follow_parameter,
    recording_of,
    recording_parameter,
)
from caligo.synthesis.phases import Accumulated, first_tick
from caligo.synthesis.portrait import Portrait, Shown
from caligo.synthesis.recent import Recent
from caligo.synthesis.resynthesis import VALUES, Spectra, make_frames, run_frames, ways_apart
from caligo.synthesis.running import PERIOD, oldest, random_phases
from caligo.synthesis.unison import InUnison

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


PROBES = 256
"""Moments at which a moved travel is looked at for a rough picture."""
STATE = 2 * BINS + 1
"""What runs on: the older and the newer phases, and the frames travelled since the note on."""


class Spectrum(NamedTuple):
    """A frame's phases and travel before and after it, and its wave ``[2, samples]``."""

    before: NDArray[np.float64]
    after: NDArray[np.float64]
    wave: NDArray[np.float32]


@cache
def shape_of(size: int) -> NDArray[np.float32]:
    """What makes a wave of a frame's inverse transform ``[size]``: a window, sines as they were."""
    window = window_of(size)
    return window * np.float32(0.5 * window.sum())


@register(
    Module(
        family="source",
        kind="spectral",
        category="Recordings",
        groups=(
            ("Recording", "recording position travel follow evened"),
            ("Spectrum", "blur balance threshold shift pitch stretch formants scatter width"),
        ),
        name="Spectral",
        help="A recording's spectrum, played at any speed down to frozen, and taken apart.",
        parameters=(
            recording_parameter("The recording whose spectrum is played, up to two minutes."),
            _moved("position", "Position", "Where in the recording it begins.", "%", high=100.0,
                   default=30.0),
            _moved("travel", "Scan speed", "How fast it moves on: 0 stands still, 1 as recorded.",
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
            evened_parameter(),
            *unison_parameters(scatter=False),
        ),
        items=(Items("region", 0, 32),),
        picture="regions",
    )
)  # fmt: skip
class Spectral(InUnison):
    """Renders spectra on an absolute grid of frames.

    A frame is as long at every rate, as nearly as whole ticks allow: its bins are so many hertz
    apart, and its inverse transform has as many samples as that takes.
    """

    def __init__(self, *args: object) -> None:
        super().__init__(*args)
        self.recording = recording_of(self.part)
        self._trajectories = {key: self.movement.trajectory(f"{self.path}.{key}") for key in MOVED}
        self._bundle = Bundle([self._trajectories[key] for key in MOVED])
        self._follow = self.part.switch("follow")
        self._added = Accumulated()
        self._recent: Recent[Spectrum] = Recent()
        self._travelled = Accumulated()
        self._channels: dict[int, NDArray[np.float64]] = {}
        overlap = SIZE // HOP
        self._hop = TICK * max(1, round(HOP * self.rate / REFERENCE_RATE / TICK))
        self._size = overlap * self._hop
        # At which `SIZE` samples are as long as a frame.
        self._spectrum_rate = self.rate * SIZE / self._size
        # Control ticks between frames, and before a block's end where phases are kept for an edit.
        self._cell = self._hop // TICK
        self._kept_back = (BEFORE - 1) * self._cell
        self._shape = shape_of(self._size)
        if self.recording is not None:
            self._analysis = analysis_of(self.recording)
            # Frames that are passed in a hop at the speed of the recording.
            self._travel_unit = self._analysis.rate / self._spectrum_rate
            self._mask = region_mask(self.part.of_kind("region"), self._analysis)
        self.prepare()

    def prepare(self) -> None:
        """See `Source.prepare`."""
        self._recent.clear()
        if self.recording is not None:
            analysis, empty = self._analysis, np.empty((0, 0), np.float32)
            self._played = Spectra(
                analysis.magnitude,
                analysis.summed if self._trajectories["blur"].acts else empty,
                analysis.frequency,
                analysis.tonal if self._trajectories["balance"].acts else empty,
                self._mask,
            )

    def save_state(self) -> dict[str, Any]:
        """See `Source.save_state`."""
        return {"state": self._added.copy()}

    def restore_state(self, state: dict[str, Any]) -> None:
        """See `Source.restore_state`."""
        self._added.take(state["state"])

    def _values(self, moments: Moments, pitch: Floats) -> tuple[Floats, Floats]:
        """What shapes each frame ``[moments, VALUES]``, and frames travelled in a hop."""
        assert self.recording is not None
        trajectories = dict(zip(MOVED, self._bundle.values(moments), strict=True))
        analysis, recording = self._analysis, self.recording
        bin_of = SIZE / analysis.rate
        root = math.log2(frequency(recording.root))
        own = math.log2(frequency(float(moments.notes.key[0])))
        octaves = pitch[0] - (root if self._follow else own)
        octaves = octaves + trajectories["pitch"] / 12.0 + trajectories["fine"] / 1200.0
        values = np.zeros((len(moments.times), VALUES))
        values[:, columns.PLACE] = trajectories["position"] / 100.0 * analysis.frames
        values[:, columns.BLUR] = trajectories["blur"] * analysis.rate / HOP
        values[:, columns.BALANCE] = trajectories["balance"]
        values[:, columns.THRESHOLD] = trajectories["threshold"]
        # A bin is as far as it is at the rate of what is played.
        values[:, columns.SHIFT] = trajectories["shift"] * SIZE / self._spectrum_rate
        ratio = np.exp2(np.clip(octaves, -7.0, 7.0))
        values[:, columns.RATIO] = ratio * analysis.rate / self._spectrum_rate
        values[:, columns.STRETCH] = trajectories["stretch"]
        values[:, columns.FORMANTS] = trajectories["formants"] / 100.0
        values[:, columns.REFERENCE] = frequency(recording.root) * bin_of
        values[:, columns.SCATTER] = trajectories["scatter"] / 100.0
        hop = trajectories["travel"] * self._travel_unit
        return values, hop

    def _sides_of(self, seed: int) -> NDArray[np.float64]:
        """Which way each bin is turned to make left and right differ ``[BINS]``."""
        if seed not in self._channels:
            if len(self._channels) > 64:
                self._channels.clear()
            self._channels[seed] = np.empty(BINS)
            ways_apart(np.uint64(derive(self.seed, seed)), self._channels[seed])
        return self._channels[seed]

    def _travel(self, block: SourceBlock, row: int, began: int, frame: int) -> float:
        """How far a voice has travelled between its first frame and another, in frames."""
        trajectory = self._trajectories["travel"]

        def advance(passed: NDArray[np.float64], over: Moments, pitch: Floats) -> None:
            hops = trajectory.values(over)[0, :-1] * self._travel_unit
            # One by one, as they are added up where every frame is made.
            passed[0] = np.cumsum(np.append(passed, hops))[-1]

        if not trajectory.moved:
            still = np.full(frame - began, trajectory.base * self._travel_unit)
            return float(np.cumsum(np.append(0.0, still))[-1])
        if block.preview:
            # Where only a picture is wanted, a few looks at the trajectory are enough.
            stride = self._cell * max(1, (frame - began) // PROBES)
            over, _ = block.history(row, began * self._cell, (frame - began) * self._cell, stride)
            return float(trajectory.values(over)[0].mean() * self._travel_unit * (frame - began))
        ahead = block.span.first - frame * self._cell
        passed = self._travelled.up_to(
            block, row, np.zeros(1), advance, self._cell, before=ahead, stride=self._cell
        )
        return float(passed[0])

    def _state(self, block: SourceBlock, row: int, began: int, frame: int) -> NDArray[np.float64]:
        """What has run on by a frame that is not the next one after those kept."""
        seed = block.voices[row].seed
        since = oldest(frame, began)
        state = np.empty(STATE)
        own = np.uint64(derive(self.seed, seed))
        random_phases(own, (since - began) // PERIOD, state[:BINS])
        state[BINS:-1] = state[:BINS]
        state[-1] = self._travel(block, row, began, frame if block.preview else since)
        level, phase = np.empty(BINS), np.empty(BINS)

        def advance(state: NDArray[np.float64], over: Moments, pitch: Floats) -> None:
            number = round(float(over.times[0]) * self.rate / self._hop)
            inner = over.at(over.times[:-1])
            values, hop = self._values(inner, pitch[:, :-1])
            run_frames(
                state, values, hop, own, number - began, self._played, HOP / SIZE, level, phase
            )

        ahead = block.span.first - frame * self._cell
        return self._added.up_to(
            block,
            row,
            state,
            advance,
            self._cell,
            before=ahead,
            stride=self._cell,
            since=since * self._cell,
        )

    def picture(self, portrait: Portrait) -> Shown:
        """Where in the recording it reads at every moment, as a fraction of it ``[moments]``."""
        places = np.full(len(portrait.moments), -1.0, np.float32)
        if self.recording is None:
            return {"places": places}
        index = {moment: i for i, moment in enumerate(portrait.moments)}
        travelled: dict[str, tuple[float, float]] = {}
        for moment, block in portrait.blocks(1):
            voice = block.voices[0]
            at, passed = travelled.get(voice.name, (voice.start, 0.0))
            moments, pitch = block.history(0, block.span.first, 1)
            values, hop = self._values(moments, pitch)
            # Between two of these moments the travel goes on as it is at the later one.
            passed += (moment - at) * self.rate / self._hop * float(hop[0])
            travelled[voice.name] = (moment, passed)
            frames = self._analysis.frames
            places[index[moment]] = (values[0, columns.PLACE] + passed) % frames / frames
        return {"places": places}

    def render_each(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """See `InUnison.render_each`."""
        if self.recording is None:
            return
        span = block.span
        for row in range(len(block.voices)):
            began = first_tick(block, row) // self._cell
            # A frame has its middle at its number times a hop.
            first = max(began, span.first // self._cell - BEFORE + 1)
            last = -(-(span.first + span.ticks) // self._cell) + BEFORE
            if last <= first:
                continue
            frames = self._recent.of(block, row, first)
            begin = max(frames, default=first - 1) + 1
            if begin < last:
                self._make(block, row, began, begin, last, frames)
            following = (span.first + span.ticks) // self._cell - BEFORE + 1
            if following in frames:
                self._added.keep(
                    block, row, frames[following].before.copy(), self._cell, self._kept_back
                )
            for number in range(first, last):
                at = number * self._hop - self._size // 2 - span.first * TICK
                low, high = max(0, at), min(span.samples, at + self._size)
                if low < high:
                    out[row, :, low:high] += frames[number].wave[:, low - at : high - at]

    def _make(
        self,
        block: SourceBlock,
        row: int,
        began: int,
        begin: int,
        end: int,
        frames: dict[int, Spectrum],
    ) -> None:
        """Add frames `begin` to `end` to those that were made before."""
        assert self.recording is not None
        voice = block.voices[row]
        moments, pitch = block.history(
            row, begin * self._cell, (end - begin) * self._cell, self._cell
        )
        values, hop = self._values(moments, pitch)
        trajectories = {
            k: self._trajectories[k].values(moments)[0] for k in ("width", "level", "scatter")
        }
        if begin - 1 in frames:
            state = frames[begin - 1].after
        else:
            state = self._state(block, row, began, begin)
        scatter = trajectories["scatter"] / 100.0
        # Phases spread over a fraction s of a cycle leave sinc² s of the power in step.
        in_step = np.sinc(scatter) ** 2
        gain = evening(self.part, self.recording)
        gain = gain / np.sqrt(in_step / COHERENT**2 + (1.0 - in_step) / SCATTERED**2)
        gain *= 10.0 ** (trajectories["level"] / 20.0)
        count = end - begin
        states = np.empty((count + 1, STATE))
        states[0] = state
        spectra = np.empty((count, 2, BINS), np.complex64)
        make_frames(
            states,
            values,
            # The last moment is the next frame's.
            hop[:count],
            np.uint64(derive(self.seed, voice.seed)),
            began,
            begin,
            self._played,
            HOP / SIZE,
            np.stack([gain, scatter, trajectories["width"] / 100.0], axis=1),
            self._sides_of(voice.seed),
            spectra,
        )
        made = fourier.irfft(spectra[:, :, : self._size // 2], self._size, axis=2)
        made *= self._shape
        for m in range(count):
            frames[begin + m] = Spectrum(states[m], states[m + 1], made[m])
