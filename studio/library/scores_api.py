"""The API of scores: edits, held chords, and Standard MIDI Files in and out."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import File, Router
from ninja.files import UploadedFile

from caligo.document import Score as ScoreDocument
from caligo.document import read_score
from caligo.document.held import held_chord
from caligo.formats.midi import MOST_BYTES, write_midi
from studio.library.editing import edit_score
from studio.library.models import Score
from studio.library.schemas import ChordIn, PatchIn, ScoreSaved
from studio.schemas import ErrorOut
from studio.workers import in_a_worker

router = Router(tags=["scores"])


@router.patch(
    "/cues/{cue_id}/score",
    by_alias=True,
    response={200: ScoreSaved, 404: ErrorOut, 409: ErrorOut, 422: ErrorOut},
)
def patch_score(request: HttpRequest, cue_id: int, given: PatchIn) -> Any:
    """Edit a cue's score."""
    return edit_score(cue_id, given.revision, given.patch)


@router.get("/cues/{cue_id}/score.mid", response={404: ErrorOut})
def download_midi(request: HttpRequest, cue_id: int) -> HttpResponse:
    """The score as a Standard MIDI File."""
    score = Score.objects.get(cue_id=cue_id)
    response = HttpResponse(write_midi(read_score(score.document)), content_type="audio/midi")
    response.headers["Content-Disposition"] = f'attachment; filename="cue-{cue_id}.mid"'
    return response


@router.post("/scores/chord", response={200: ScoreDocument, 422: ErrorOut}, by_alias=True)
def chord_score(request: HttpRequest, given: ChordIn) -> Any:
    """A score that holds a chord; nothing is saved."""
    return held_chord(given.text, given.length)


@router.post("/scores/midi", response={200: ScoreDocument, 422: ErrorOut}, by_alias=True)
def midi_score(request: HttpRequest, file: File[UploadedFile]) -> Any:
    """The score in a Standard MIDI File; nothing is saved."""
    name = file.name or "the file"
    return in_a_worker("studio.library.score_reading:read", file.read(MOST_BYTES + 1), name)
