"""The score: what a cue plays. Notes and markers lie in seconds, as film has it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

LONGEST_SCORE = 4 * 3600.0
FASTEST_TEMPO = 400.0
"""Quarters per minute."""
PRESSURE, BEND = 128, 129
"""Lanes of channel pressure, and of the pitch bend, which rests at a half."""

Ident = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,31}$")]
Seconds = Annotated[float, Field(ge=0.0, le=LONGEST_SCORE)]


class ScoreModel(BaseModel):
    """Rules common to everything in a score: no unknown fields, no NaN."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Note(ScoreModel):
    """A held note: MIDI key number, start and length in seconds, velocity 1 to 127."""

    id: Ident
    pitch: int = Field(ge=0, le=127)
    start: Seconds
    length: float = Field(gt=0.0, le=LONGEST_SCORE)
    velocity: int = Field(default=90, ge=1, le=127)


class TempoChange(ScoreModel):
    """Quarter notes per minute from a moment on."""

    time: Seconds = 0.0
    bpm: float = Field(default=120.0, ge=10.0, le=FASTEST_TEMPO)


class MetreChange(ScoreModel):
    """Beats in a bar, and the note value of a beat, from a moment on."""

    time: Seconds = 0.0
    numerator: int = Field(default=4, ge=1, le=32)
    denominator: Literal[1, 2, 4, 8, 16, 32] = 4


class LanePoint(ScoreModel):
    """A controller's value at a moment; values between points are joined by lines."""

    time: Seconds
    value: float = Field(ge=0.0, le=1.0)


class Lane(ScoreModel):
    """A controller over time; controller 1 is the modulation wheel (MIDI 1.0).

    `PRESSURE` and `BEND`, which MIDI does not number, follow behind the controllers.
    """

    id: Ident
    controller: int = Field(ge=0, le=129)
    points: list[LanePoint] = Field(default_factory=list, max_length=20_000)


class Marker(ScoreModel):
    """A named moment."""

    id: Ident
    time: Seconds
    name: str = Field(max_length=200)


class Score(ScoreModel):
    """Everything that a cue plays, and how long it is looked at."""

    schema_version: Literal[2] = Field(default=2, alias="schema")
    name: str = Field(default="", max_length=200)
    length: float = Field(default=240.0, ge=1.0, le=LONGEST_SCORE)
    tempo: list[TempoChange] = Field(default_factory=lambda: [TempoChange()], max_length=2_000)
    metre: list[MetreChange] = Field(default_factory=lambda: [MetreChange()], max_length=2_000)
    notes: list[Note] = Field(default_factory=list, max_length=20_000)
    lanes: list[Lane] = Field(default_factory=list, max_length=120)
    markers: list[Marker] = Field(default_factory=list, max_length=2_000)
    frame_rate: Literal[24, 25, 30] = 25

    model_config = ConfigDict(
        extra="forbid", allow_inf_nan=False, validate_by_name=True, serialize_by_alias=True
    )
