"""The WebSocket of an open sound."""

from __future__ import annotations

import asyncio
import contextlib
import contextvars
import logging
from collections.abc import Callable, Coroutine
from dataclasses import replace
from typing import Any

from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncWebsocketConsumer
from django.conf import settings

from caligo.engine.listening.loop_start import Loop
from caligo.engine.listening.skim import evenly
from caligo.engine.stems.store import StemStore
from caligo.movement.hold_still import Frozen, HoldStill
from studio.library import models, recent
from studio.live import broadcasting
from studio.live.listener import Listener
from studio.live.messages import (
    BadMessage,
    ChangedNews,
    Compare,
    DrawDetail,
    FromPage,
    Heard,
    Lift,
    Listen,
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
from studio.live.open_sound import OpenSound
from studio.live.viewing import Viewing
from studio.renders.models import Render

logger = logging.getLogger("studio.live")

NO_SUCH_SOUND, TOO_MANY = 4404, 4429
"""Close codes: the sound is gone, and too many pages are open."""


def _loop(given: tuple[float, float] | None) -> Loop | None:
    return None if given is None else Loop(*given)


class LiveConsumer(AsyncWebsocketConsumer):  # type: ignore[misc]
    """Sends trajectories, tiles, samples and news of a sound; takes in playing and listening.

    What is open is one immutable `OpenSound`, replaced by a newer one while `_changing` is held:
    whichever edit is read last, the newest is heard and drawn.
    """

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        """Serve one connection; however it ends, its place is free afterwards."""
        try:
            await super().__call__(scope, receive, send)
        finally:
            self._close()

    async def connect(self) -> None:
        """Open the sound, and start to draw it."""
        self._sound_id = int(self.scope["url_route"]["kwargs"]["sound_id"])
        self._event_loop = asyncio.get_running_loop()
        self._context = contextvars.copy_context()
        self._span: tuple[float, float] | None = None
        self._tasks: set[asyncio.Task[None]] = set()
        self._changing = asyncio.Lock()
        await self.accept()
        async with self._changing:
            if not broadcasting.enter(self._sound_id, self):
                await self.close(code=TOO_MANY)
                return
            loaded = await self._load(hold_still=False)
            if loaded is None:
                await self.close(code=NO_SUCH_SOUND)
                return
            self._state = loaded
            stems = (settings.STEMS_DIR, settings.STEMS_LIMIT_BYTES)
            send = (self._send_text, self._send_bytes)
            self._listener = Listener(self._send_news, self._send_bytes, StemStore(*stems), loaded)
            self._viewing = Viewing(*send, "studio.live.drawing:draw", stems)
            self._closer = Viewing(*send, "studio.live.drawing:draw_detail", stems)
            self._notes = Viewing(*send, "studio.live.drawing:send_notes", stems)
            self._make_up = Viewing(*send, "studio.live.drawing:send_gain_compensation", stems)
            self._show()

    def _close(self) -> None:
        """Close the sound; drawing and listening stop."""
        if not hasattr(self, "_sound_id"):
            return
        broadcasting.leave(self._sound_id, self)
        if hasattr(self, "_make_up"):
            self._listener.stop()
            self._viewing.close()
            self._closer.close()
            self._notes.close()
            self._make_up.close()

    async def _load(self, *, hold_still: HoldStill) -> OpenSound | None:
        """Read the newest saved state; None if the sound is gone."""

        def read() -> OpenSound | None:
            row = models.Sound.objects.select_related("cue__score").filter(pk=self._sound_id)
            found = row.first()
            if found is None:
                return None
            return OpenSound(
                recent.sounds.of(found.pk, found.document),
                recent.scores.of(found.cue.score.pk, found.cue.score.document),
                found.revision + found.cue.score.revision,
                hold_still,
            )

        loaded: OpenSound | None = await database_sync_to_async(read, thread_sensitive=False)()
        return loaded

    def _draw_detail(self) -> None:
        """Draw the stretch that is looked at closer, if there is one."""
        if self._span is None or self._span[1] > self._state.score.length + 1e-6:
            self._closer.rest()
        else:
            self._closer.show(*self._state.drawn, self._span)

    def _show(self) -> None:
        self._viewing.show(*self._state.drawn)
        self._draw_detail()

    async def _take_up(self, state: OpenSound) -> None:
        """Hear and draw another state; `_changing` is held."""
        self._state = state
        await asyncio.to_thread(self._listener.follow, state)
        self._show()

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
        self._later(lambda: self._send_render(render_id))

    async def _reload(self) -> None:
        try:
            await self._take_up_changes()
        except Exception as error:
            logger.error("taking up an edit: %.300r", error, exc_info=error)
            self._send_news(
                ProblemNews(text="The change is saved but could not be taken up. Reload the page.")
            )

    async def _take_up_changes(self) -> None:
        async with self._changing:
            if not hasattr(self, "_state"):
                return  # it was turned away
            loaded = await self._load(hold_still=self._state.hold_still)
            if loaded is None:
                await self.close(code=NO_SUCH_SOUND)
                return
            if loaded.revision < self._state.revision:
                return
            await self._take_up(loaded)
        await self._send_now({"text_data": ChangedNews(revision=loaded.revision).model_dump_json()})

    async def _send_render(self, render_id: int) -> None:
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
            elif isinstance(message, Still):
                frozen = None if message.at is None else Frozen(self._within(message.at))
                still: HoldStill = (frozen or True) if message.still else False
                async with self._changing:
                    await self._take_up(replace(self._state, hold_still=still))
            else:
                await asyncio.to_thread(self._act, message)
        except BadMessage as error:
            await self._send_now({"text_data": ProblemNews(text=str(error)).model_dump_json()})

    def _act(self, message: FromPage) -> None:
        with_listening = self._listener.with_listening
        match message:
            case Listen():
                self._listener.start(self._within(message.start), loop=_loop(message.loop))
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
            case SkimAll():
                self._listener.skim(evenly(self._state.score.length, message.seconds))
            case Compare():
                self._listener.compare([self._within(m) for m in message.moments])
            case DrawDetail():
                self._span = message.span
                self._draw_detail()
            case NotesOf():
                self._notes.show(*self._state.drawn, message.address, self._span)
            case Watch():
                self._listener.watch(message.slot)
            case MakeUpOf():
                self._make_up.show(*self._state.drawn, message.address)

    def _within(self, moment: float) -> float:
        """A moment of the score.

        Raises
        ------
        BadMessage
            If it lies past the end.
        """
        if moment > self._state.score.length:
            raise BadMessage(f"{moment:g} s lies past the end, {self._state.score.length:g} s")
        return moment
