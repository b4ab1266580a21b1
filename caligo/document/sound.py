"""The sound document's structure. Values of parameters are checked against the catalogue."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from caligo.document.limits import (
    MOST_BUSES,
    MOST_EFFECTS,
    MOST_FILTERS,
    MOST_LANES,
    MOST_LAYERS,
    MOST_MODULATORS,
    MOST_POINTS,
    MOST_ROLLS,
    MOST_ROUTES,
    MOST_SOURCES,
)
from caligo.document.score import FASTEST_TEMPO, LONGEST_SCORE, Ident
from caligo.document.times import Time

Value = bool | int | float | str | Time | list[float]
Seed = Annotated[int, Field(ge=0, le=2**53 - 1)]
Name = Annotated[str, Field(min_length=1, max_length=80)]


class DocumentModel(BaseModel):
    """Rules common to everything in a sound: no unknown fields, no NaN."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Part(DocumentModel):
    """A module in a document: an id, its kind, and its parameters' values."""

    family: ClassVar[str] = "part"

    id: Ident
    kind: str
    params: dict[str, Value] = Field(default_factory=dict)

    def number(self, key: str) -> float:
        """The value of a number or integer parameter."""
        value = self.params[key]
        assert isinstance(value, int | float)
        return float(value)

    def text(self, key: str) -> str:
        """The value of a choice parameter."""
        value = self.params[key]
        assert isinstance(value, str)
        return value

    def switch(self, key: str) -> bool:
        """The value of a switch."""
        return bool(self.params[key])

    def numbers(self, key: str) -> list[float]:
        """The value of a parameter that is a list of numbers."""
        value = self.params[key]
        assert isinstance(value, list)
        return [float(v) for v in value]

    def time(self, key: str) -> Time:
        """The value of a time parameter."""
        value = self.params[key]
        assert isinstance(value, Time)
        return value

    def params_as_json(self) -> dict[str, Any]:
        """The parameters' values as plain JSON data."""
        dumped: dict[str, Any] = self.model_dump(mode="json", include={"params"})["params"]
        return dumped


class ItemPart(Part):
    """One of the things that a source is made of, such as an operator or a zone."""

    family = "item"


class SourcePart(Part):
    """What a layer sounds with."""

    family = "source"
    id: Ident = "source"
    items: list[ItemPart] = Field(default_factory=list, max_length=96)

    @property
    def octave(self) -> int:
        """Octaves by which it is moved against its layer; none where it has no pitch."""
        return int(self.number("octave")) if "octave" in self.params else 0

    def of_kind(self, kind: str) -> list[ItemPart]:
        """The source's items of one kind, in order."""
        return [item for item in self.items if item.kind == kind]


class ProcessorPart(Part):
    """Something that a signal passes through, and may go around."""

    bypass: bool = False


class FilterPart(ProcessorPart):
    """One of a layer's filters."""

    family = "filter"


class EffectPart(ProcessorPart):
    """An effect on a layer, a bus, the master, or inside another effect."""

    family = "effect"
    chains: list[InnerChainPart] = Field(default_factory=list, max_length=8)


class InnerChainPart(DocumentModel):
    """A chain of effects inside an effect."""

    id: Ident
    effects: list[EffectPart] = Field(default_factory=list, max_length=MOST_EFFECTS)


class EnvelopePart(Part):
    """A layer's amplitude envelope."""

    id: Ident = "envelope"
    kind: Literal["amplitude"] = "amplitude"


class Send(Part):
    """The way of a layer, or of a bus, to a bus."""

    kind: Literal["send"] = "send"
    bus: Ident


class Layer(Part):
    """Up to four sources with their filters, envelope, effects and place in the mix."""

    kind: Literal["layer"] = "layer"
    name: Name
    mute: bool = False
    solo: bool = False
    source: SourcePart
    more_sources: list[SourcePart] = Field(default_factory=list, max_length=MOST_SOURCES - 1)
    filters: list[FilterPart] = Field(default_factory=list, max_length=MOST_FILTERS)
    envelope: EnvelopePart = Field(default_factory=EnvelopePart)
    inserts: list[EffectPart] = Field(default_factory=list, max_length=MOST_EFFECTS)
    sends: list[Send] = Field(default_factory=list, max_length=MOST_BUSES)

    @property
    def sources(self) -> tuple[SourcePart, ...]:
        """All sources, in order."""
        return (self.source, *self.more_sources)

    def with_source(self, source: SourcePart) -> Layer:
        """The layer with a source alone."""
        return self.model_copy(update={"source": source, "more_sources": []})


class Bus(Part):
    """Effects shared by the layers that send to it."""

    kind: Literal["bus"] = "bus"
    name: Name
    effects: list[EffectPart] = Field(default_factory=list, max_length=MOST_EFFECTS)
    sends: list[Send] = Field(default_factory=list, max_length=MOST_BUSES)


class Master(Part):
    """Effects on everything, final level and ceiling."""

    id: Ident = "master"
    kind: Literal["master"] = "master"
    effects: list[EffectPart] = Field(default_factory=list, max_length=MOST_EFFECTS)


class Roll(DocumentModel):
    """An earlier seed of a modulator, kept to come back to."""

    seed: Seed
    name: str = Field(default="", max_length=80)


class Modulator(Part):
    """Something that moves parameters, per note or once for the whole sound.

    A locked one keeps its seed when all are reseeded. `about` says what a macro is for.
    """

    family = "modulator"
    name: Name
    about: str = Field(default="", max_length=400)
    seed: Seed = 1
    locked: bool = False
    rolls: list[Roll] = Field(default_factory=list, max_length=MOST_ROLLS)
    scope: Literal["note", "sound"] = "sound"


Rule = Literal["newest", "loudest", "mean"]


class Route(DocumentModel):
    """One modulator moving one parameter, with a depth in the parameter's own unit.

    Of a modulator that has values for each note, `rule` says whose hold where all notes share the
    parameter: those of the newest note, of the loudest held one, or the mean of all held ones.
    """

    model_config = ConfigDict(
        extra="forbid", allow_inf_nan=False, validate_by_name=True, serialize_by_alias=True
    )

    id: Ident
    source: Ident = Field(alias="from")
    target: str = Field(alias="to", max_length=120)
    depth: float
    polarity: Literal["bipolar", "unipolar"] = "bipolar"
    curve: float = Field(default=0.0, ge=-100.0, le=100.0)
    scaled_by: Ident | None = None
    muted: bool = False
    rule: Rule = "newest"

    @property
    def modulators(self) -> set[str]:
        """The ids of the modulators that have a part in it."""
        return {self.source} | ({self.scaled_by} if self.scaled_by else set())


ANNOTATIONS = frozenset({"name", "notes", "tags", "about", "rolls", "locked"})
"""Fields, of whatever part, that nobody hears."""


MOST_BEATS = LONGEST_SCORE * FASTEST_TEMPO / 60.0
"""Quarters that the longest score has at the fastest tempo."""


class AutomationPoint(DocumentModel):
    """A parameter's value at a moment; the bend is that of the way to the next point.

    The moment is in the lane's unit.
    """

    time: float = Field(ge=0.0, le=MOST_BEATS)
    value: float
    bend: float = Field(default=0.0, ge=-100.0, le=100.0)


class AutomationLane(DocumentModel):
    """A lane: where a parameter rests at every moment of the cue; what moves it adds to that.

    On beats (quarters), its points go along when the tempo changes.
    """

    id: Ident
    target: str = Field(alias="to", max_length=120)
    muted: bool = False
    unit: Literal["s", "beats"] = "s"
    points: list[AutomationPoint] = Field(default_factory=list, max_length=MOST_POINTS)

    model_config = ConfigDict(
        extra="forbid", allow_inf_nan=False, validate_by_name=True, serialize_by_alias=True
    )


class TuningScale(DocumentModel):
    """A scale as in a Scala file: cents above the root for each degree, the last the repeat."""

    name: str = Field(default="", max_length=200)
    root: int = Field(default=60, ge=0, le=127)
    cents: list[Annotated[float, Field(gt=-12_000, lt=12_000)]] = Field(
        min_length=1, max_length=128
    )


class Sound(Part):
    """A designed sound."""

    model_config = ConfigDict(
        extra="forbid", allow_inf_nan=False, validate_by_name=True, serialize_by_alias=True
    )

    schema_version: Literal[13] = Field(default=13, alias="schema")
    id: Ident = "sound"
    kind: Literal["sound"] = "sound"
    name: Name
    notes: str = Field(default="", max_length=20_000)
    tags: list[Annotated[str, Field(max_length=40)]] = Field(default_factory=list, max_length=40)
    seed: Seed = 1
    scale: TuningScale | None = None
    layers: list[Layer] = Field(min_length=1, max_length=MOST_LAYERS)
    buses: list[Bus] = Field(default_factory=list, max_length=MOST_BUSES)
    master: Master = Field(default_factory=Master)
    modulators: list[Modulator] = Field(default_factory=list, max_length=MOST_MODULATORS)
    routes: list[Route] = Field(default_factory=list, max_length=MOST_ROUTES)
    lanes: list[AutomationLane] = Field(default_factory=list, max_length=MOST_LANES)

    def as_document(self) -> dict[str, Any]:
        """The sound as plain JSON data."""
        return self.model_dump(mode="json", by_alias=True)
