"""Sounds that nobody has open are drawn while the studio has nothing else to do."""

from __future__ import annotations

import json
import struct
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from caligo.document import read_score, read_sound
from caligo.engine.views.picture_store import PictureStore, picture_key
from studio.cleanup import PICTURES
from studio.library.editing import add_sound
from studio.library.models import Sound
from studio.library.starting import plain_sound
from studio.live.drawing import draw
from studio.live.idle_prerender import IdlePrerender
from studio.live.packets import TILE
from studio.workers import FREE, WAITING, idle, spare, yield_to_playback

pytestmark = pytest.mark.django_db(transaction=True)

LONGEST = 180.0


@pytest.fixture
def stems(tmp_path: Path) -> tuple[Path, int]:
    return tmp_path / "stems", 1 << 30


@pytest.fixture
def unseen(stems: tuple[Path, int]) -> Iterator[Callable[[], IdlePrerender]]:
    """Begins to draw ahead; ends it with the test."""
    made: list[IdlePrerender] = []

    def begin() -> IdlePrerender:
        made.append(IdlePrerender(stems, rest=0.05))
        return made[0]

    yield begin
    for one in made:
        one.close()
    waited_for(lambda: not spare.busy)


@pytest.fixture
def player() -> Iterator[object]:
    """Somebody who plays, while he says so."""
    who = object()
    yield who
    yield_to_playback(who, WAITING)
    yield_to_playback(who, FREE)


def waited_for(condition: Callable[[], bool]) -> bool:
    end = time.monotonic() + LONGEST
    while not condition():
        if time.monotonic() > end:
            return False
        time.sleep(0.02)
    return True


def waited_briefly(condition: Callable[[], bool]) -> bool:
    for _ in range(20):
        if condition():
            return True
        time.sleep(0.02)
    return False


def is_drawn(sound: Sound, stems: tuple[Path, int]) -> bool:
    score = read_score(sound.cue.score.document)
    return PictureStore(stems[0] / PICTURES).has(picture_key(read_sound(sound.document), score))


def second(sound: Sound) -> Sound:
    other = plain_sound("Other")
    other["layers"][0]["params"] = {"level": -9.0}
    return add_sound(sound.cue, other)


def tile_headers(sound: Sound, stems: tuple[Path, int]) -> list[dict[str, Any]]:
    """What is told of the tiles that a page is sent that opens the sound."""
    document, score = read_sound(sound.document), read_score(sound.cue.score.document)
    output = []
    for message in draw(document, score, 1, False, stems, interrupted=lambda: False):
        if isinstance(message, bytes) and message[0] == TILE:
            (size,) = struct.unpack_from("<I", message, 4)
            output.append(json.loads(message[8 : 8 + size]))
    return output


def test_what_nobody_has_open_is_drawn_and_shown_at_once(
    sound: Sound, stems: tuple[Path, int], unseen: Callable[[], IdlePrerender]
) -> None:
    unseen()
    assert waited_for(lambda: is_drawn(sound, stems))
    (whole,) = tile_headers(sound, stems)
    assert whole["fine"]
    assert whole["columns"] == whole["total"]
    sound.document["layers"][0]["params"] = {"level": -11.0}
    sound.revision += 1
    sound.save()
    assert not is_drawn(sound, stems)
    assert waited_for(lambda: is_drawn(sound, stems))


def test_it_stops_as_soon_as_something_plays_and_goes_on_afterwards(
    sound: Sound, stems: tuple[Path, int], unseen: Callable[[], IdlePrerender], player: object
) -> None:
    sound.cue.score.document["length"] = 600.0
    sound.cue.score.save()
    unseen()
    assert waited_for(lambda: spare.busy)
    yield_to_playback(player, WAITING)
    assert not idle()
    assert waited_for(lambda: not spare.busy)
    assert not is_drawn(sound, stems)
    sound.cue.score.document["length"] = 8.0
    sound.cue.score.save()
    assert not waited_briefly(lambda: spare.busy)
    yield_to_playback(player, FREE)
    assert waited_for(lambda: is_drawn(sound, stems))


def test_one_that_cannot_be_drawn_does_not_hold_up_the_others(
    sound: Sound, stems: tuple[Path, int], unseen: Callable[[], IdlePrerender]
) -> None:
    broken = second(sound)
    broken.document["layers"][0]["source"]["kind"] = "of another world"
    broken.save()
    third = second(sound)
    unseen()
    assert waited_for(lambda: is_drawn(sound, stems) and is_drawn(third, stems))
