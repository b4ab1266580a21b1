"""What every layer has besides its source: balance, ranges and how its filters are joined."""

from caligo.catalogue.module import Module
from caligo.catalogue.parameter import Choice, Kind, Moves, Parameter, Scale
from caligo.catalogue.registry import register


def _range(key: str, name: str, help: str, default: float) -> Parameter:
    return Parameter(key, name, help, low=0, high=127, default=default, kind=Kind.INTEGER)


@register(
    Module(
        family="part",
        kind="layer",
        name="Layer",
        help="One source with its filters, envelope, effects and place in the mix.",
        parameters=(
            Parameter(
                "level",
                "Level",
                "Loudness of the layer in the mix.",
                unit="dB",
                low=-80.0,
                high=12.0,
                default=0.0,
                scale=Scale.DECIBEL,
                moves=Moves.SHARED,
            ),
            Parameter(
                "pan",
                "Pan",
                "Balance between left and right.",
                unit="%",
                low=-100.0,
                high=100.0,
                default=0.0,
                moves=Moves.SHARED,
            ),
            Parameter(
                "octave",
                "Octave",
                "Moves the layer by whole octaves.",
                unit="oct",
                low=-4,
                high=4,
                default=0,
                kind=Kind.INTEGER,
            ),
            Parameter(
                "transpose",
                "Transpose",
                "Moves the layer by semitones.",
                unit="st",
                low=-24,
                high=24,
                default=0,
                kind=Kind.INTEGER,
            ),
            Parameter(
                "arrangement",
                "Filters joined",
                "In series the first feeds the second; in parallel both hear the source.",
                default="series",
                kind=Kind.CHOICE,
                choices=(Choice("series", "In series"), Choice("parallel", "In parallel")),
            ),
            Parameter(
                "blend",
                "Blend",
                "How much of the first and of the second filter is heard.",
                unit="%",
                low=0.0,
                high=100.0,
                default=50.0,
                moves=Moves.PER_NOTE,
                when=("arrangement", ("parallel",)),
            ),
            _range("key_low", "Lowest key", "Notes below are not played by this layer.", 0),
            _range("key_high", "Highest key", "Notes above are not played by this layer.", 127),
            _range(
                "key_fade", "Key fade", "Over how many keys the layer fades in at its borders.", 0
            ),
            _range("velocity_low", "Softest", "Notes below this velocity are not played.", 0),
            _range("velocity_high", "Hardest", "Notes above this velocity are not played.", 127),
            _range(
                "velocity_fade",
                "Velocity fade",
                "Over how many velocity steps the layer fades in at its borders.",
                0,
            ),
        ),
    )
)
class LayerPart:
    """A layer's own parameters; the engine reads them directly."""
