"""The vowel filter: three formants, from one vowel to the next."""

from __future__ import annotations

import numpy as np

from caligo.catalogue import Module, Moves, Parameter, Scale, register
from caligo.document.sound import FilterPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.cutoff import (
    Floats,
    followed,
    key_follow_parameter,
    mix_parameter,
    ringing,
)
from caligo.processing.drive import drive_parameters
from caligo.processing.feedback import feedback_parameters
from caligo.processing.filter import Filter, States
from caligo.processing.processor import Signal
from caligo.signal.fed_sections import Sections
from caligo.signal.sections import run_side_by_side
from caligo.signal.state_variable import cutoff_gain

VOWELS = ("ee", "eh", "ah", "aw", "oo")
HERTZ = np.array([
    [270.0, 2290.0, 3010.0],
    [530.0, 1840.0, 2480.0],
    [730.0, 1090.0, 2440.0],
    [570.0, 840.0, 2410.0],
    [300.0, 870.0, 2240.0],
])  # fmt: skip
"""The formants of the vowels in heed, head, hod, hawed and who'd, of men ``[vowels, formants]``.

G. Peterson and H. Barney, "Control methods used in a study of the vowels" (1952), table II; values
from memory.
"""
LEVELS = np.array([
    [-4.0, -24.0, -28.0],
    [-2.0, -17.0, -24.0],
    [-1.0, -5.0, -28.0],
    [0.0, -7.0, -34.0],
    [-3.0, -19.0, -43.0],
])  # fmt: skip
"""Their levels in dB, same source."""
SLOPE = 6.0
"""Decibels per octave by which a voice falls, and a saw wave as well: the table's levels are those
of what is heard, so the filter itself lifts the upper formants by so much more."""
BANDWIDTHS = np.array([60.0, 90.0, 150.0])
"""Hz between the points 3 dB down at a width of 100 %; from memory of D. Klatt, "Software for a
cascade/parallel formant synthesizer" (1980), table I."""
LOUD = 12.0
"""Decibels by which the first formant is lifted, for what the gaps between formants lose."""


@register(
    Module(
        family="filter",
        kind="vowel",
        name="Vowel",
        help="Sings: three formants that go from one vowel to the next.",
        category="Colour",
        parameters=(
            Parameter(
                "vowel",
                "Vowel",
                "0 is ee, 1 eh, 2 ah, 3 aw, 4 oo; between two of them it morphs.",
                high=len(VOWELS) - 1.0,
                default=2.0,
                moves=Moves.PER_NOTE,
                group="Voice",
                gentle=0.4,
            ),
            Parameter(
                "size",
                "Size",
                "Length of the throat: larger is deeper.",
                unit="%",
                low=40.0,
                high=250.0,
                default=100.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.PER_NOTE,
                group="Voice",
            ),
            Parameter(
                "width",
                "Width",
                "How wide the formants are: narrow ones whistle, wide ones only colour.",
                unit="%",
                low=10.0,
                high=600.0,
                default=100.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.PER_NOTE,
                group="Voice",
            ),
            key_follow_parameter(group="Voice"),
            *drive_parameters("Voice"),
            *feedback_parameters(),
            mix_parameter(group="Voice"),
        ),
    )
)
class Vowel(Filter):
    """Three band-passes side by side."""

    def __init__(self, part: FilterPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        keys = ("vowel", "size", "width", "key_follow", "mix")
        self._trajectories = {key: self.trajectory(key) for key in keys}
        self.state_shape = (2, 2 * HERTZ.shape[1] + (self.loop is not None))

    def _formants(self, block: Block) -> tuple[Floats, Floats, Floats, Floats]:
        """Corners, 1 / Q and factors ``[voices, formants, ticks + 1]``, and the mix."""
        values = {
            key: trajectory.values(block.moments) for key, trajectory in self._trajectories.items()
        }
        longer = 100.0 / values["size"][:, None]
        formants = between(np.log2(HERTZ), values["vowel"])
        one = np.ones_like(values["vowel"])
        along = followed(one * 1000.0, values["key_follow"], block)[:, None] / 1000.0
        hertz = np.exp2(formants) * longer * along
        bandwidth = BANDWIDTHS[None, :, None] * longer * along * values["width"][:, None] / 100.0
        level = between(LEVELS, values["vowel"]) + SLOPE * (formants - formants[:, :1]) + LOUD
        # Neighbours in opposite phase, as in a tract: no hole between them (Klatt 1980).
        turned = np.array([1.0, -1.0, 1.0])[None, :, None]
        return (
            cutoff_gain(hertz, self.rate),
            np.ascontiguousarray(bandwidth / hertz),
            np.ascontiguousarray(turned * 10.0 ** (level / 20.0)),
            values["mix"] / 100.0,
        )

    def process_streams(self, block: Block, signal: Signal, states: States) -> None:
        """See `Filter.process_streams`."""
        cutoff, damping, factors, mix = self._formants(block)
        if self.loop is None:
            run_side_by_side(signal, cutoff, damping, factors, mix, states)
            return
        none = np.zeros_like(cutoff)
        numbers = np.stack([cutoff, damping, none, factors * damping, none])
        each = [numbers[:, :, formant] for formant in range(numbers.shape[2])]
        sections = Sections(each, True, np.abs(factors).sum(axis=1))
        self.feed(block, signal, sections, mix, states)

    def tail(self) -> float:
        """See `Processor.tail`; the ringing follows the bandwidth alone."""
        own = self._trajectories
        lowest = 100.0 / own["size"].reach()[1] * own["width"].reach()[0] / 100.0 * BANDWIDTHS[0]
        follow = max(abs(bound) for bound in own["key_follow"].reach()) / 100.0
        longer = self.loop.longer if self.loop is not None else 1.0
        return longer * ringing(1.0, max(lowest, 0.5) * 2.0 ** (-4.0 * follow))


def between(table: Floats, vowel: Floats) -> Floats:
    """Values of a table ``[vowels, formants]`` between two vowels ``[voices, formants, ticks]``."""
    at = np.clip(vowel, 0.0, len(table) - 1.0)
    below = np.minimum(at.astype(np.int64), len(table) - 2)
    fraction = (at - below)[..., None]
    found: Floats = np.moveaxis(table[below] * (1.0 - fraction) + table[below + 1] * fraction, 2, 1)
    return np.ascontiguousarray(found)
