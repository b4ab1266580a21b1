"""The WebSocket of an open sound: trajectories, tiles, listening, edits, bad messages."""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import struct
import threading
import time
from collections.abc import AsyncIterator, Callable, Iterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from asgiref.sync import sync_to_async
from asgiref.testing import ApplicationCommunicator

from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.engine.render.engine import SMALL_BLOCK
from caligo.engine.stems.store import StemStore
from caligo.signal.ticks import TICK
from demo.build import by_name
from demo.pads import dome_air
from studio.asgi import application
from studio.library.editing import edit_score, edit_sound
from studio.library.models import Sound
from studio.live import broadcasting
from studio.live.consumer import TOO_MANY
from studio.live.drawing import trajectories_packet
from studio.live.lead import AHEAD, BEYOND, MARGIN, MOST_MARGIN, UNREPORTED
from studio.live.listener import Listener
from studio.live.messages import StoppedNews
from studio.live.open_sound import OpenSound
from studio.live.packets import AUDIO, CLOSER, TILE, TRAJECTORIES
from tests.studio.conftest import Api

pytestmark = pytest.mark.django_db(transaction=True)

ORIGIN = [(b"origin", b"http://127.0.0.1:8460"), (b"host", b"127.0.0.1:8460")]


def bytes_of(header: dict[str, Any]) -> int:
    """Bytes of a column: its levels by row, then by place and by octave what its sides are."""
    return int(header["rows"] + header["places"] + 3 * len(header["octaves"]))


async def opened(
    sound_id: int, headers: list[tuple[bytes, bytes]]
) -> tuple[ApplicationCommunicator, dict[str, Any]]:
    """A WebSocket to an open sound, and the first answer to it."""
    scope = {
        "type": "websocket", "path": f"/ws/sounds/{sound_id}", "query_string": b"",
        "headers": headers, "subprotocols": [],
    }  # fmt: skip
    communicator = ApplicationCommunicator(application, scope)
    await communicator.send_input({"type": "websocket.connect"})
    return communicator, await communicator.receive_output(10)


KINDS = {AUDIO: "audio", TILE: "tile", CLOSER: "closer", TRAJECTORIES: "trajectories"}


def lines(header: Any, data: bytes) -> dict[str, np.ndarray]:
    """What a packet of trajectories holds: middle, low and high ``[3, points]`` by name."""
    names = [*header["modulators"], *header["parameters"]]
    points, values = header["points"], np.frombuffer(data, "<f4")
    assert len(values) == points * (3 * len(names) + 2 * len(header["spread"]))
    found = values[: 3 * len(names) * points].reshape(len(names), 3, points)
    return dict(zip(names, found, strict=True))


class LiveSocket:
    """A browser's end of the WebSocket."""

    def __init__(self, communicator: ApplicationCommunicator) -> None:
        self._communicator = communicator

    async def tell(self, **message: Any) -> None:
        text = json.dumps(message)
        await self._communicator.send_input({"type": "websocket.receive", "text": text})

    async def next(self) -> tuple[str, Any, bytes]:
        received = await self._communicator.receive_output(30)
        if received.get("text") is not None:
            message = json.loads(received["text"])
            return message["type"], message, b""
        data = received["bytes"]
        kind, length = struct.unpack("<II", data[:8])
        header = json.loads(data[8 : 8 + length])
        if kind == AUDIO:
            frames = header["frame"] + (len(data) - 8 - length) // 8
            await self.tell(type="heard", stream=header["stream"], frames=frames)
        return KINDS[kind], header, data[8 + length :]

    async def until(self, *kinds: str) -> tuple[str, Any, bytes]:
        while True:
            found = await self.next()
            if found[0] in kinds:
                return found

    async def audio(self, blocks: int) -> np.ndarray:
        """At least so many blocks more of samples ``[2, samples]``."""
        gathered = np.zeros((2, 0), np.float32)
        while gathered.shape[1] < blocks * SMALL_BLOCK:
            _, _, data = await self.until("audio")
            samples = np.frombuffer(data, "<f4").reshape(-1, 2).T
            gathered = np.concatenate([gathered, samples], axis=1)
        return gathered

    async def heard(self, wanted: Callable[[float], bool]) -> bool:
        """Whether the level of four blocks is as wanted, within all that may have been sent ahead.

        A busy machine takes up a key when two seconds are on their way already.
        """
        for _ in range((AHEAD + MOST_MARGIN + BEYOND) // (4 * SMALL_BLOCK) + 4):
            if wanted(float((await self.audio(4)).std())):
                return True
        return False


@asynccontextmanager
async def live(sound_id: int) -> AsyncIterator[LiveSocket]:
    communicator, answer = await opened(sound_id, ORIGIN)
    assert answer["type"] == "websocket.accept"
    try:
        yield LiveSocket(communicator)
    finally:
        await communicator.send_input({"type": "websocket.disconnect", "code": 1000})
        await communicator.wait(10)


async def test_opening_draws_trajectories_then_coarse_then_fine(sound: Sound) -> None:
    async with live(sound.pk) as s:
        kinds: list[str] = []
        covered = np.zeros(1_200, bool)
        while True:
            kind, header, data = await s.next()
            kinds.append(("fine" if header["fine"] else "coarse") if kind == "tile" else kind)
            if kind == "tile":
                assert len(data) == header["columns"] * bytes_of(header)
                if header["fine"]:
                    covered[header["first"] : header["first"] + header["columns"]] = True
            if kind == "summary":
                break
        assert kinds[0] == "trajectories"
        assert kinds[1] == "coarse"
        assert kinds.index("fine") > kinds.index("coarse")
        assert covered.all()
        assert -70 < header["integrated"] < 0
        assert len(header["slots"]["layer1"]) > 10


async def test_an_edit_cancels_what_it_makes_stale_and_draws_anew(sound: Sound) -> None:
    async with live(sound.pk) as s:
        await s.until("tile")
        change = [{"op": "replace", "path": "/layers/0/filters/0/params/cutoff", "value": 300.0}]
        await sync_to_async(edit_sound)(sound.pk, 1, change)
        _, message, _ = await s.until("trajectories")
        assert message["revision"] == 3
        _, header, _ = await s.until("tile")
        assert header["revision"] == 3


async def test_listening_gives_sound_from_any_minute(sound: Sound) -> None:
    async with live(sound.pk) as s:
        await s.tell(type="listen", **{"from": 3.0})
        _, message, _ = await s.until("listening")
        assert message["from"] == pytest.approx(3.0, abs=0.002)
        heard = await s.audio(20)
        assert np.isfinite(heard).all()
        assert heard.std() > 1e-3
        await s.tell(type="stop")


async def test_edits_are_heard_while_it_plays(sound: Sound) -> None:
    async with live(sound.pk) as s:
        await s.until("summary")
        await s.tell(type="listen", **{"from": 2.0})
        before = await s.audio(10)
        mute = [{"op": "replace", "path": "/master/params/level", "value": -80}]
        await sync_to_async(edit_sound)(sound.pk, 1, mute)
        await s.until("changed")
        assert await s.heard(lambda level: level < 0.001 * before.std())


def frame_and_end(data: bytes) -> tuple[int, int]:
    """The frames that a packet of samples begins and ends at."""
    _, length = struct.unpack("<II", data[:8])
    frame: int = json.loads(data[8 : 8 + length])["frame"]
    return frame, frame + (len(data) - 8 - length) // 8


async def test_samples_wait_for_the_browser(sound: Sound) -> None:
    """No more than two seconds are sent until the browser says that it has played some."""
    async with live(sound.pk) as s:
        await s.until("summary")
        await s.tell(type="listen", **{"from": 0.0})
        await s.until("listening")
        await asyncio.sleep(1.0)
        sent = 0
        with contextlib.suppress(TimeoutError):
            while True:
                received = await asyncio.wait_for(s._communicator.output_queue.get(), 0.5)
                if received.get("bytes") is not None:
                    sent = frame_and_end(received["bytes"])[1]
        assert AHEAD - 8 * SMALL_BLOCK < sent <= AHEAD


def end_once_it_waits(sent: list[bytes]) -> int:
    """Where the samples end once no more come; the first may wait for kernels to be loaded."""
    end = time.monotonic() + 60.0
    while not sent and time.monotonic() < end:
        time.sleep(0.05)
    count = -1
    while count != len(sent):
        count = len(sent)
        time.sleep(0.4)
    return frame_and_end(sent[-1])[1]


@pytest.fixture
def listened(tmp_path: Path) -> Iterator[tuple[Listener, list[bytes]]]:
    """A listener that plays, and what it has sent."""
    sent: list[bytes] = []
    state = OpenSound(read_sound(dome_air()), held_chord("C3", 60.0), 1)
    listener = Listener(lambda news: None, sent.append, StemStore(tmp_path), state)
    listener.start(1.0)
    yield listener, sent
    listener.stop()


def test_a_key_is_heard_soon_whatever_was_sent_ahead(
    listened: tuple[Listener, list[bytes]],
) -> None:
    """It replaces what lies beyond 60 ms ahead of what was heard, and little is sent meanwhile."""
    listener, sent = listened
    assert end_once_it_waits(sent) > AHEAD - 8 * SMALL_BLOCK
    listener.heard(listener._stream, 20_000)
    end_once_it_waits(sent)
    count = len(sent)
    listener.heard(listener._stream, 20_480)
    listener.with_listening(lambda listening: listening.press(64))
    while len(sent) == count:
        time.sleep(0.001)
    frame, end = frame_and_end(sent[count])
    # By how long the press itself took, it counts from later.
    assert 20_480 + MARGIN <= frame <= 20_480 + MARGIN + UNREPORTED + TICK
    assert end - frame == SMALL_BLOCK
    time.sleep(1.2)
    listener.heard(listener._stream, 20_482)
    assert end_once_it_waits(sent) > AHEAD + 20_480 - 8 * SMALL_BLOCK, "and then it is far ahead"


def test_the_end_waits_until_it_is_heard(tmp_path: Path) -> None:
    """A key in the last two seconds is still played."""
    sent: list[bytes] = []
    news: list[object] = []
    state = OpenSound(read_sound(dome_air()), held_chord("C3", 2.0), 1)
    listener = Listener(news.append, sent.append, StemStore(tmp_path), state)
    listener.start(1.0)
    end = end_once_it_waits(sent)
    listener.heard(listener._stream, end - MARGIN - BEYOND - 100)
    time.sleep(0.3)
    assert not any(isinstance(one, StoppedNews) for one in news)
    listener.heard(listener._stream, end - 100)
    until = time.monotonic() + 5.0
    while time.monotonic() < until and not any(isinstance(one, StoppedNews) for one in news):
        time.sleep(0.02)
    assert any(isinstance(one, StoppedNews) for one in news)


async def test_keys_are_heard_and_panic_silences(sound: Sound) -> None:
    empty = [{"op": "replace", "path": "/notes", "value": []}]
    await sync_to_async(edit_score)(sound.cue_id, 1, empty)
    async with live(sound.pk) as s:
        await s.tell(type="listen", **{"from": 0.0})
        assert not (await s.audio(6)).any()
        await s.tell(type="press", key=60, velocity=110)
        assert await s.heard(lambda level: level > 1e-4)
        await s.tell(type="panic")
        # What was sent ahead is still on its way: more of it where the machine is busy.
        for _ in range((MOST_MARGIN + BEYOND) // SMALL_BLOCK + 5):
            _, header, samples = await s.until("audio")
            if header["panics"]:
                break
        assert not any(samples)
        assert not (await s.audio(4)).any()


async def test_hold_still_is_drawn(sound: Sound) -> None:
    def change(document: Any) -> list[dict[str, Any]]:
        return [
            {"op": "add", "path": "/modulators/-",
             "value": {"id": "m", "name": "M", "kind": "lfo"}},
            {"op": "add", "path": "/routes/-", "value": {
                "id": "r", "from": "m", "to": "layer1.pan", "depth": 50}},
        ]  # fmt: skip

    await sync_to_async(edit_sound)(sound.pk, 1, change(None))
    async with live(sound.pk) as s:
        _, header, data = await s.until("trajectories")
        pan = lines(header, data)["layer1.pan"]
        assert pan[2].max() > 40
        assert header["readings"]["layer1.pan"]["greatest"] == pytest.approx(pan[2].max(), rel=1e-5)
        assert header["returns"]["whole"]["seconds"] == 20.0
        await s.tell(type="still", still=True)
        header = (await s.until("trajectories"))[1]
        assert header["parameters"] == []
        await s.tell(type="still", still=True, at=5.0)
        _, header, frozen = await s.until("trajectories")
        here = lines(header, frozen)["layer1.pan"]
        assert np.ptp(here) == 0.0
        assert here[0, 0] == pytest.approx(50.0)  # a cycle of 20 s is at its top after 5 s
        await s.tell(type="still", still=True, at=99.0)
        assert "past the end" in (await s.until("problem"))[1]["text"]


async def test_a_stretch_is_drawn_closer_and_told_apart(sound: Sound) -> None:
    async with live(sound.pk) as s:
        await s.until("summary")
        await s.tell(type="look", span=[2.0, 3.0])
        _, header, _ = await s.until("trajectories")
        assert (header["start"], header["end"], header["returns"]) == (2.0, 3.0, None)
        columns = 0
        while columns < 600:
            _, header, data = await s.until("closer")
            assert header["first"] == columns
            assert len(data) == header["columns"] * bytes_of(header)
            columns += header["columns"]
        await s.tell(type="look", span=[2.0, 2.1])
        assert "half a second" in (await s.until("problem"))[1]["text"]
        # An edit draws the whole and the stretch anew.
        change = [{"op": "replace", "path": "/layers/0/filters/0/params/cutoff", "value": 300.0}]
        await sync_to_async(edit_sound)(sound.pk, 1, change)
        _, header, _ = await s.until("closer")
        assert header["revision"] == 3
        await s.tell(type="look", span=None)


async def test_a_skim_hears_the_whole_in_seconds_and_two_moments_come_in_turn(sound: Sound) -> None:
    async with live(sound.pk) as s:
        await s.until("summary")
        await s.tell(type="skim", seconds=5)
        places, kind = [], ""
        while kind != "stopped":
            kind, header, _ = await s.until("audio", "stopped")
            if kind == "audio":
                places.append(header["at"])
        assert places[0] == 0.0
        assert places[-1] > 6.5
        assert 4.0 < len(places) * SMALL_BLOCK / 48_000 < 6.0
        await s.tell(type="compare", moments=[1.0, 5.0])
        _, header, _ = await s.until("audio")
        here = [header["at"]]
        for _ in range(130):
            here.append((await s.until("audio"))[1]["at"])
        assert {int(at / 3.9) for at in here} == {0, 1}
        await s.tell(type="stop")
        await s.tell(type="skim", seconds=1)
        assert "seconds" in (await s.until("problem"))[1]["text"]


async def test_each_note_is_told_on_demand(sound: Sound) -> None:
    change = [
        {"op": "add", "path": "/modulators/-",
         "value": {"id": "m", "name": "M", "kind": "random", "scope": "note"}},
        {"op": "add", "path": "/routes/-", "value": {
            "id": "r", "from": "m", "to": "layer1.source.fine", "depth": 20}},
    ]  # fmt: skip
    await sync_to_async(edit_sound)(sound.pk, 1, change)
    async with live(sound.pk) as s:
        assert (await s.until("trajectories"))[1]["spread"] == ["layer1.source.fine"]
        await s.tell(type="notes", address="layer1.source.fine")
        _, message, _ = await s.until("notes")
        courses = list(message["notes"].values())
        assert len(courses) == len(sound.cue.score.document["notes"])
        assert courses[0] != courses[1]
        assert courses[0][-1] is None  # the note has ended
        await s.tell(type="notes", address="nothing.like.this")
        assert (await s.until("notes"))[1]["notes"] == {}


def test_rolls_are_what_a_modulator_would_do_with_other_seeds(api: Api, sound: Sound) -> None:
    change = [{"op": "add", "path": "/modulators/-",
               "value": {"id": "m", "name": "M", "kind": "random", "seed": 4}}]  # fmt: skip
    edit_sound(sound.pk, 1, change)
    path = f"/sounds/{sound.pk}/rolls"
    found = api("POST", path, {"modulator": "m", "seeds": [4, 5]}).json()
    assert [one["seed"] for one in found] == [4, 5]
    assert found[0]["values"] != found[1]["values"]
    assert all(-1 <= v <= 1 for one in found for v in one["values"])
    assert api("POST", path, {"modulator": "other", "seeds": [1]}).status_code == 422
    assert api("POST", path, {"modulator": "m", "seeds": [1] * 99}).status_code == 422
    assert api("POST", "/sounds/999/rolls", {"modulator": "m", "seeds": []}).status_code == 404


async def test_listening_stops_at_the_end(sound: Sound) -> None:
    async with live(sound.pk) as s:
        await s.tell(type="listen", **{"from": 7.9})
        while True:
            kind, _, _ = await s.until("audio", "stopped")
            if kind == "stopped":
                break


@pytest.mark.parametrize(
    "message",
    [
        {"type": "fly"},
        {"type": "listen", "from": -5},
        {"type": "listen", "from": "now"},
        {"type": "loop", "loop": [3, 1]},
        {"type": "press", "key": 400, "velocity": 1},
        {},
    ],
)
async def test_messages_that_make_no_sense_are_answered(
    sound: Sound, message: dict[str, Any]
) -> None:
    async with live(sound.pk) as s:
        await s.tell(**message)
        _, answer, _ = await s.until("problem")
        assert answer["text"]


async def test_other_origins_are_refused(sound: Sound) -> None:
    for headers in ([(b"origin", b"http://evil.example")], [(b"origin", b"null")]):
        _, answer = await opened(sound.pk, [*headers, ORIGIN[1]])
        assert answer["type"] == "websocket.close"


async def test_a_sound_that_is_gone_closes_for_good(db: None) -> None:
    communicator, _ = await opened(999, ORIGIN)
    closed = await communicator.receive_output(10)
    assert closed["type"] == "websocket.close"
    assert closed["code"] == 4404


async def test_pictures_of_sources_come_after_the_coarse_view(sound: Sound) -> None:
    async with live(sound.pk) as s:
        before: list[str] = []
        while True:
            kind, message, _ = await s.next()
            if kind == "picture":
                break
            before.append("fine" if kind == "tile" and message["fine"] else kind)
        assert "tile" in before
        assert "fine" not in before
        assert message["layer"] == "layer1"
        assert message["kind"] == "cycles"
        assert message["cycles"]["shape"] == [96, 128]


async def test_a_change_of_the_material_is_drawn_anew(sound: Sound) -> None:
    """Its card is changed elsewhere: whoever has a sound open that uses it sees it."""
    key = by_name()["motor"]
    source = {"id": "source", "kind": "grains", "params": {"recording": key}, "items": []}
    edit = [{"op": "replace", "path": "/layers/0/source", "value": source}]
    await sync_to_async(edit_sound)(sound.pk, 1, edit)
    async with live(sound.pk) as s:
        await s.until("picture")
        await sync_to_async(changed_root)(key)
        _, message, _ = await s.until("trajectories")
        assert message["revision"] == 3


def changed_root(key: str) -> None:
    """Correct a recording's root through the API."""
    api = Api()
    answer = api("PATCH", f"/material/{key}", {"root": 40.0})
    assert answer.status_code == 200, answer.content


async def test_more_pages_than_there_is_room_for_are_turned_away(
    sound: Sound, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(broadcasting, "MOST_OPEN", broadcasting.count() + 1)
    async with live(sound.pk):
        communicator, answer = await opened(sound.pk, ORIGIN)
        assert answer["type"] == "websocket.accept"
        assert (await communicator.receive_output(10))["code"] == TOO_MANY
    assert broadcasting.count() == broadcasting.MOST_OPEN - 1


async def test_stages_opened_and_dropped_leave_nothing_behind(sound: Sound) -> None:
    """Neither threads, nor processes, nor file descriptors; some end a little later."""

    def held() -> tuple[int, int, int]:
        children = Path(f"/proc/{os.getpid()}/task/{os.getpid()}/children").read_text().split()
        return threading.active_count(), len(children), len(os.listdir("/proc/self/fd"))

    async def come_and_go() -> None:
        async with live(sound.pk) as s:
            await s.tell(type="listen", **{"from": 0.0})

    # Shared workers start as they are first needed; what there is then is what may stay.
    before, again = (0, 0, 0), (1, 1, 1)
    for _ in range(8):
        await asyncio.gather(*(come_and_go() for _ in range(6)))
        await asyncio.sleep(1.0)
        before, again = again, held()
        if before == again:
            break
    for _ in range(3):
        await asyncio.gather(*(come_and_go() for _ in range(8)))
    for _ in range(60):
        await asyncio.sleep(0.25)
        after = held()
        # Another two of the pool's threads may have asked the database: three descriptors each.
        if all(
            now <= then + more for now, then, more in zip(after, before, (2, 2, 8), strict=True)
        ):
            break
    else:
        pytest.fail(f"before {before}, after {after}")


def test_trajectories_tell_the_depths_they_were_computed_with() -> None:
    """A row follows a dragged depth by them; held still, depths play no part."""

    def header(still: bool) -> dict[str, Any]:
        made = trajectories_packet(read_sound(dome_air()), held_chord("A3", 9.0), 16, 1, still)
        found: dict[str, Any] = json.loads(made[8 : 8 + struct.unpack("<I", made[4:8])[0]])
        return found

    routes = dome_air()["routes"]
    assert header(still=False)["depths"] == {route["id"]: route["depth"] for route in routes}
    assert header(still=True)["depths"] == {}
    # An LFO and a random function go both ways, an envelope and macros from nothing to all.
    assert header(still=False)["two_sided"] == ["swell", "weather", "flutter"]


async def test_what_an_effect_has_to_give_back_is_told(sound: Sound) -> None:
    change = [{"op": "add", "path": "/master/effects/-", "value": {
        "id": "fx", "kind": "equalizer", "params": {"output": -6}}}]  # fmt: skip
    await sync_to_async(edit_sound)(sound.pk, 1, change)
    async with live(sound.pk) as s:
        await s.until("trajectories")
        await s.tell(type="make_up", address="master.fx")
        _, message, _ = await s.until("make_up")
        assert message["decibels"] == pytest.approx(6.0, abs=0.1)
        await s.tell(type="make_up", address="nothing.there")
        assert (await s.until("make_up"))[1]["decibels"] is None
