"""The API of rolls: what a modulator would do with other seeds."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router, Schema
from ninja.errors import HttpError
from pydantic import Field

from caligo.document import read_score, read_sound
from caligo.document.limits import MOST_ROLLS
from caligo.document.sound import Seed
from caligo.engine.views.trajectories import rolls
from studio.library.models import Sound
from studio.schemas import ErrorOut

router = Router(tags=["rolls"])


class RollsIn(Schema):
    """A modulator, and the seeds that are wanted."""

    modulator: str = Field(max_length=40)
    seeds: list[Seed] = Field(max_length=MOST_ROLLS + 1)


class RollOut(Schema):
    """A seed, and what the modulator does with it over the length."""

    seed: int
    values: list[float]


@router.post(
    "/sounds/{sound_id}/rolls", response={200: list[RollOut], 404: ErrorOut, 422: ErrorOut}
)
def rolls_of(request: HttpRequest, sound_id: int, given: RollsIn) -> Any:
    """What a modulator of a sound would do with other seeds."""
    row = Sound.objects.select_related("cue__score").get(pk=sound_id)
    sound, score = read_sound(row.document), read_score(row.cue.score.document)
    if given.modulator not in {m.id for m in sound.modulators}:
        raise HttpError(422, f"this sound has no modulator {given.modulator!r}")
    found = rolls(sound, score, given.modulator, given.seeds)
    return [
        {"seed": seed, "values": [float(f"{v:.4g}") for v in values]}
        for seed, values in found.items()
    ]
