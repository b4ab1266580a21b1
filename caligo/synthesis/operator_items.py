"""What a document says of operators and of how they act on each other."""

from __future__ import annotations

from typing import Any

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, Scale, register
from caligo.catalogue.envelopes import ENVELOPE_BENDS, envelope_stages

SILENT = -80.0
"""Decibels at which an operator is not heard."""
MOST_BY_KEY = 24.0
"""Decibels by which an operator grows at most, however steep its key scaling and high the note."""


def _moved(key: str, name: str, help: str, unit: str, **more: Any) -> Parameter:
    return Parameter(key, name, help, unit=unit, moves=Moves.PER_NOTE, **more)


OWN = ("shape", ("own",))
OPERATOR = Module(
    family="item",
    kind="operator",
    name="Operator",
    help="One wave: heard, or acting on others, or both.",
    parameters=(
        Parameter("wave", "Wave", "Its shape.", default="sine", kind=Kind.CHOICE, choices=(
            Choice("sine", "Sine"), Choice("triangle", "Triangle"), Choice("saw", "Saw"),
            Choice("square", "Square"), Choice("noise", "Noise"),
        )),
        Parameter("tuned", "Tuned", "By the note, or to a frequency of its own.",
                  default="ratio", kind=Kind.CHOICE,
                  choices=(Choice("ratio", "To the note"), Choice("fixed", "Fixed"))),
        _moved("ratio", "Ratio", "Its frequency as a multiple of the note's.", "", low=0.05,
               high=64.0, default=1.0, scale=Scale.LOGARITHMIC, when=("tuned", ("ratio",))),
        _moved("hertz", "Frequency", "Its own frequency.", "Hz", low=0.01, high=16000.0,
               default=110.0, scale=Scale.LOGARITHMIC, when=("tuned", ("fixed",))),
        _moved("offset", "Offset", "Accumulated to its frequency: slow beats at any pitch.", "Hz",
               low=-2000.0, high=2000.0),
        _moved("level", "Output level", "How loud it is itself; what it modulates stays.", "dB",
               low=SILENT, high=12.0, scale=Scale.DECIBEL),
        _moved("pan", "Pan", "Where it is heard.", "%", low=-100.0, high=100.0),
        Parameter("phase", "Phase", "Where in its wave it begins.", unit="°", high=360.0),
        Parameter("restart", "Restart", "Begin each note at that phase, not anywhere.",
                  default=True, kind=Kind.SWITCH),
        Parameter("way", "Routing", "Through the layer's filters, or past them.",
                  default="filters", kind=Kind.CHOICE,
                  choices=(Choice("filters", "Through the filters"), Choice("past", "Past them"))),
        Parameter("velocity", "Velocity", "How much weaker it is in the softest note.",
                  unit="dB", high=48.0),
        Parameter("key_scale", "Key scaling",
                  f"How it grows, by {MOST_BY_KEY:g} dB at most, or weakens above middle C.",
                  unit="dB/oct", low=-18.0, high=18.0),
        Parameter("shape", "Envelope", "Steady, with an envelope of its own, or another's.",
                  default="steady", kind=Kind.CHOICE,
                  choices=(Choice("steady", "Steady"), Choice("own", "Its own"),
                           Choice("other", "Another operator's"))),
        Parameter("shape_of", "Envelope of", "The operator whose envelope it follows.",
                  default="", kind=Kind.REFERENCE, of="operator", when=("shape", ("other",))),
        *(Parameter(p.key, p.name, p.help, unit=p.unit, low=p.low, high=p.high,
                    default=p.default, kind=p.kind, scale=p.scale, moves=p.moves, when=OWN)
          for p in (*envelope_stages(attack=0.5, hold=0.0, decay=8.0, release=3.0),
                    Parameter("sustain", "Sustain", "Where it stays.", unit="%", high=100.0,
                              default=50.0, moves=Moves.PER_NOTE),
                    *ENVELOPE_BENDS)),
    ),
)  # fmt: skip
LINK = Module(
    family="item",
    kind="modulation",
    name="Modulation",
    help="One operator shifts the phase of another, or its own.",
    parameters=(
        Parameter("from", "From", "The operator that acts.", default="", kind=Kind.REFERENCE,
                  of="operator", needed=True),
        Parameter("to", "To", "The operator that it acts on.", default="", kind=Kind.REFERENCE,
                  of="operator", needed=True),
        _moved("amount", "Amount", "The index: how far it shifts the phase.", "rad",
               high=24.0, default=1.0),
    ),
)  # fmt: skip


@register(OPERATOR)
class OperatorItem:
    """An operator in a document; the source reads it."""


@register(LINK)
class ModulationItem:
    """A modulation in a document; the source reads it."""
