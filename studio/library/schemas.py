"""What the API takes and gives of productions, cues, sounds, scores and versions."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from ninja import Schema
from pydantic import Field

from caligo.document import Score, Sound
from studio.schemas import NamedIn


class SoundEntry(Schema):
    """A sound in the list."""

    id: int
    name: str


class CueEntry(Schema):
    """A cue in the list."""

    id: int
    number: str
    name: str
    sounds: list[SoundEntry]


class ProductionEntry(Schema):
    """A production in the list."""

    id: int
    name: str
    cues: list[CueEntry]


class RemovedEntry(Schema):
    """Something that was deleted and can be brought back."""

    kind: Literal["production", "cue", "sound", "version"]
    id: int
    name: str
    where: str
    removed: datetime


class CueIn(NamedIn):
    """A new or renamed cue."""

    number: str = Field(default="", max_length=12)


class SoundIn(NamedIn):
    """A new sound, plain or a copy of another."""

    copy_of: int | None = None


class OpenedSound(Schema):
    """A sound with everything needed to work on it."""

    id: int
    revision: int
    document: Sound
    cue: CueEntry
    production: SoundEntry
    score: Score
    score_revision: int
    warnings: list[str]


class PatchIn(Schema):
    """An edit: JSON Patch operations (RFC 6902) against a revision."""

    revision: int
    patch: list[dict[str, Any]] = Field(max_length=2_000)


class SoundSaved(Schema):
    """A sound as it was saved after an edit, and what of it does nothing."""

    revision: int
    document: Sound
    warnings: list[str]


class ScoreSaved(Schema):
    """A score as it was saved after an edit."""

    revision: int
    document: Score


class VersionIn(Schema):
    """A name for the state to keep."""

    name: str = Field(default="", max_length=120)


class VersionOut(Schema):
    """A kept state."""

    id: int
    number: int
    name: str
    created: str


class VersionDocument(VersionOut):
    """A kept state with its document."""

    document: Sound


class ChordIn(Schema):
    """A chord to hold: notes or chord symbols."""

    text: str = Field(max_length=200)
    length: float = Field(default=240.0, ge=1.0, le=14_400.0)
