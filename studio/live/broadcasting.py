"""Who has which sound open, and how they hear of changes made elsewhere in the process."""

from __future__ import annotations

import threading
from collections import defaultdict
from typing import Any, Protocol

from studio.signals import render_changed, sound_changed

MOST_OPEN = 24
"""Sounds that are open at a time, in as many pages."""


class Listener(Protocol):
    """Someone who has a sound open. Called from any thread."""

    def sound_changed(self) -> None:
        """The sound or its score was changed and saved."""

    def render_changed(self, render_id: int) -> None:
        """A render of the sound went on or ended."""


_lock = threading.Lock()
_open: dict[int, set[Listener]] = defaultdict(set)


def enter(sound_id: int, listener: Listener) -> bool:
    """Someone opens a sound; whether there is room for one more."""
    with _lock:
        if sum(len(listeners) for listeners in _open.values()) >= MOST_OPEN:
            return False
        _open[sound_id].add(listener)
        return True


def leave(sound_id: int, listener: Listener) -> None:
    """Someone closes a sound."""
    with _lock:
        _open[sound_id].discard(listener)
        if not _open[sound_id]:
            del _open[sound_id]


def count() -> int:
    """How many have a sound open."""
    with _lock:
        return sum(len(listeners) for listeners in _open.values())


def _listeners(sound_id: int) -> list[Listener]:
    with _lock:
        return list(_open.get(sound_id, ()))


def _send_sound(sound_id: int, **_: Any) -> None:
    for listener in _listeners(sound_id):
        listener.sound_changed()


def _send_render(sound_id: int, render_id: int, **_: Any) -> None:
    for listener in _listeners(sound_id):
        listener.render_changed(render_id)


sound_changed.connect(_send_sound)
render_changed.connect(_send_render)
