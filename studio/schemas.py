"""What every app of the API takes and gives: names, and what went wrong."""

from __future__ import annotations

from typing import Annotated, Any

from ninja import Schema
from pydantic import Field

NameText = Annotated[str, Field(min_length=1, max_length=80)]


class ProblemOut(Schema):
    """One thing that is wrong with a document."""

    address: str
    message: str
    value: Any = None
    allowed: str = ""
    text: str


class ErrorOut(Schema):
    """What went wrong, for a person."""

    text: str
    problems: list[ProblemOut]
    revision: int | None = None
    channels: int | None = None
    """Of a recording that has too many, of which some can be taken."""


class NamedIn(Schema):
    """A name for something new or renamed."""

    name: NameText
