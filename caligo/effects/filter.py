"""The filter as an effect: a low-pass or high-pass on a whole layer, bus or master."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Choice, Kind, Module, Parameter, register
from caligo.document.sound import EffectPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing import shared
from caligo.processing.cutoff import ringing
from caligo.processing.effect import Effect
from caligo.processing.matching import blend, even_parameter, matched, matching_gains
from caligo.processing.processor import Signal, State
from caligo.processing.slopes import slope_sections
from caligo.signal.gains import scale_stereo
from caligo.signal.sections import run_sections
from caligo.signal.state_variable import SHARPEST, sharpness


@register(
    Module(
        family="effect",
        kind="filter",
        name="Filter",
        help="A low-pass or high-pass on all that comes in.",
        category="Tone",
        parameters=(
            Parameter("passes", "Passes", "What it lets through.", default="lows",
                      kind=Kind.CHOICE, group="Cut",
                      choices=(Choice("lows", "Lows"), Choice("highs", "Highs"))),
            shared.hertz("cutoff", "Cutoff", "Frequency from which it cuts.", 2_000.0,
                         group="Cut"),
            Parameter("slope", "Slope", "How steeply it cuts, in decibels per octave.",
                      default="12", kind=Kind.CHOICE, group="Cut",
                      choices=(Choice("12", "12 dB"), Choice("24", "24 dB"))),
            shared.percent("resonance", "Resonance", "Emphasis at the cutoff.", 0.0, group="Cut"),
            even_parameter(),
            shared.mix("Filtered against direct signal."),
        ),
    )
)  # fmt: skip
class FilterEffect(Effect):
    """The filter of voices, on one stream."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        self._steep = part.text("slope") == "24"
        self._highs = part.text("passes") == "highs"
        even = part.switch("even")
        self._matching = matching_gains(self._steep, self._highs) if even else None
        super().__init__(part, address, movement, rate)

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return {"filter": np.zeros((1, 2, 4 if self._steep else 2))}

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        cutoff, resonance, mix = (
            self.trajectory(key).values(block.moments) for key in ("cutoff", "resonance", "mix")
        )
        mix, scale = mix / 100.0, None
        if self._matching is not None:
            mix, scale = blend(mix, matched(self._matching, resonance, cutoff))
        damping = sharpness(resonance, self._steep)
        sections = slope_sections(self._highs, cutoff[:, None], damping, self.rate)
        run_sections(signal[None], sections, mix, self.state["filter"])
        if scale is not None:
            scale_stereo(signal[None], scale[0])

    def tail(self) -> float:
        """See `Processor.tail`."""
        sharpest: float = SHARPEST ** (self.trajectory("resonance").reach()[1] / 100.0)
        return ringing(1.31 * sharpest, self.trajectory("cutoff").reach()[0])
