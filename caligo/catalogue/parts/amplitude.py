"""The envelope of a layer's level, as every layer has one."""

from caligo.catalogue.envelopes import ENVELOPE_BENDS, envelope_stages
from caligo.catalogue.module import Module
from caligo.catalogue.parameter import Moves, Parameter, Scale
from caligo.catalogue.registry import register


@register(
    Module(
        family="part",
        kind="amplitude",
        name="Amplitude envelope",
        help="How the level of each note rises, stays and dies away.",
        parameters=(
            *envelope_stages(attack=1.2, hold=0.0, decay=1.0, release=3.0),
            Parameter(
                "sustain",
                "Sustain",
                "Level while the note is held.",
                unit="dB",
                low=-80.0,
                high=0.0,
                default=0.0,
                scale=Scale.DECIBEL,
                moves=Moves.PER_NOTE,
                group="Level",
            ),
            *ENVELOPE_BENDS,
            Parameter(
                "velocity",
                "Velocity",
                "How much softer the softest note is than the hardest.",
                unit="dB",
                low=0.0,
                high=48.0,
                default=12.0,
                moves=Moves.PER_NOTE,
                group="Level",
            ),
        ),
    )
)
class AmplitudePart:
    """The layer envelope; the engine computes it."""
