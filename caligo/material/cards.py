"""Cards: what the material library knows of a piece of material, beside its samples."""

from __future__ import annotations

import hashlib
import json
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

Name = Annotated[str, Field(min_length=1, max_length=80)]
Key = Annotated[str, Field(pattern=r"^[0-9a-f]{16}$")]
FileName = Annotated[str, Field(pattern=r"^[^/\\\x00.][^/\\\x00]*$", max_length=120)]
"""A file in the directory of the card, and in no other."""
Seconds = Annotated[float, Field(ge=0.0, le=1200.0)]


class CardModel(BaseModel):
    """Rules common to all that a card holds."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Trim(CardModel):
    """Keep what lies between two moments, in seconds."""

    do: Literal["trim"] = "trim"
    start: Seconds
    end: Seconds


class Fade(CardModel):
    """Fade in from the start and out to the end, in seconds."""

    do: Literal["fade"] = "fade"
    rise: Seconds = 0.0
    fall: Seconds = 0.0


class Normalise(CardModel):
    """Bring the highest sample to a level, in dB below full scale."""

    do: Literal["normalise"] = "normalise"
    peak: Annotated[float, Field(ge=-60.0, le=0.0)] = -1.0


class Reverse(CardModel):
    """Turn the recording round."""

    do: Literal["reverse"] = "reverse"


Step = Annotated[Trim | Fade | Normalise | Reverse, Field(discriminator="do")]


class Loop(CardModel):
    """A stretch that may be repeated, in seconds of what the steps leave, and its crossfade."""

    start: Seconds
    end: Seconds
    fade: Annotated[float, Field(ge=0.0, le=10.0)] = 0.05


class RecordingCard(CardModel):
    """A recording.

    Parameters
    ----------
    key
        The hash of its samples: the same recording is always the same piece.
    root
        The key at which it sounds as recorded, with fractions; None where it has no pitch.
    detected
        What the pitch detection found, kept for coming back to.
    """

    kind: Literal["recording"] = "recording"
    key: Key
    name: Name
    file: FileName
    rate: int
    channels: int
    frames: int
    origin: str = ""
    root: Annotated[float, Field(ge=0.0, le=127.0)] | None = None
    detected: float | None = None
    loop: Loop | None = None
    steps: list[Step] = Field(default_factory=list, max_length=32)
    peak: float | None = None
    loudness: float | None = None
    played: float | None = None

    @property
    def evened(self) -> float | None:
        """The loudness in LUFS by which it is brought to one level with others.

        As it is played, see `caligo.material.recording.played_loudness`; cards that were written
        before that was measured go by its own loudness, and keep their level.
        """
        return self.loudness if self.played is None else self.played

    @property
    def seconds(self) -> float:
        """Length as recorded."""
        return self.frames / self.rate

    def signature(self) -> str:
        """A hash of all of the card that changes how the recording sounds."""
        header = self.model_dump(mode="json", include={"key", "root", "loop", "steps"})
        return _hash(header)


class TableCard(CardModel):
    """A wavetable that was cut from material.

    Parameters
    ----------
    origin
        The recording or picture, and the way it was cut, for people.
    source
        The key of the recording, if it was one.
    cut
        The values it was cut by.
    """

    kind: Literal["table"] = "table"
    key: Key
    name: Name
    file: FileName
    frames: int
    origin: str
    source: str = ""
    cut: dict[str, Any] = Field(default_factory=dict)

    def signature(self) -> str:
        """A hash of all of the card that changes how the table sounds."""
        return self.key


Card = Annotated[RecordingCard | TableCard, Field(discriminator="kind")]
CARD: TypeAdapter[RecordingCard | TableCard] = TypeAdapter(Card)
STEPS: TypeAdapter[list[Step]] = TypeAdapter(list[Step])


def _hash(header: Any) -> str:
    return hashlib.sha256(json.dumps(header, sort_keys=True).encode()).hexdigest()[:16]
