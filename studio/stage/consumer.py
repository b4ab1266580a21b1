"""The WebSocket of an open sound."""

from __future__ import annotations

import asyncio
import contextlib
import contextvars
import json
from collections.abc import Callable, Coroutine
from typing import Any

from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncWebsocketConsumer
from django.conf import settings

from caligo.document import Score, Sound, read_score, read_sound
from caligo.engine.live import Loop
from caligo.engine.stems import StemStore
from studio.library import models
from studio.renders.models import Render
from studio.stage import hub
from studio.stage.listener import Listener
from studio.stage.viewing import Viewing

NO_SUCH_SOUND = 4404
"""Close code that tells the browser not to try again."""


class BadMessage(ValueError):
    """A message from the browser that makes no sense."""


def _number(message: dict[str, Any], key: str, low: float, high: float) -> float:
    value = message.get(key)
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise BadMessage(f"{key} is a number from {low:g} to {high:g}, not {value!r}")
    return float(value)


def _loop(message: dict[str, Any]) -> Loop | None:
    given = message.get("loop")
    if given is None:
        return None
    if not isinstance(given, list) or len(given) != 2:
        raise BadMessage("loop is a pair of seconds")
    start, end = (_number({"loop": v}, "loop", 0.0, 14_400.0) for v in given)
    if end - start < 0.1:
        raise BadMessage("a loop lasts at least a tenth of a second")
    return Loop(start, end)


class StageConsumer(AsyncWebsocketConsumer):  # type: ignore[misc]
    """Sends trajectories, tiles, samples and news of a sound; takes in playing and listening."""

    async def connect(self) -> None:
        """Open the sound, and start to draw it."""
        self._sound_id = int(self.scope["url_route"]["kwargs"]["sound_id"])
        self._event_loop = asyncio.get_running_loop()
        self._context = contextvars.copy_context()
        self._hold_still = False
        self._tasks: set[asyncio.Task[None]] = set()
        await self.accept()
        if not await self._load():
            await self.close(code=NO_SUCH_SOUND)
            return
        stems = (settings.STEMS_DIR, settings.STEMS_LIMIT_BYTES)
        self._viewing = Viewing(self._send_text, self._send_bytes, stems)
        self._listener = Listener(
            self._send_json, self._send_bytes, StemStore(*stems), self._viewing.give_way
        )
        hub.enter(self._sound_id, self)
        self._show()

    async def disconnect(self, code: int) -> None:
        """Close the sound; drawing and listening stop."""
        if hasattr(self, "_viewing"):
            hub.leave(self._sound_id, self)
            self._listener.stop()
            self._viewing.close()

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

    def _show(self) -> None:
        self._viewing.show(self._sound, self._score, self._revision, self._hold_still)

    # Called from other threads

    def _send_json(self, message: dict[str, Any]) -> None:
        self._send_text(json.dumps(message))

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
            self._send_json(
                {
                    "type": "problem",
                    "text": f"The change is saved but could not be taken up: {error!r}. Reload.",
                }
            )

    async def _take_up_changes(self) -> None:
        if not await self._load():
            await self.close(code=NO_SUCH_SOUND)
            return
        sound, score = self._sound, self._score
        await asyncio.to_thread(
            self._listener.with_listening, lambda listening: listening.edit(sound, score)
        )
        self._show()
        await self.send(text_data=json.dumps({"type": "changed", "revision": self._revision}))

    async def _tell_render(self, render_id: int) -> None:
        render = await Render.objects.filter(pk=render_id).afirst()
        if render is not None:
            await self._send_now(
                {
                    "text_data": json.dumps(
                        {
                            "type": "render",
                            "id": render.pk,
                            "state": render.state,
                            "progress": round(render.progress, 4),
                            "message": render.message,
                        }
                    )
                }
            )

    # From the browser

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        """Take in a message."""
        try:
            message = json.loads(text_data or "")
            if not isinstance(message, dict):
                raise BadMessage("a message is an object")
            handler = self._handlers().get(str(message.get("type")))
            if handler is None:
                raise BadMessage(f"there is no message type {message.get('type')!r}")
            if message["type"] == "heard":
                handler(message)  # comes with every block, and never waits
            else:
                await asyncio.to_thread(handler, message)
        except (json.JSONDecodeError, BadMessage) as error:
            await self.send(text_data=json.dumps({"type": "problem", "text": str(error)}))

    def _handlers(self) -> dict[str, Any]:
        return {
            "listen": self._on_listen,
            "stop": lambda _: self._listener.stop(),
            "seek": self._on_seek,
            "loop": self._on_loop,
            "heard": self._on_heard,
            "press": self._on_press,
            "lift": self._on_lift,
            "panic": lambda _: self._listener.with_listening(lambda x: x.panic()),
            "still": self._on_still,
        }

    def _on_listen(self, message: dict[str, Any]) -> None:
        start = _number(message, "from", 0.0, self._score.length)
        self._listener.start(
            self._sound, self._score, start, loop=_loop(message), hold_still=self._hold_still
        )

    def _on_seek(self, message: dict[str, Any]) -> None:
        to = _number(message, "to", 0.0, self._score.length)
        self._listener.with_listening(lambda x: x.seek(to))

    def _on_loop(self, message: dict[str, Any]) -> None:
        loop = _loop(message)

        def change(listening: Any) -> None:
            listening.loop = loop

        self._listener.with_listening(change)

    def _on_heard(self, message: dict[str, Any]) -> None:
        self._listener.heard(
            int(_number(message, "stream", 0, 2**53)), int(_number(message, "frames", 0, 2**53))
        )

    def _on_press(self, message: dict[str, Any]) -> None:
        key = int(_number(message, "key", 0, 127))
        velocity = int(_number(message, "velocity", 1, 127))
        self._listener.with_listening(lambda x: x.press(key, velocity))

    def _on_lift(self, message: dict[str, Any]) -> None:
        key = int(_number(message, "key", 0, 127))
        self._listener.with_listening(lambda x: x.lift(key))

    def _on_still(self, message: dict[str, Any]) -> None:
        self._hold_still = bool(message.get("still"))
        self._listener.with_listening(lambda x: x.hold_still(self._hold_still))
        self._show()
