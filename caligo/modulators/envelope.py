"""The free envelope: values that each note starts anew."""

from __future__ import annotations

from caligo.catalogue import Kind, Module, Moves, Parameter, register
from caligo.catalogue.envelopes import ENVELOPE_BENDS, envelope_stages
from caligo.document.sound import Modulator as ModulatorPart
from caligo.movement.envelope import NoteEnvelope
from caligo.movement.modulator import Modulator, Surroundings
from caligo.movement.moments import Moments
from caligo.movement.notes import Floats


@register(
    Module(
        family="modulator",
        kind="envelope",
        name="Envelope",
        help="A rise and fall that each note starts: rise, hold, fall, stay, die away.",
        category="Notes",
        scope="note",
        parameters=(
            *envelope_stages(attack=10.0, hold=0.0, decay=10.0, release=5.0),
            Parameter(
                "sustain",
                "Sustain",
                "Where it stays while the note is held.",
                unit="%",
                high=100.0,
                default=50.0,
                moves=Moves.PER_NOTE,
                group="Level",
            ),
            *ENVELOPE_BENDS,
            Parameter(
                "repeats",
                "Repeats",
                "Rises and falls again and again while the note is held.",
                default=False,
                kind=Kind.SWITCH,
                group="Times",
            ),
        ),
    )
)
class Envelope(Modulator):
    """A free envelope, to be routed anywhere."""

    bipolar = False
    uses_length = True

    def __init__(self, part: ModulatorPart, movement: Surroundings) -> None:
        super().__init__(part, movement)
        self._envelope: NoteEnvelope | None = None

    def values(self, moments: Moments) -> Floats:
        """See `Modulator.values`; in [0, 1]."""
        if self._envelope is None:
            self._envelope = NoteEnvelope(
                self.movement,
                self.part.id,
                lambda x: x / 100.0,
                repeats=self.part.switch("repeats"),
            )
        return self._envelope.values(moments)
