"""What every layer has besides its source: balance, ranges and how its filters are joined."""

from caligo.catalogue.amount import amount_parameter
from caligo.catalogue.module import Module
from caligo.catalogue.parameter import (
    Choice,
    Kind,
    Moves,
    Parameter,
    Scale,
    key_number,
    key_velocity,
    seven_bit,
)
from caligo.catalogue.registry import register


def _modulated(way: str, amount: Parameter) -> tuple[Parameter, ...]:
    """What modulates the layer in one of two ways, and how much."""
    name = {"ring": "Ring modulation", "phase": "Phase modulation"}[way]
    return (
        Parameter(
            f"{way}_by",
            f"{name} by",
            "What multiplies the layer." if way == "ring" else "What shifts the layer's phase.",
            default="none",
            kind=Kind.CHOICE,
            choices=(
                Choice("none", "Nothing"),
                Choice("sine", "A sine"),
                Choice("layer", "Another layer"),
            ),
        ),
        Parameter(
            f"{way}_layer",
            "By layer",
            "The layer whose voices do it; a muted one does nothing.",
            default="",
            kind=Kind.REFERENCE,
            of="layer",
            when=(f"{way}_by", ("layer",)),
        ),
        Parameter(
            f"{way}_ratio",
            "Ratio",
            "Frequency of the sine, as a multiple of the note's.",
            low=0.01,
            high=64.0,
            default=1.5,
            scale=Scale.LOGARITHMIC,
            moves=Moves.PER_NOTE,
            when=(f"{way}_by", ("sine",)),
        ),
        amount,
    )


@register(
    Module(
        family="part",
        kind="layer",
        groups=(
            ("Mix", "level pan note_pan amount"),
            ("Filters", "arrangement blend"),
            ("Ring modulation", "ring_by ring_layer ring_ratio ring_amount"),
            ("Phase modulation", "phase_by phase_layer phase_ratio phase_depth"),
        ),
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
                "note_pan",
                "Note spread",
                "Where each note is heard, before all of them are panned.",
                unit="%",
                low=-100.0,
                high=100.0,
                moves=Moves.PER_NOTE,
            ),
            amount_parameter("the layer's effects"),
            Parameter(
                "octave",
                "Octave",
                "Moves the layer by whole octaves.",
                unit="oct",
                low=-4,
                high=4,
                default=0,
                kind=Kind.INTEGER,
                moves=Moves.PER_NOTE,
                group="Pitch",
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
                moves=Moves.PER_NOTE,
                group="Pitch",
            ),
            Parameter(
                "arrangement",
                "Filters joined",
                "In series each feeds the next; in parallel all hear the source.",
                default="series",
                kind=Kind.CHOICE,
                choices=(Choice("series", "In series"), Choice("parallel", "In parallel")),
            ),
            Parameter(
                "blend",
                "Blend",
                "Where one listens, from the first filter over those between to the last.",
                unit="%",
                low=0.0,
                high=100.0,
                default=50.0,
                moves=Moves.PER_NOTE,
                when=("arrangement", ("parallel",)),
            ),
            Parameter(
                "drift",
                "Drift",
                "How far each voice's pitch wanders, slowly, on its own and at its own speed.",
                unit="ct",
                high=50.0,
                moves=Moves.PER_NOTE,
                group="Pitch",
                seeded=True,
            ),
            *_modulated(
                "ring",
                Parameter(
                    "ring_amount",
                    "Ring amount",
                    "How much of the layer is multiplied by the other wave.",
                    unit="%",
                    high=100.0,
                    moves=Moves.PER_NOTE,
                    when=("ring_by", ("sine", "layer")),
                ),
            ),
            *_modulated(
                "phase",
                Parameter(
                    "phase_depth",
                    "Phase depth",
                    "How far the other wave shifts the layer's phase.",
                    unit="°",
                    high=720.0,
                    moves=Moves.PER_NOTE,
                    when=("phase_by", ("sine", "layer")),
                ),
            ),
            Parameter("voice_mode", "Voice mode",
                      "How this layer plays notes, if not as the sound does: in mono and legato a "
                      "line of those in its range alone.",
                      default="sound", kind=Kind.CHOICE, group="Voices",
                      choices=(Choice("sound", "As the sound"), Choice("poly", "Poly"),
                               Choice("mono", "Mono"), Choice("legato", "Legato"))),
            Parameter("glide", "Glide", "How long the pitch takes to reach a new note.",
                      unit="s", high=20.0, default=0.0, kind=Kind.TIME, group="Voices",
                      scale=Scale.LOGARITHMIC, moves=Moves.PER_NOTE, rebuilds=True,
                      when=("voice_mode", ("mono", "legato"))),
            key_number("key_low", "Lowest key", "Notes below are not played by this layer.", 0,
                       "Keys"),
            key_number("key_high", "Highest key", "Notes above are not played by this layer.",
                       127, "Keys"),
            seven_bit("key_fade", "Key fade",
                      "Over how many keys the layer fades in at its borders.", 0, "Keys"),
            key_velocity("velocity_low", "Softest",
                         "Notes below this velocity are not played.", 0, "Velocities"),
            key_velocity("velocity_high", "Hardest",
                         "Notes above this velocity are not played.", 127, "Velocities"),
            seven_bit("velocity_fade", "Velocity fade",
                      "Over how many velocity steps the layer fades in at its borders.", 0,
                      "Velocities"),
        ),
    )
)  # fmt: skip
class LayerPart:
    """A layer's own parameters; the engine reads them directly."""
