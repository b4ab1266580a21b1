"""What new sounds, cues and productions begin with."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from caligo.document import Score as ScoreDocument
from caligo.document import Sound as SoundDocument
from caligo.document.held import held_chord
from studio.library.models import Cue, Production, Score, Sound, Version


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


@dataclass(frozen=True, slots=True)
class CueContent:
    """A cue with its score and its sounds, as documents."""

    number: str
    name: str
    score: ScoreDocument
    sounds: tuple[SoundDocument, ...]


def create_production(name: str, cues: Iterable[CueContent], version: str) -> Production:
    """Create a production from documents; all of it or nothing.

    Parameters
    ----------
    name : str
        Of the production.
    cues : iterable of CueContent
        Its cues, in order.
    version : str
        Name of the first version of every sound.
    """
    with transaction.atomic():
        production = Production.objects.create(name=name)
        for content in cues:
            cue = Cue.objects.create(
                production=production, number=content.number, name=content.name
            )
            Score.objects.create(cue=cue, document=content.score.model_dump(mode="json"))
            for sound in content.sounds:
                document = sound.as_document()
                created = Sound.objects.create(cue=cue, name=sound.name, document=document)
                Version.objects.create(sound=created, number=1, name=version, document=document)
    return production
