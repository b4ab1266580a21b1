"""What the API takes and gives of renders."""

from __future__ import annotations

from typing import Literal

from ninja import Schema
from pydantic import Field


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
