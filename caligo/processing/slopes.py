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
from caligo.signal.matched import HIGHPASS, LOWPASS, PEAK, sections_of, slopes_of
from caligo.signal.sections import run_sections
from caligo.signal.state_variable import BUTTERWORTH_2, SHARPEST, sharpness


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


def slope_sections(highpass: bool, hertz: Floats, damping: Floats, rate: int) -> list[Floats]:
    """Sections of a slope of 12 or 24 dB in numbers, see `caligo.signal.matched`.

    Parameters
    ----------
    hertz
        Cutoffs of one or both sides ``[voices, sides, ticks + 1]``.
    damping
        1 / Q of each section ``[voices, sections, ticks + 1]``.
    """
    shape = HIGHPASS if highpass else LOWPASS
    return [sections_of(shape, hertz, damping[:, s, None], rate) for s in range(damping.shape[1])]


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
            slopes = slopes_of(self.highpass, spread_cutoffs(hertz, values["spread"]), self.rate)
            run_slope(signal, slopes, mix, self.highpass, states)
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
        spread = values["spread"]
        at = spread_cutoffs(hertz, spread) if spread.any() else hertz[:, None]
        damping = sharpness(values["resonance"], self._slope == "24")
        run_sections(signal, slope_sections(self.highpass, at, damping, self.rate), mix, states)

    def _in_loop(self, hertz: Floats, values: dict[str, Floats]) -> Sections:
        """What a loop goes around.

        A slope of 6 dB is a section of which a pole cancels: ``1 / (s + 1)`` is the low-pass and
        the band-pass of ``s^2 + 2 s + 1`` together.
        """
        at = spread_cutoffs(hertz, values["spread"])
        if self._slope == "6":
            g, high = slopes_of(self.highpass, at, self.rate)
            rest = -high if self.highpass else 1.0 - high
            sections = [np.stack([g, np.full_like(g, 2.0), high, rest, rest])]
            return Sections(sections, False, np.full_like(hertz, PEAK))
        damping = sharpness(values["resonance"], self._slope == "24")
        # A second-order low-pass has its peak Q / sqrt(1 - 1 / (4 Q^2)) if Q is over 0.71.
        q = np.maximum(1.0 / damping, BUTTERWORTH_2)
        peak = PEAK * np.prod(q / np.sqrt(1.0 - 0.25 / q**2), axis=1)
        return Sections(slope_sections(self.highpass, at, damping, self.rate), False, peak)

    def tail(self) -> float:
        """See `Filter.tail`."""
        longer = self.loop.longer if self.loop is not None else 1.0
        own = self._trajectories
        lowest = lowest_cutoff(own["cutoff"], own["key_follow"], own["spread"])
        sharpest: float = SHARPEST ** (own["resonance"].reach()[1] / 100.0)
        return longer * ringing(1.31 * sharpest, lowest)
