"""What the API gives of the catalogue."""

from __future__ import annotations

from typing import Literal

from ninja import Schema
from pydantic import Field


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
    """A chain inside an effect, and what switches it on."""

    id: str
    name: str
    when: WhenOut | None


class AddedOut(Schema):
    """Groups of parameters that are added and removed one by one, by the choice in each."""

    name: str
    keys: list[str]
    off: str
    on: str


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
    added: AddedOut | None
    always_per_note: bool
    scope: Literal["sound", "note"]


class LimitsOut(Schema):
    """How many of a thing a sound may have."""

    layers: int
    sources: int
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
