"""The sampler: recordings over keys and velocities, with loops."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import (
    Choice,
    Items,
    Kind,
    Module,
    Parameter,
    Scale,
    key_number,
    key_velocity,
    register,
)
from caligo.document.pitch import frequency
from caligo.document.sound import ItemPart
from caligo.kernels import kernel
from caligo.material.recording import Recording
from caligo.material.seams import bounds
from caligo.movement.block import SourceBlock
from caligo.movement.notes import Floats
from caligo.movement.voices import Voice
from caligo.signal.ticks import TICK
from caligo.synthesis.common import unison_parameters, voice_parameters
from caligo.synthesis.drawing import (
    SINCS,
    evened_parameter,
    evening,
    follow_parameter,
    level_for,
    read_at,
    recording_of,
    recording_parameter,
)
from caligo.synthesis.phases import Phases
from caligo.synthesis.unison import InUnison

EDGE = 0.002
"""Seconds over which a recording that is cut into is faded in, and its end faded out."""
MOST = 64


def _moment(key: str, name: str, help: str, *, high: float = 1200.0, **more: Any) -> Parameter:
    return Parameter(key, name, help, unit="s", high=high, **more)


ZONE = Module(
    family="item",
    kind="zone",
    name="Zone",
    help="A recording, and the keys and velocities that play it.",
    groups=(
        ("Recording", "recording gain tune start"),
        ("Played by", "key_low key_high velocity_low velocity_high"),
        ("Loop", "loop loop_start loop_end loop_fade"),
    ),
    parameters=(
        recording_parameter("What the zone plays."),
        Parameter("gain", "Gain", "Louder or softer than the other zones.", unit="dB",
                  low=-48.0, high=24.0),
        Parameter("tune", "Tune", "Corrects the recording's root.", unit="ct",
                  low=-2400.0, high=2400.0),
        key_number("key_low", "Lowest key", "Notes below are not played.", 0),
        key_number("key_high", "Highest key", "Notes above are not played.", 127),
        key_velocity("velocity_low", "Softest", "Softer notes are not played.", 0),
        key_velocity("velocity_high", "Hardest", "Harder notes are not played.", 127),
        _moment("start", "Start offset", "Where in the recording a note begins."),
        Parameter("loop", "Loop", "What is repeated while the note is held.",
                  default="recording", kind=Kind.CHOICE, choices=(
                      Choice("recording", "The recording's loop"),
                      Choice("own", "A loop of its own"),
                      Choice("none", "Nothing"))),
        _moment("loop_start", "Loop start", "Where the loop begins.", when=("loop", ("own",))),
        _moment("loop_end", "Loop end", "Where it goes back; 0 for the recording's end.",
                when=("loop", ("own",))),
        _moment("loop_fade", "Loop crossfade", "How long the loop's end blends into its start.",
                high=10.0, default=0.05, scale=Scale.LINEAR, when=("loop", ("own",))),
    ),
)  # fmt: skip


@register(ZONE)
class ZoneItem:
    """A zone in a document; the source reads it."""


@kernel(
    "f4[:, ::1], i8[::1], f8[::1], i8, f4[:, ::1], f8[::1], f8, f8, f8, f8, f8, f8[::1], f4[:, ::1]"
)
def render_recording(
    flat: np.ndarray,
    starts: np.ndarray,
    ratios: np.ndarray,
    frames: int,
    sincs: np.ndarray,
    place: np.ndarray,
    begin: float,
    loop_start: float,
    loop_end: float,
    fade: float,
    edge: float,
    gain: np.ndarray,
    out: np.ndarray,
) -> None:
    """One voice of a recording, added to `out` ``[2, samples]``.

    Parameters
    ----------
    flat, starts, ratios, frames
        A `caligo.material.pyramid.Pyramid`.
    place
        Samples of the recording passed since the note began, at every tick ``[ticks + 1]``.
    begin
        Where it begins, in samples.
    loop_start, loop_end, fade
        In samples; no loop where the end is not after the start. Over the last `fade` samples
        the loop blends into what comes before its start.
    edge
        Samples of fade where the recording is cut into, and at its end.
    gain
        At every tick ``[ticks + 1]``.
    """
    length = loop_end - loop_start
    looped = length > 1.0
    channels = flat.shape[0]
    for k in range(len(place) - 1):
        speed = (place[k + 1] - place[k]) / TICK
        level, fraction = level_for(abs(speed), ratios)
        near = np.float32(1.0 - fraction)
        far = np.float32(fraction)
        g = np.float32(gain[k])
        g_step = np.float32((gain[k + 1] - gain[k]) / TICK)
        for n in range(TICK):
            passed = place[k] + n * speed
            if passed < 0.0:
                continue
            p = begin + passed
            window = np.float32(1.0)
            if begin > 0.0 and passed < edge:
                window = np.float32(passed / edge)
            blend = np.float32(0.0)
            if looped:
                if p >= loop_end:
                    p = loop_start + (p - loop_start) % length
                if fade > 0.0 and p > loop_end - fade:
                    blend = np.float32((p - loop_end + fade) / fade)
            else:
                if p >= frames:
                    break
                if p > frames - edge:
                    window *= np.float32((frames - p) / edge)
            size = window * (g + np.float32(n) * g_step)
            for c in range(2):
                channel = flat[min(c, channels - 1)]
                value = np.float32(0.0)
                for higher in range(2):
                    part = near if higher == 0 else far
                    if part == 0.0:
                        continue
                    ratio = ratios[level + higher]
                    here = read_at(
                        channel, starts[level + higher], int(frames * ratio), sincs, p * ratio
                    )
                    if blend > 0.0:
                        other = read_at(
                            channel,
                            starts[level + higher],
                            int(frames * ratio),
                            sincs,
                            (p - length) * ratio,
                        )
                        here += blend * (other - here)
                    value += part * here
                out[c, k * TICK + n] += value * size


@register(
    Module(
        family="source",
        kind="sampler",
        category="Recordings",
        groups=(("Recording", "follow evened"),),
        name="Sampler",
        help="Recordings over keys and velocities, with loops that do not show.",
        parameters=(
            follow_parameter(),
            evened_parameter(),
            *voice_parameters(),
            *unison_parameters(scatter=False),
        ),
        items=(Items("zone", 1, MOST),),
        picture="zones",
    )
)
class Sampler(InUnison):
    """Renders every zone that a voice falls into."""

    def __init__(self, *args: object) -> None:
        super().__init__(*args)
        self._zones = [(zone, recording_of(zone)) for zone in self.part.of_kind("zone")]
        self._follow = self.part.switch("follow")
        self._level = self.movement.trajectory(f"{self.path}.level")
        self._fine = self.movement.trajectory(f"{self.path}.fine")
        self._phases = Phases(self._fine, self.rate)

    def save_state(self) -> dict[str, Any]:
        """See `Source.save_state`."""
        return {"pitch": self._phases.accumulated.copy()}

    def restore_state(self, state: dict[str, Any]) -> None:
        """See `Source.restore_state`."""
        self._phases.accumulated.take(state["pitch"])

    def zones_of(self, voice: Voice) -> list[tuple[ItemPart, Recording]]:
        """The zones that play a voice, with their recordings."""
        velocity = round(voice.velocity * 127)
        return [
            (zone, recording)
            for zone, recording in self._zones
            if recording is not None
            and zone.number("key_low") <= voice.key <= zone.number("key_high")
            and zone.number("velocity_low") <= velocity <= zone.number("velocity_high")
        ]

    def render_each(self, block: SourceBlock, out: NDArray[np.float32]) -> None:
        """See `InUnison.render_each`."""
        steps = self._phases.steps(block.moments, block.pitch)
        level = 10.0 ** (self._level.values(block.moments) / 20.0)
        for row, voice in enumerate(block.voices):
            zones = self.zones_of(voice)
            if not zones:
                continue
            phase = self._phases.over(block, row, steps[row])
            for zone, recording in zones:
                self._zone(zone, recording, voice, phase, level[row], out[row])

    def _zone(
        self,
        zone: ItemPart,
        recording: Recording,
        voice: Voice,
        phase: Floats,
        level: Floats,
        out: NDArray[np.float32],
    ) -> None:
        # A note's cycles are the recording's, as long as it sounds at its root.
        heard_at = recording.root if self._follow else float(voice.key)
        tuned = heard_at - zone.number("tune") / 100.0
        start, end, fade = loop_of(zone, recording)
        render_recording(
            recording.pyramid.flat,
            recording.pyramid.starts,
            recording.pyramid.ratios,
            recording.frames,
            SINCS,
            phase * (recording.rate / frequency(tuned)),
            zone.number("start") * recording.rate,
            start,
            end,
            fade,
            EDGE * recording.rate,
            level * evening(self.part, recording) * 10.0 ** (zone.number("gain") / 20.0),
            out,
        )


def loop_of(zone: ItemPart, recording: Recording) -> tuple[float, float, float]:
    """A zone's loop in samples of the recording: start, end, crossfade; all 0 for none."""
    kind, own = zone.text("loop"), recording.card.loop
    if kind == "recording" and own is not None:
        start, end, fade = own.start, own.end, own.fade
    elif kind == "own":
        start, end, fade = (zone.number(f"loop_{key}") for key in ("start", "end", "fade"))
    else:
        return 0.0, 0.0, 0.0
    return bounds(start, end, fade, recording.rate, recording.frames)
