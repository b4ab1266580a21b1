"""Parameters of envelopes: those of layers, sources, operators, and the free one."""

from __future__ import annotations

from caligo.catalogue.parameter import Kind, Moves, Parameter, Scale


def envelope_time(key: str, name: str, help: str, default: float) -> Parameter:
    """A stage of an envelope: up to ten minutes, also in beats or as a share of the note."""
    return Parameter(
        key,
        name,
        help,
        unit="s",
        high=600.0,
        default=default,
        kind=Kind.TIME,
        scale=Scale.LOGARITHMIC,
        moves=Moves.PER_NOTE,
        group="Times",
    )


def envelope_bend(key: str, name: str, help: str, default: float) -> Parameter:
    """The bend of an envelope's stage, from early to late."""
    return Parameter(
        key,
        name,
        help,
        unit="%",
        low=-100.0,
        high=100.0,
        default=default,
        moves=Moves.PER_NOTE,
        group="Bends",
    )


def envelope_stages(
    *, attack: float, hold: float, decay: float, release: float
) -> tuple[Parameter, ...]:
    """The times of an envelope, with these defaults in seconds."""
    return (
        envelope_time("delay", "Delay", "Wait before the attack.", 0.0),
        envelope_time("attack", "Attack", "Time to rise to full level.", attack),
        envelope_time("hold", "Hold", "Time at full level before the decay.", hold),
        envelope_time("decay", "Decay", "Time to fall to the sustain level.", decay),
        envelope_time("release", "Release", "Time to fall to nothing once the note ends.", release),
    )


ENVELOPE_BENDS = (
    envelope_bend("attack_bend", "Attack bend", "Above zero rises early, below zero late.", 20.0),
    envelope_bend("decay_bend", "Decay bend", "Above zero falls early, below zero late.", 50.0),
    envelope_bend("release_bend", "Release bend", "Above zero falls early, below late.", 50.0),
)
"""How the stages curve; shared by the amplitude and the free envelope."""
