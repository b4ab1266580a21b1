"""The demo production in the library: where the demo's documents meet the studio."""

from __future__ import annotations

from caligo.document import read_sound
from demo.scores import CUES
from demo.sounds import SOUNDS
from studio.library.models import Production
from studio.library.starting import CueContent, create_production

NAME = "The Long Exposure"


def load_demo() -> Production:
    """The demo production; created if it is not there, otherwise left as it is."""
    found = Production.objects.filter(name=NAME).first()
    if found:
        return found
    sounds = {sound.name: sound for sound in (read_sound(make()) for make in SOUNDS)}
    contents = (
        CueContent(cue.number, cue.name, cue.score, tuple(sounds[name] for name in cue.sounds))
        for cue in CUES
    )
    return create_production(NAME, contents, "As delivered")
