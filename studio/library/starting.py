"""What new sounds and cues begin with, and the demo production."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from caligo.document import read_sound
from caligo.document.held import held_chord
from demo.scores import CUES
from demo.sounds import SOUNDS
from studio.library.models import Cue, Production, Score, Sound, Version

DEMO_NAME = "The Long Exposure"


def plain_sound(name: str) -> dict[str, Any]:
    """A clean sound to begin with: one layer, one filter, one reverb, nothing moving."""
    return {
        "name": name,
        "layers": [
            {
                "id": "layer1",
                "name": "Layer 1",
                "source": {"kind": "wavetable", "params": {"unison": 3}},
                "filters": [{"id": "filter1", "kind": "lowpass"}],
                "sends": [{"id": "send1", "bus": "bus1"}],
            }
        ],
        "buses": [
            {
                "id": "bus1",
                "name": "Space",
                "effects": [{"id": "reverb1", "kind": "reverb"}],
            }
        ],
    }


def new_cue(production: Production, number: str, name: str) -> Cue:
    """A cue with a chord held for four minutes."""
    with transaction.atomic():
        cue = Cue.objects.create(production=production, number=number, name=name)
        score = held_chord("C2 G2 D3 A3")
        Score.objects.create(cue=cue, document=score.model_dump(mode="json"))
    return cue


def load_demo() -> Production:
    """The demo production; made if it is not there, otherwise left as it is."""
    found = Production.objects.filter(name=DEMO_NAME).first()
    if found:
        return found
    sounds = {s["name"]: s for s in (make() for make in SOUNDS)}
    with transaction.atomic():
        production = Production.objects.create(name=DEMO_NAME)
        for demo in CUES:
            cue = Cue.objects.create(production=production, number=demo.number, name=demo.name)
            Score.objects.create(cue=cue, document=demo.score.model_dump(mode="json"))
            for name in demo.sounds:
                document = read_sound(sounds[name]).as_document()
                sound = Sound.objects.create(cue=cue, name=name, document=document)
                Version.objects.create(
                    sound=sound, number=1, name="As delivered", document=document
                )
    return production
