"""What low-pass and high-pass share: cutoff, slope, resonance, key follow and mix."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from caligo.catalogue import Choice, Kind, Moves, Parameter
from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.processing.cutoff import (
    cutoff_parameter,
    followed,
    key_follow_parameter,
    lowest_cutoff,
    mix_parameter,
    ringing,
    spread_cutoffs,
    spread_parameter,
)
from caligo.processing.drive import drive_parameters
from caligo.processing.feedback import feedback_parameters
from caligo.processing.filter import Filter, States
from caligo.processing.matching import (
    blend,
    even_parameter,
    matched,
    matching_gains,
    scale_voices,
)
from caligo.processing.processor import Signal
from caligo.signal.fed_sections import Sections
from caligo.signal.first_order import run_slope
from caligo.signal.state_variable import BUTTERWORTH_2, SHARPEST, cutoff_gain, run, sharpness


def slope_parameters(cutoff: float, what: str) -> tuple[Parameter, ...]:
    """The parameters of a filter that cuts what lies on one side of its cutoff."""
    return (
        cutoff_parameter(cutoff, f"Frequency {what} which it cuts."),
        Parameter(
            "slope",
            "Slope",
            "How steeply it cuts, in decibels per octave.",
            default="24",
            kind=Kind.CHOICE,
            choices=(Choice("6", "6 dB"), Choice("12", "12 dB"), Choice("24", "24 dB")),
            group="Cut",
        ),
        Parameter(
            "resonance",
            "Resonance",
            "Emphasis at the cutoff; flat at zero.",
            unit="%",
            high=100.0,
            default=0.0,
            moves=Moves.PER_NOTE,
            group="Cut",
            when=("slope", ("12", "24")),
        ),
        even_parameter(),
        *drive_parameters(),
        *feedback_parameters(),
        key_follow_parameter(),
        spread_parameter(),
        mix_parameter(),
    )


class SlopeFilter(Filter):
    """A low-pass or high-pass of 6, 12 or 24 dB per octave."""

    highpass: ClassVar[bool]

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        keys = ("cutoff", "resonance", "key_follow", "spread", "mix")
        self._trajectories = {key: self.trajectory(key) for key in keys}
        self._slope = part.text("slope")
        self._matching: Floats | None = None
        if part.switch("even"):
            self._matching = matching_gains(self._slope == "24", self.highpass)
        self.state_shape = (2, {"6": 1, "12": 2, "24": 4}[self._slope])
        if self.loop is not None:
            self.state_shape = (2, 5 if self._slope == "24" else 3)

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """See `Filter.process_streams`."""
        values = {
            key: trajectory.values(block.moments) for key, trajectory in self._trajectories.items()
        }
        hertz = followed(values["cutoff"], values["key_follow"], block)
        mix = values["mix"] / 100.0
        if self.loop is not None:
            scale = None
            if self._matching is not None:
                mix, scale = blend(mix, matched(self._matching, values["resonance"], hertz))
            self.feed(block, signal, self._in_loop(hertz, values), mix, states)
            if scale is not None:
                scale_voices(signal, scale)
            return
        if self._slope == "6":
            cutoff_gains = cutoff_gain(spread_cutoffs(hertz, values["spread"]), self.rate)
            run_slope(signal, cutoff_gains, mix, self.highpass, states)
            return
        if self._matching is None:
            self._run(signal, hertz, values, mix, states)
            return
        mix, scale = blend(mix, matched(self._matching, values["resonance"], hertz))
        self._run(signal, hertz, values, mix, states)
        scale_voices(signal, scale)

    def _run(
        self, signal: Signal, hertz: Floats, values: dict[str, Floats], mix: Floats, states: States
    ) -> None:
        """Both sides at one cutoff, or at cutoffs of their own."""
        at = spread_cutoffs(hertz, values["spread"]) if values["spread"].any() else hertz
        damping = sharpness(values["resonance"], self._slope == "24")
        run(signal, cutoff_gain(at, self.rate), damping, mix, self.highpass, states)

    def _in_loop(self, hertz: Floats, values: dict[str, Floats]) -> Sections:
        """What a loop goes around.

        A slope of 6 dB is a section of which a pole cancels: ``1 / (s + 1)`` is the low-pass and
        the band-pass of ``s^2 + 2 s + 1`` together.
        """
        gains = cutoff_gain(spread_cutoffs(hertz, values["spread"]), self.rate)[:, None]
        first_order = self._slope == "6"
        if first_order:
            damping = np.full_like(hertz, 2.0)[:, None]
        else:
            damping = sharpness(values["resonance"], self._slope == "24")
        band = np.full_like(damping, 0.5 if first_order else 0.0)
        direct, low = (1.0, -1.0) if self.highpass else (0.0, 1.0)
        if self.highpass:
            band = -band if first_order else band - 1.0
        # A second-order low-pass has its peak Q / sqrt(1 - 1 / (4 Q^2)) if Q is over 0.71.
        q = np.maximum(1.0 / damping, BUTTERWORTH_2)
        peak = np.prod(q / np.sqrt(1.0 - 0.25 / q**2), axis=1)
        damping, band = (np.repeat(each[:, :, None], 2, axis=2) for each in (damping, band))
        gains = np.broadcast_to(gains, damping.shape)
        return Sections(gains, damping, band, direct, low, False, peak)

    def tail(self) -> float:
        """See `Filter.tail`."""
        longer = self.loop.longer if self.loop is not None else 1.0
        own = self._trajectories
        lowest = lowest_cutoff(own["cutoff"], own["key_follow"], own["spread"])
        sharpest: float = SHARPEST ** (own["resonance"].reach()[1] / 100.0)
        return longer * ringing(1.31 * sharpest, lowest)
