"""The messages of the WebSocket; the page's types are generated from these.

Text messages are JSON, distinguished by ``type``. Binary ones are packets (`studio.live.packets`)
whose headers are described here as well.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError
from pydantic.json_schema import models_json_schema

from caligo.document.score import LONGEST_SCORE

LONGEST_TEXT = 4_096
"""Characters of a message from the page at most."""
SHORTEST_LOOP = 0.1
SHORTEST_PROBE = 0.5
Moment = Annotated[float, Field(ge=0.0, le=LONGEST_SCORE)]
Count = Annotated[int, Field(ge=0, le=2**53)]
Line = list[float | None]
"""Values over the length; nothing where there is silence."""


class BadMessage(ValueError):
    """A message from the page that makes no sense."""


class Message(BaseModel):
    """What all messages have in common: no unknown fields, no NaN."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


# From the page


class Listen(Message):
    """Play from a moment on, and round and round where there is a loop."""

    type: Literal["listen"]
    start: Moment = Field(alias="from")
    loop: tuple[Moment, Moment] | None = None


class Stop(Message):
    """Stop playing."""

    type: Literal["stop"]


class Seek(Message):
    """Go on from another moment."""

    type: Literal["seek"]
    to: Moment


class SetLoop(Message):
    """Loop a stretch from now on, or none."""

    type: Literal["loop"]
    loop: tuple[Moment, Moment] | None


class Heard(Message):
    """So many samples of a stream have been played."""

    type: Literal["heard"]
    stream: Count
    frames: Count


class Press(Message):
    """A key goes down."""

    type: Literal["press"]
    key: int = Field(ge=0, le=127)
    velocity: int = Field(ge=1, le=127)


class Lift(Message):
    """A key goes up."""

    type: Literal["lift"]
    key: int = Field(ge=0, le=127)


class Panic(Message):
    """Silence at once."""

    type: Literal["panic"]


class Still(Message):
    """Stop all movement at its resting values or as it is at a moment, or let it go on."""

    type: Literal["still"]
    still: bool
    at: Moment | None = None


class SkimAll(Message):
    """Hear the whole length in so many seconds."""

    type: Literal["skim"]
    seconds: float = Field(ge=5.0, le=60.0)


class Compare(Message):
    """Hear two moments in turn, again and again."""

    type: Literal["compare"]
    moments: tuple[Moment, Moment]


class DrawDetail(Message):
    """Look closer at a stretch from now on, or only at the whole."""

    type: Literal["look"]
    span: tuple[Moment, Moment] | None


class NotesOf(Message):
    """What a parameter does in each note by itself, over the whole or the stretch looked at."""

    type: Literal["notes"]
    address: str = Field(max_length=120)


class MakeUpOf(Message):
    """What an effect's output has to be so that it makes nothing louder or softer."""

    type: Literal["make_up"]
    address: str = Field(max_length=120)


class Watch(Message):
    """Tell the spectrum of a slot of the chain while it plays; of none where it is empty."""

    type: Literal["watch"]
    slot: str = Field(max_length=120)


class Ping(Message):
    """Whether the server is still there; it answers at once."""

    type: Literal["ping"]


FromPage = (
    Listen
    | Stop
    | Seek
    | SetLoop
    | Heard
    | Press
    | Lift
    | Panic
    | Still
    | SkimAll
    | Compare
    | DrawDetail
    | NotesOf
    | MakeUpOf
    | Watch
    | Ping
)
_from_page: TypeAdapter[FromPage] = TypeAdapter(Annotated[FromPage, Field(discriminator="type")])


def read_message(text: str) -> FromPage:
    """A message from the page.

    Raises
    ------
    BadMessage
        In a line that says what is wrong.
    """
    if len(text) > LONGEST_TEXT:
        raise BadMessage(f"a message has at most {LONGEST_TEXT} characters, not {len(text)}")
    try:
        message = _from_page.validate_json(text)
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        where = ".".join(str(step) for step in first["loc"]) or "message"
        raise BadMessage(f"{where}: {first['msg'][:200]}") from None
    loop = message.loop if isinstance(message, Listen | SetLoop) else None
    if loop is not None and loop[1] - loop[0] < SHORTEST_LOOP:
        raise BadMessage("a loop lasts at least a tenth of a second")
    span = message.span if isinstance(message, DrawDetail) else None
    if span is not None and span[1] - span[0] < SHORTEST_PROBE:
        raise BadMessage("a stretch to look at lasts at least half a second")
    return message


# To the page


class ReadingOut(Message):
    """What can be read off a trajectory: values in the parameter's unit, the fastest a second."""

    least: float
    mean: float
    greatest: float
    fastest: float
    words: list[str]


class ReturnOut(Message):
    """After how many seconds something comes round; or why it never does."""

    seconds: float | None
    exact: str
    why: str


class ReturnsOut(Message):
    """When all comes round together, each modulator alone, and the two that do so soonest."""

    whole: ReturnOut
    modulators: dict[str, ReturnOut]
    soonest: tuple[str, str, float] | None


class NotesNews(Message):
    """What a parameter does in each note, by the note's id; nothing while it is not there."""

    type: Literal["notes"] = "notes"
    revision: int
    address: str
    start: float
    end: float
    notes: dict[str, Line]


class MakeUpNews(Message):
    """Decibels to add to an effect's output; null where nothing is heard through it."""

    type: Literal["make_up"] = "make_up"
    revision: int
    address: str
    decibels: float | None


class PictureNews(BaseModel):
    """The picture of one of a layer's sources; its kind decides what else there is.

    Responses of the filters come with the first.
    """

    model_config = ConfigDict(extra="allow")

    type: Literal["picture"] = "picture"
    layer: str
    source: str
    revision: int
    kind: str
    length: float


class FindingOut(Message):
    """What stands out, and the band or level that answers it, see `Finding` in the core."""

    kind: Literal["peak", "mud", "harshness", "rumble", "ceiling"]
    hertz: float
    excess: float
    fraction: float
    shape: str
    gain: float
    width: float
    text: str


class SummaryNews(Message):
    """What is known of the whole, and the level behind every slot of the chain."""

    type: Literal["summary"] = "summary"
    revision: int
    still: bool
    frozen: float | None
    integrated: float | None
    range: float | None
    true_peak: float | None
    width: float | None
    correlation: float | None
    loudness: Line
    slots: dict[str, Line]
    peaks: dict[str, float | None]
    findings: list[FindingOut]


class ListeningNews(Message):
    """A stream of samples begins."""

    model_config = ConfigDict(serialize_by_alias=True, validate_by_name=True, extra="forbid")

    type: Literal["listening"] = "listening"
    stream: int
    start: float = Field(alias="from")


class StoppedNews(Message):
    """A stream has ended."""

    type: Literal["stopped"] = "stopped"
    stream: int


class ChangedNews(Message):
    """The sound or its score was changed and saved."""

    type: Literal["changed"] = "changed"
    revision: int


class RenderNews(Message):
    """How a render goes."""

    type: Literal["render"] = "render"
    id: int
    state: str
    progress: float
    message: str


class PongNews(Message):
    """The server is there."""

    type: Literal["pong"] = "pong"


class ProblemNews(Message):
    """Something went wrong, said for a person."""

    type: Literal["problem"] = "problem"
    text: str


News = (
    NotesNews
    | MakeUpNews
    | PictureNews
    | SummaryNews
    | ListeningNews
    | StoppedNews
    | ChangedNews
    | RenderNews
    | ProblemNews
    | PongNews
)


class AudioHeader(Message):
    """The header of a packet of samples.

    It tells its stream, the frame of it and the moment that it begins at, and how many panics of
    the stream it comes after. What was sent from that frame on is replaced.
    """

    stream: int
    frame: int
    at: float
    panics: int


class SpectrumHeader(Message):
    """The header of a watched slot's spectrum, up to a moment.

    The data are bytes: the bins of the left side, then of the right, each `bin_hertz` wide, in half
    decibels over `floor`.
    """

    stream: int
    at: float
    slot: str
    bin_hertz: float
    floor: float


class TrajectoriesHeader(Message):
    """The header of all trajectories, over the whole length or a stretch of it.

    The data are 32-bit floats: for each of `modulators`, then of `parameters`, the middle, lowest
    and highest value at each of the points; then for each of `spread` the lowest and the highest
    over the sounding notes, NaN where none sounds. Readings and returns are reported with the
    whole.
    """

    revision: int
    start: float
    end: float
    points: int
    modulators: list[str]
    parameters: list[str]
    spread: list[str]
    depths: dict[str, float]
    """The routes' depths that this was computed with, by their ids; none where all is still."""
    two_sided: list[str]
    """The modulators that go from -1 to 1; the others go from 0 to 1."""
    readings: dict[str, ReadingOut]
    quick: dict[str, str]
    returns: ReturnsOut | None


class TileHeader(Message):
    """The header of a tile of the long view, see `caligo.engine.views.long_view.Tile`."""

    revision: int
    still: bool
    frozen: float | None
    first: int
    span: int
    fine: bool
    columns: int
    rows: int
    total: int
    low: float
    high: float
    floor: float
    places: int
    octaves: list[float]
    loudness: Line
    width: Line


class CloserHeader(TileHeader):
    """The header of a tile of a stretch that is looked at closer, in seconds."""

    start: float
    end: float


class LiveMessages(BaseModel):
    """All messages, so that they are described in one place."""

    from_page: Annotated[FromPage, Field(discriminator="type")]
    to_page: Annotated[News, Field(discriminator="type")]
    audio: AudioHeader
    spectrum: SpectrumHeader
    trajectories: TrajectoriesHeader
    tile: TileHeader
    detail: CloserHeader


def message_schemas() -> dict[str, Any]:
    """The JSON Schemas of all messages by name, as OpenAPI's components take them."""
    _, described = models_json_schema(
        [(LiveMessages, "serialization")], ref_template="#/components/schemas/{model}"
    )
    found: dict[str, Any] = described["$defs"]
    return found
