"""What the API takes and gives, beyond the core's own documents."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from caligo.document import Score, Sound

NameText = Annotated[str, Field(min_length=1, max_length=80)]


class ChoiceOut(Schema):
    """One of the values of a choice."""

    value: str
    name: str


class WhenOut(Schema):
    """What switches a parameter on: values of another, or its being away from where it is off."""

    key: str
    values: list[str] = Field(alias="is")


class ParameterOut(Schema):
    """A parameter, as `caligo.catalogue.Parameter` describes it."""

    key: str
    name: str
    help: str
    unit: str
    low: float
    high: float
    default: bool | float | str | list[float]
    kind: Literal["number", "integer", "choice", "switch", "time", "numbers", "reference"]
    scale: Literal["linear", "logarithmic", "decibel", "squared"]
    moves: Literal["no", "per note", "shared"]
    depth_unit: str
    depth_limit: float
    choices: list[ChoiceOut]
    most: int
    of: str
    needed: bool
    when: WhenOut | None
    group: str
    display: Literal["unit", "note", "velocity"]
    two_sided: bool
    gentle_depth: float
    seeded: bool
    off: float | None
    most_beats: float
    most_hold: float


class ItemsOut(Schema):
    """How many items of a kind a source may hold."""

    kind: str
    fewest: int
    most: int


class InnerChainOut(Schema):
    """A chain inside an effect."""

    id: str
    name: str


class ModuleOut(Schema):
    """A module, as `caligo.catalogue.Module` describes it."""

    family: Literal["part", "modulator", "source", "item", "filter", "effect"]
    kind: str
    name: str
    help: str
    parameters: list[ParameterOut]
    items: list[ItemsOut]
    editor: str
    picture: str
    category: str
    seeded: bool
    chains: list[InnerChainOut]
    always_per_note: bool
    scope: Literal["sound", "note"]


class LimitsOut(Schema):
    """How many of a thing a sound may have."""

    layers: int
    filters: int
    effects: int
    buses: int
    modulators: int
    routes: int
    lanes: int
    points: int
    rolls: int
    sends: int


class CatalogueOut(Schema):
    """Every module and parameter, and the limits of counts."""

    version: int = Field(alias="schema")
    modules: list[ModuleOut]
    limits: LimitsOut


class ProblemOut(Schema):
    """One thing that is wrong with a document."""

    address: str
    message: str
    value: Any = None
    allowed: str = ""
    text: str


class SaidOut(Schema):
    """What went wrong, for a person."""

    text: str
    problems: list[ProblemOut]
    revision: int | None = None
    channels: int | None = None
    """Of a recording that has too many, of which some can be taken."""


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


class NamedIn(Schema):
    """A name for something new or renamed."""

    name: NameText


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


class RenderIn(Schema):
    """What to render: container, format, rate, and from where to where in seconds."""

    container: Literal["wav", "flac"] = "wav"
    sample_format: Literal["pcm16", "pcm24", "float32"] = "pcm24"
    rate: Literal[44100, 48000, 96000] = 48000
    start: float = Field(default=0.0, ge=0.0, le=14_400.0)
    end: float | None = Field(default=None, gt=0.0, le=14_460.0)
    tail: float = Field(default=0.0, ge=0.0, le=60.0)


class RenderOut(Schema):
    """How a render stands."""

    id: int
    state: str
    progress: float
    message: str
    container: str
    sample_format: str
    rate: int
    start: float
    end: float
    file_name: str
