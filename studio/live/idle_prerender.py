"""Sounds that nobody has looked at yet: drawn while the studio has nothing else to do.

Whoever opens one then sees its exact picture at once, instead of one made of a few probes; and the
picture after the first edit has one to go by.
"""

from __future__ import annotations

import logging
import threading
import time
from contextlib import suppress
from pathlib import Path

from django.db import DatabaseError, connection

from caligo.document import read_score, read_sound
from caligo.engine.views.picture_store import MOST, PictureStore, picture_key
from studio.cleanup import PICTURES
from studio.library.models import Sound
from studio.workers import idle, spare

logger = logging.getLogger("studio.live")

REST = 5.0
"""Seconds for which the studio must have had nothing to do."""
PROBE_AGAIN = 1.0
"""Seconds between checks whether it has."""
MOST_PRERENDERED = MOST // 2
"""Sounds that are drawn unasked: half of the pictures that are kept stay for what is worked on."""

State = tuple[int, int, int]
"""A sound's number, its revision and that of its score."""


class IdlePrerender:
    """Draws one sound after the other in a thread of its own, until it is closed.

    Parameters
    ----------
    stems
        The folder of finished stems, and its limit in bytes.
    """

    def __init__(self, stems: tuple[Path, int], *, rest: float = REST) -> None:
        self._stems = stems
        self._rest = rest
        self._pictures = PictureStore(stems[0] / PICTURES)
        self._done: set[State] = set()
        self._closed = threading.Event()
        threading.Thread(target=self._work, name="unseen", daemon=True).start()

    def close(self) -> None:
        """Draw no more; what is being drawn stops."""
        self._closed.set()

    def _work(self) -> None:
        busy_at = time.monotonic()
        while not self._closed.wait(min(PROBE_AGAIN, self._rest)):
            if not idle():
                busy_at = time.monotonic()
            elif time.monotonic() - busy_at >= self._rest:
                self._draw_what_is_left()
                busy_at = time.monotonic()

    def _draw_what_is_left(self) -> None:
        """Draw until all is drawn, or the studio has something to do."""
        with suppress(DatabaseError):  # which is busy; nobody waits for this
            while (state := self._next()) is not None:
                try:
                    finished = self._draw(state)
                except Exception as error:  # whoever opens it will be told
                    logger.warning("drawing sound %d ahead: %.300r", state[0], error)
                    finished = True
                if not finished:
                    break
                self._done.add(state)
        connection.close()

    def _next(self) -> State | None:
        """The first sound of the library that has not been drawn as it is now."""
        rows = Sound.objects.order_by("cue__production", "cue__number", "id").values_list(
            "id", "revision", "cue__score__revision"
        )
        return next((state for state in rows[:MOST_PRERENDERED] if state not in self._done), None)

    def _draw(self, state: State) -> bool:
        """Draw a sound unless its picture is there; whether there is no more to do for it."""
        row = Sound.objects.select_related("cue__score").filter(pk=state[0]).first()
        if row is None:
            return True
        sound, score = read_sound(row.document), read_score(row.cue.score.document)
        if self._pictures.has(picture_key(sound, score)):
            return True
        worker = spare.borrow(lambda: not self._closed.is_set())
        if worker is None:
            return False
        try:
            for _ in worker.run("studio.live.drawing:prerender_idle", sound, score, self._stems):
                if self._closed.is_set() or not idle():
                    return False
        finally:
            spare.give_back(worker)
        return True
