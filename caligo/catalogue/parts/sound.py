"""What holds for the whole sound: voices, tuning and the pace of all movement."""

from caligo.catalogue.module import Module
from caligo.catalogue.parameter import Choice, Kind, Moves, Parameter, Scale
from caligo.catalogue.registry import register


@register(
    Module(
        family="part",
        kind="sound",
        groups=(("Voices", "voices mode glide"), ("Tuning", "a4"), ("Pace", "pace")),
        name="Sound",
        help="Voices, tuning and the pace of all movement.",
        parameters=(
            Parameter(
                "voices",
                "Voices",
                "How many notes may sound at once; the oldest makes room.",
                low=1,
                high=32,
                default=16,
                kind=Kind.INTEGER,
            ),
            Parameter(
                "mode",
                "Voice mode",
                "Poly plays every note; mono starts anew on each; legato carries on.",
                default="poly",
                kind=Kind.CHOICE,
                choices=(
                    Choice("poly", "Poly"),
                    Choice("mono", "Mono"),
                    Choice("legato", "Legato"),
                ),
            ),
            Parameter(
                "glide",
                "Glide",
                "How long the pitch takes to reach a new note.",
                unit="s",
                high=20.0,
                default=0.0,
                kind=Kind.TIME,
                scale=Scale.LOGARITHMIC,
                moves=Moves.PER_NOTE,
                rebuilds=True,
                when=("mode", ("mono", "legato")),
            ),
            Parameter(
                "a4",
                "A4",
                "Frequency of the A above middle C; 440 Hz by ISO 16.",
                unit="Hz",
                low=400.0,
                high=480.0,
                default=440.0,
            ),
            Parameter(
                "pace",
                "Pace",
                "Scales the speed of every cycle and random source at once.",
                unit="%",
                low=10.0,
                high=1000.0,
                default=100.0,
                scale=Scale.LOGARITHMIC,
                moves=Moves.SHARED,
            ),
        ),
    )
)
class SoundPart:
    """The sound's own parameters; the engine reads them directly."""
