"""The place of a source among those of its layer: every source has it, and none declares it."""

from __future__ import annotations

from dataclasses import replace

from caligo.catalogue.envelopes import envelope_bend, envelope_time
from caligo.catalogue.module import Module
from caligo.catalogue.parameter import (
    Choice,
    Kind,
    Moves,
    Parameter,
    key_number,
    key_velocity,
    seven_bit,
)

MOST_ENTRIES = 4
"""Filters that a source may enter at: as many as a layer may have."""
ALL = "all"
"""The entry of a source that goes through all filters."""
MIX, ENVELOPE, RANGE = "Source mix", "Source envelope", "Source range"


def _own(parameter: Parameter) -> Parameter:
    """A parameter of the source's envelope, which acts where the source has one."""
    key = f"own_{parameter.key}"
    return replace(parameter, key=key, group=ENVELOPE, when=("own_envelope", ("yes",)))


OCTAVE = Parameter(
    "octave",
    "Octave",
    "Moves this source alone by whole octaves.",
    unit="oct",
    low=-4,
    high=4,
    default=0,
    kind=Kind.INTEGER,
    group=MIX,
)
"""Of sources that have a pitch."""
PARAMETERS = (
    Parameter(
        "source_pan",
        "Source pan",
        "Balance of this source between left and right.",
        unit="%",
        low=-100.0,
        high=100.0,
        default=0.0,
        moves=Moves.PER_NOTE,
        group=MIX,
    ),
    Parameter(
        "entry",
        "Enters at",
        "In series it goes on through the filters behind; in parallel through this one alone.",
        default=ALL,
        kind=Kind.CHOICE,
        choices=(
            Choice(ALL, "All filters"),
            *(Choice(str(n + 1), f"Filter {n + 1}") for n in range(MOST_ENTRIES)),
        ),
        group=MIX,
    ),
    Parameter(
        "filtered",
        "Filtered",
        "How much goes through the filters; the rest goes around them.",
        unit="%",
        low=0.0,
        high=100.0,
        default=100.0,
        moves=Moves.PER_NOTE,
        group=MIX,
    ),
    Parameter(
        "own_envelope",
        "Own envelope",
        "Whether this source fades in and out by itself, ahead of the filters.",
        default="no",
        kind=Kind.CHOICE,
        choices=(Choice("no", "No"), Choice("yes", "Yes")),
        group=ENVELOPE,
    ),
    _own(envelope_time("delay", "Delay", "Wait before this source comes in.", 0.0)),
    _own(envelope_time("attack", "Attack", "Time in which it comes in.", 2.0)),
    _own(envelope_bend("attack_bend", "Attack bend", "Above zero rises early, below late.", 0.0)),
    _own(envelope_time("release", "Release", "Time in which it fades once the note ends, for as "
                       "long as the layer's envelope lasts.", 3.0)),
    _own(envelope_bend("release_bend", "Release bend", "Above zero falls early, below late.", 0.0)),
    key_number("key_low", "Lowest key", "Notes below are not played by this source.", 0, RANGE),
    key_number("key_high", "Highest key", "Notes above are not played by this source.", 127, RANGE),
    seven_bit("key_fade", "Key fade", "Over how many keys it fades in at its borders.", 0, RANGE),
    key_velocity("velocity_low", "Softest", "Softer notes are not played by it.", 0, RANGE),
    key_velocity("velocity_high", "Hardest", "Harder notes are not played by it.", 127, RANGE),
    seven_bit("velocity_fade", "Velocity fade",
              "Over how many velocity steps it fades in at its borders.", 0, RANGE),
)  # fmt: skip


def with_placement(module: Module) -> Module:
    """A source's module with the parameters that all sources share, an octave if it has a pitch."""
    pitched = (OCTAVE,) if module.parameter("fine") else ()
    return replace(module, parameters=(*module.parameters, *pitched, *PARAMETERS))
