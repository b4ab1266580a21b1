"""What another thread, page or process may do between two steps, each with the step interleaved."""

from __future__ import annotations

import asyncio
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from asgiref.sync import sync_to_async
from django.core.exceptions import ObjectDoesNotExist
from django.db import OperationalError

from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.engine.listening.live import Listening
from caligo.material.cards import RecordingCard
from caligo.material.store import MaterialStore
from demo.pads import dome_air
from studio.library import editing
from studio.library.editing import edit_sound, rename
from studio.library.models import Production, Sound
from studio.library.removing import remove
from studio.library.starting import plain_sound
from studio.live import broadcasting, consumer
from studio.live.consumer import LiveConsumer
from studio.live.listener import Listener
from studio.live.open_sound import OpenSound
from studio.live.viewing import Viewing
from studio.renders import jobs
from studio.renders.models import Render
from studio.workers import Pool
from tests.studio.test_live import ORIGIN, live, opened
from tests.studio.test_renders import begun, wait_for

pytestmark = pytest.mark.django_db(transaction=True)


async def test_a_page_that_goes_while_it_is_answered_leaves_its_place(
    sound: Sound, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its message is refused, and the refusal finds nobody."""
    before = broadcasting.count()

    async def gone(self: Any, *_: Any, **__: Any) -> None:
        raise ConnectionError("the browser has gone")

    for message in ('{"type": "fly"}', '{"type": "seek", "to": 9999.0}'):
        communicator, answer = await opened(sound.pk, ORIGIN)
        assert answer["type"] == "websocket.accept"
        assert broadcasting.count() == before + 1
        with monkeypatch.context() as patched:
            patched.setattr(LiveConsumer, "send", gone)
            await communicator.send_input({"type": "websocket.receive", "text": message})
            await communicator.send_input({"type": "websocket.disconnect", "code": 1006})
            await communicator.wait(10)
        assert broadcasting.count() == before


async def test_an_error_in_a_connection_leaves_its_place(
    sound: Sound, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = broadcasting.count()
    communicator, _ = await opened(sound.pk, ORIGIN)

    async def broken(self: Any, **_: Any) -> None:
        raise RuntimeError("a mistake of ours")

    monkeypatch.setattr(LiveConsumer, "receive", broken)
    await communicator.send_input({"type": "websocket.receive", "text": "{}"})
    with pytest.raises(RuntimeError):
        await communicator.wait(10)
    assert broadcasting.count() == before


async def test_the_newest_edit_is_taken_up_whichever_is_read_last(
    sound: Sound, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The older of two is read, and waits; the newer is read and taken up meanwhile."""
    taken: list[int] = []
    follow = Listener.follow

    def noted(self: Listener, state: OpenSound) -> None:
        taken.append(state.revision)
        follow(self, state)

    monkeypatch.setattr(Listener, "follow", noted)
    async with live(sound.pk) as s:
        await s.until("trajectories")
        (open_page,) = broadcasting._listeners(sound.pk)
        assert isinstance(open_page, LiveConsumer)
        old = open_page._state
        await sync_to_async(edit_sound)(
            sound.pk, 1, [{"op": "replace", "path": "/name", "value": "Newer"}]
        )
        await s.until("changed")

        async def stale(*, hold_still: Any) -> OpenSound:
            return old

        monkeypatch.setattr(open_page, "_load", stale)
        await open_page._take_up_changes()
        assert open_page._state.sound.name == "Newer"
    assert taken == [3]


async def test_an_edit_while_a_page_opens_waits_for_it(
    sound: Sound, monkeypatch: pytest.MonkeyPatch
) -> None:
    failed: list[Any] = []
    monkeypatch.setattr(consumer.logger, "error", lambda *what, **_: failed.append(what))
    load = LiveConsumer._load

    async def slow(self: LiveConsumer, *, hold_still: Any) -> OpenSound | None:
        found = await load(self, hold_still=hold_still)
        if not hasattr(self, "_state"):  # the first: an edit comes before all is set up
            self.sound_changed()
            await asyncio.sleep(0.1)
        return found

    monkeypatch.setattr(LiveConsumer, "_load", slow)
    async with live(sound.pk) as s:
        await s.until("changed")
    assert failed == []


def test_an_edit_while_listening_begins_is_heard(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The engine was made of the sound before."""
    made, edited = threading.Event(), threading.Event()
    score = held_chord("C2 G2", 4.0)
    first, second = (read_sound(plain_sound(name)) for name in ("Older", "Newer"))

    class Slow(Listening):
        def __init__(self, *given: Any, **more: Any) -> None:
            super().__init__(*given, **more)
            made.set()
            edited.wait(10)

    monkeypatch.setattr("studio.live.listener.Listening", Slow)
    listener = Listener(lambda _: None, lambda _: None, Any, OpenSound(first, score, 1))  # type: ignore[arg-type]
    listener._store = None  # type: ignore[assignment]
    listener.start(0.0)
    assert made.wait(60)
    listener.follow(OpenSound(second, score, 2))
    edited.set()
    for _ in range(200):
        playing = listener._listening
        if isinstance(playing, Listening) and playing._engine.sound.name == "Newer":
            break
        threading.Event().wait(0.05)
    assert isinstance(playing, Listening)
    assert playing._engine.sound.name == "Newer"
    listener.stop()


def test_hold_still_does_not_take_a_structural_edit_back() -> None:
    """It comes while the edit's engine is being made."""
    before = read_sound(plain_sound("Before"))
    document = plain_sound("After")
    document["buses"][0]["effects"].append({"id": "more", "kind": "chorus"})
    after = read_sound(document)
    listening = Listening(before, held_chord("C2 G2", 4.0))
    taken_up = listening._taken_up
    holding: list[threading.Thread] = []

    def interleaved(sound: Any, score: Any) -> bool:
        if not holding:
            holding.append(threading.Thread(target=listening.hold_still, args=(True,)))
            holding[0].start()
            holding[0].join(0.2)  # it waits for this edit
        return taken_up(sound, score)

    listening._taken_up = interleaved  # type: ignore[method-assign]
    listening.edit(after)
    holding[0].join(20)
    listening.block()
    assert len(listening._engine.sound.buses[0].effects) == 2
    listening.end()


def test_what_is_no_longer_wanted_is_not_drawn_once_a_worker_is_free(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked, lent = threading.Event(), threading.Event()
    worker = Any

    class Slow(Pool):
        def borrow(self, wanted: Any = lambda: True) -> Any:
            asked.set()
            lent.wait(10)
            return worker if wanted() else None

    drawn: list[str] = []
    monkeypatch.setattr("studio.live.viewing.drawers", Slow(1, 1))
    monkeypatch.setattr(Viewing, "_draw", lambda *_: drawn.append("stale"))
    viewing = Viewing(drawn.append, lambda _: None, "a:b", (tmp_path, 1))
    viewing.show(read_sound(dome_air()), held_chord("C2", 4.0), 1, False)
    assert asked.wait(10)
    viewing.rest()
    lent.set()
    viewing.close()
    threading.Event().wait(0.2)
    assert drawn == []


def test_a_cancel_that_comes_late_leaves_a_finished_render(api: Any, sound: Sound) -> None:
    number = begun(api, sound, end=1.0)
    done = wait_for(number, "done")
    seen_before = Render.objects.get(pk=number)
    seen_before.state = Render.State.WAITING  # as whoever cancels has read it
    jobs.cancel(seen_before)
    done.refresh_from_db()
    assert done.state == Render.State.DONE


def test_a_render_begins_once_the_database_is_free(
    api: Any, sound: Sound, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(jobs, "WAITS", (0.0, 0.0, 0.0))
    tries: list[int] = []
    write_down = jobs._write_down

    def locked(render: Render, *given: Any, **more: Any) -> bool:
        tries.append(render.pk)
        if len(tries) < 3:
            raise OperationalError("database is locked")
        return write_down(render, *given, **more)

    monkeypatch.setattr(jobs, "_write_down", locked)
    wait_for(begun(api, sound, end=1.0), "done")


def test_a_render_that_cannot_begin_is_in_the_log(
    api: Any, sound: Sound, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(jobs, "WAITS", (0.0,))
    output = threading.Event()
    monkeypatch.setattr(jobs.logger, "error", lambda text, *_, **__: (
        output.set() if "thread ended" in text else None))  # fmt: skip

    def locked(*_: Any, **__: Any) -> bool:
        raise OperationalError("database is locked")

    monkeypatch.setattr(jobs, "_write_down", locked)
    begun(api, sound)
    assert output.wait(20)


def test_renaming_does_not_undo_a_deletion(sound: Sound) -> None:
    production = sound.cue.production
    read = Production.objects.get(pk=production.pk)
    remove(read)
    with pytest.raises(ObjectDoesNotExist):
        rename(Production.objects, production.pk, name="Other")
    production.refresh_from_db()
    assert production.removed is not None


def test_an_edit_does_not_undo_a_deletion(sound: Sound, monkeypatch: pytest.MonkeyPatch) -> None:
    """It comes between reading the row and saving it."""
    apply_patch = editing.apply_patch

    def deleted_meanwhile(*given: Any) -> Any:
        Sound.everything.filter(pk=sound.pk).update(removed="2026-01-01T00:00:00Z")
        return apply_patch(*given)

    monkeypatch.setattr(editing, "apply_patch", deleted_meanwhile)
    edit_sound(sound.pk, 1, [{"op": "replace", "path": "/name", "value": "Other"}])
    assert Sound.everything.get(pk=sound.pk).removed is not None


def test_a_production_is_made_whole_or_not_at_all(
    api: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: Any) -> None:
        raise OperationalError("database or disk is full")

    monkeypatch.setattr("studio.library.api.add_sound", full)
    assert api("POST", "/productions", {"name": "Half"}).status_code == 507
    assert not Production.objects.filter(name="Half").exists()


def test_changes_of_one_card_at_once_are_all_kept(tmp_path: Path) -> None:
    shelf = MaterialStore([tmp_path])
    card = RecordingCard(key="0" * 16, name="A", file="a.wav", rate=48_000, channels=1, frames=99)
    shelf.write(card)
    together = threading.Barrier(12)

    def change(number: int) -> None:
        together.wait()
        shelf.update(card.key, lambda c: c.model_copy(update={"origin": f"{c.origin} {number}"}))

    with ThreadPoolExecutor(12) as pool:
        list(pool.map(change, range(12)))
    found = shelf.card(card.key)
    assert found is not None
    assert sorted(map(int, found.origin.split())) == list(range(12))


def test_a_dropped_download_leaves_no_file(tmp_path: Path) -> None:
    from studio.sending import sent

    path = tmp_path / "upload-x.wav"
    path.write_bytes(np.zeros(1000, np.uint8).tobytes())
    answer = sent(path, "audio/wav", passing=True)
    assert answer.headers["Content-Length"] == "1000"
    assert not path.exists()
    answer.close()
