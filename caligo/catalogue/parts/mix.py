"""Sends, buses and the master: where layers meet."""

from caligo.catalogue.amount import amount_parameter
from caligo.catalogue.module import Module
from caligo.catalogue.parameter import Choice, Kind, Moves, Parameter, Scale
from caligo.catalogue.registry import register


def _level(key: str, name: str, help: str, default: float = 0.0) -> Parameter:
    return Parameter(
        key,
        name,
        help,
        unit="dB",
        low=-80.0,
        high=12.0,
        default=default,
        scale=Scale.DECIBEL,
        moves=Moves.SHARED,
    )


@register(
    Module(
        family="part",
        kind="send",
        name="Send",
        help="How much of a layer, or of a bus, another bus receives.",
        parameters=(
            _level("level", "Send", "Level at which the bus receives it.", -12.0),
            Parameter(
                "from",
                "Taken",
                "Post-fader it follows level and pan, pre-fader it does not.",
                default="behind",
                kind=Kind.CHOICE,
                choices=(Choice("behind", "Post-fader"), Choice("ahead", "Pre-fader")),
            ),
        ),
    )
)
class SendPart:
    """A send's level."""


@register(
    Module(
        family="part",
        kind="bus",
        name="Bus",
        help="Effects shared by what is sent to it.",
        parameters=(
            _level("level", "Return", "Level at which the bus joins the master."),
            amount_parameter("the bus's effects"),
        ),
    )
)
class BusPart:
    """A bus's return level."""


@register(
    Module(
        family="part",
        kind="master",
        name="Master",
        help="Effects on everything, the final level and the true-peak ceiling.",
        parameters=(
            _level("level", "Level", "Loudness of the whole sound."),
            amount_parameter("the master's effects"),
            Parameter(
                "ceiling",
                "Ceiling",
                "True peak that nothing passes (ITU-R BS.1770-4, Annex 2).",
                unit="dBTP",
                low=-24.0,
                high=0.0,
                default=-1.0,
                scale=Scale.DECIBEL,
            ),
        ),
    )
)
class MasterPart:
    """The master's level and ceiling."""
