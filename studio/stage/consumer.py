"""The WebSocket of an open sound."""

from __future__ import annotations

import asyncio
import contextlib
import contextvars
import logging
from collections.abc import Callable, Coroutine, Sequence
from typing import Any

from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncWebsocketConsumer
from django.conf import settings

from caligo.document import Score, Sound, read_score, read_sound
from caligo.engine.live import Loop
from caligo.engine.skim import evenly
from caligo.engine.stems import StemStore
from caligo.movement.stillness import Frozen, Stillness
from studio.library import models
from studio.renders.models import Render
from studio.stage import hub
from studio.stage.listener import Listener
from studio.stage.messages import (
    BadMessage,
    ChangedNews,
    Compare,
    FromPage,
    Heard,
    Lift,
    Listen,
    Look,
    MakeUpOf,
    News,
    NotesOf,
    Panic,
    Ping,
    PongNews,
    Press,
    ProblemNews,
    RenderNews,
    Seek,
    SetLoop,
    SkimAll,
    Still,
    Stop,
    Watch,
    read_message,
)
from studio.stage.viewing import Viewing

logger = logging.getLogger("studio.stage")

NO_SUCH_SOUND, TOO_MANY = 4404, 4429
"""Close codes: the sound is gone, and too many pages are open."""


def _loop(given: tuple[float, float] | None) -> Loop | None:
    return None if given is None else Loop(*given)


class StageConsumer(AsyncWebsocketConsumer):  # type: ignore[misc]
    """Sends trajectories, tiles, samples and news of a sound; takes in playing and listening."""

    async def connect(self) -> None:
        """Open the sound, and start to draw it."""
        self._sound_id = int(self.scope["url_route"]["kwargs"]["sound_id"])
        self._event_loop = asyncio.get_running_loop()
        self._context = contextvars.copy_context()
        self._hold_still: Stillness = False
        self._span: tuple[float, float] | None = None
        self._tasks: set[asyncio.Task[None]] = set()
        await self.accept()
        if not hub.enter(self._sound_id, self):
            await self.close(code=TOO_MANY)
            return
        if not await self._load():
            await self.close(code=NO_SUCH_SOUND)
            return
        stems = (settings.STEMS_DIR, settings.STEMS_LIMIT_BYTES)
        send = (self._send_text, self._send_bytes)
        self._viewing = Viewing(*send, "studio.stage.drawing:draw", stems)
        self._closer = Viewing(*send, "studio.stage.drawing:look_closer", stems)
        self._notes = Viewing(*send, "studio.stage.drawing:tell_notes", stems)
        self._make_up = Viewing(*send, "studio.stage.drawing:tell_make_up", stems)
        self._listener = Listener(self._send_news, self._send_bytes, StemStore(*stems))
        self._show()

    async def disconnect(self, code: int) -> None:
        """Close the sound; drawing and listening stop."""
        hub.leave(self._sound_id, self)
        if hasattr(self, "_viewing"):
            self._listener.stop()
            self._viewing.close()
            self._closer.close()
            self._notes.close()
            self._make_up.close()

    async def _load(self) -> bool:
        """Read the newest saved state; False if the sound is gone."""

        def read() -> tuple[Sound, Score, int] | None:
            row = models.Sound.objects.select_related("cue__score").filter(pk=self._sound_id)
            found = row.first()
            if found is None:
                return None
            return (
                read_sound(found.document),
                read_score(found.cue.score.document),
                found.revision + found.cue.score.revision,
            )

        loaded = await database_sync_to_async(read, thread_sensitive=False)()
        if loaded is None:
            return False
        self._sound, self._score, self._revision = loaded
        return True

    @property
    def _state(self) -> tuple[Sound, Score, int, Stillness]:
        """What is drawn: the sound and score as they are, and how still."""
        return self._sound, self._score, self._revision, self._hold_still

    def _look(self) -> None:
        """Draw the stretch that is looked at closer, if there is one."""
        if self._span is None or self._span[1] > self._score.length + 1e-6:
            self._closer.rest()
        else:
            self._closer.show(*self._state, self._span)

    def _show(self) -> None:
        self._viewing.show(*self._state)
        self._look()

    # Called from other threads

    def _send_news(self, news: News) -> None:
        self._send_text(news.model_dump_json())

    def _send_text(self, text: str) -> None:
        self._send_later(text_data=text)

    def _send_bytes(self, data: bytes) -> None:
        self._send_later(bytes_data=data)

    def _send_later(self, **message: Any) -> None:
        self._later(lambda: self._send_now(message))

    def _later(self, make: Callable[[], Coroutine[Any, Any, None]]) -> None:
        """Run something on the event loop, in the context of this connection.

        The caller may be a request's thread, whose context ends with the request.
        """

        def begin() -> None:
            task = self._event_loop.create_task(make(), context=self._context)
            self._tasks.add(task)
            task.add_done_callback(self._tasks.discard)

        with contextlib.suppress(RuntimeError):  # the event loop has ended
            self._event_loop.call_soon_threadsafe(begin, context=self._context)

    async def _send_now(self, message: dict[str, Any]) -> None:
        try:
            await self.send(**message)
        except Exception:  # the browser has gone; disconnect() follows
            return

    def sound_changed(self) -> None:
        """See `hub.Listener`."""
        self._later(self._reload)

    def render_changed(self, render_id: int) -> None:
        """See `hub.Listener`."""
        self._later(lambda: self._tell_render(render_id))

    async def _reload(self) -> None:
        try:
            await self._take_up_changes()
        except Exception as error:
            logger.error("taking up an edit: %.300r", error, exc_info=error)
            self._send_news(
                ProblemNews(text="The change is saved but could not be taken up. Reload the page.")
            )

    async def _take_up_changes(self) -> None:
        if not await self._load():
            await self.close(code=NO_SUCH_SOUND)
            return
        sound, score = self._sound, self._score
        await asyncio.to_thread(
            self._listener.with_playing, lambda playing: playing.edit(sound, score)
        )
        self._show()
        await self.send(text_data=ChangedNews(revision=self._revision).model_dump_json())

    async def _tell_render(self, render_id: int) -> None:
        def read() -> Render | None:
            return Render.objects.filter(pk=render_id).first()

        # On a thread of its own: the one that Django shares may be waiting for this loop.
        render = await database_sync_to_async(read, thread_sensitive=False)()
        if render is not None:
            news = RenderNews(
                id=render.pk,
                state=render.state,
                progress=round(render.progress, 4),
                message=render.message,
            )
            await self._send_now({"text_data": news.model_dump_json()})

    # From the browser

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        """Take in a message."""
        try:
            message = read_message(text_data or "")
            if isinstance(message, Heard):
                self._listener.heard(message.stream, message.frames)  # comes often, never waits
            elif isinstance(message, Ping):
                await self._send_now({"text_data": PongNews().model_dump_json()})
            else:
                await asyncio.to_thread(self._act, message)
        except BadMessage as error:
            await self.send(text_data=ProblemNews(text=str(error)).model_dump_json())

    def _act(self, message: FromPage) -> None:
        with_listening = self._listener.with_listening
        match message:
            case Listen():
                self._listener.start(
                    self._sound,
                    self._score,
                    self._within(message.start),
                    loop=_loop(message.loop),
                    hold_still=self._hold_still,
                )
            case Stop():
                self._listener.stop()
            case Seek():
                to = self._within(message.to)
                with_listening(lambda listening: listening.seek(to))
            case SetLoop():
                loop = _loop(message.loop)
                with_listening(lambda listening: listening.set_loop(loop))
            case Press():
                with_listening(lambda x: x.press(message.key, message.velocity))
            case Lift():
                with_listening(lambda listening: listening.lift(message.key))
            case Panic():
                with_listening(lambda listening: listening.panic())
            case Still():
                frozen = None if message.at is None else Frozen(self._within(message.at))
                self._hold_still = still = (frozen or True) if message.still else False
                self._listener.with_playing(lambda playing: playing.hold_still(still))
                self._show()
            case SkimAll():
                moments = evenly(self._score.length, message.seconds)
                self._skim(self._listener.skim, moments)
            case Compare():
                self._skim(self._listener.compare, [self._within(m) for m in message.moments])
            case Look():
                self._span = message.span
                self._look()
            case NotesOf():
                self._notes.show(*self._state, message.address, self._span)
            case Watch():
                self._listener.watch(message.stage)
            case MakeUpOf():
                self._make_up.show(*self._state, message.address)

    def _skim(self, begin: Callable[..., None], moments: Sequence[float]) -> None:
        begin(self._sound, self._score, moments, hold_still=self._hold_still)

    def _within(self, moment: float) -> float:
        """A moment of the score.

        Raises
        ------
        BadMessage
            If it lies past the end.
        """
        if moment > self._score.length:
            raise BadMessage(f"{moment:g} s lies past the end, {self._score.length:g} s")
        return moment
