"""What the material's API takes and gives."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from caligo.material.cards import Card, Loop, RecordingCard, Step, TableCard
from caligo.material.channels import PATTERN

Finite = Annotated[float, Field(allow_inf_nan=False)]
"""A number in a query, which is text that says what it likes."""
Root = Annotated[float, Field(ge=0.0, le=127.0)]
JobName = Annotated[str, Field(max_length=40, pattern="^[0-9a-f-]*$")]
Take = Annotated[str, Field(pattern=PATTERN)]
NameText = Annotated[str, Field(min_length=1, max_length=80)]


class MaterialOut(Schema):
    """A piece of material, and where it is used."""

    card: Card
    shipped: bool
    used_by: list[str]


class JobOut(Schema):
    """How far something is that a page waits for."""

    progress: float


class TakenIn(Schema):
    """A file that was taken in; whether it was there already."""

    card: RecordingCard
    fresh: bool


class CardChange(Schema):
    """What may be changed of a recording or table; what is not given stays."""

    name: NameText | None = None
    root: Root | None = None
    loop: Loop | None = None
    no_loop: bool = False
    no_root: bool = False
    steps: list[Step] | None = Field(default=None, max_length=32)


class LoopOut(Schema):
    """A loop that was found."""

    start: float
    end: float
    match: float


class SeamOut(Schema):
    """What lies around a loop's join, and how far that jumps in dB, if it does."""

    points: list[float]
    step: float | None


class OutlineOut(Schema):
    """The lowest and highest sample of each column, and the length after the steps."""

    low: list[float]
    high: list[float]
    seconds: float


class CutIn(Schema):
    """How to cut a table from a recording."""

    method: Literal["cycles", "spectrum"] = "cycles"
    frames: int = Field(default=32, ge=1, le=128)
    root: Root | None = None
    name: NameText = "Cut table"


class CutOut(Schema):
    """A cut as it would be kept: cycles of 128 points in [-1, 1], and levels of its partials."""

    cycles: list[list[float]]
    partials: list[list[float]]
    hertz: float


class KeptTable(Schema):
    """A table that was kept."""

    card: TableCard


class InstrumentOut(Schema):
    """Zones for the sampler from an SFZ file, and what was skipped."""

    zones: list[dict[str, str | float]]
    skipped: dict[str, int]
    taken_in: int
