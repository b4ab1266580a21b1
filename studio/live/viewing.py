"""Drawing an open sound: the newest state asked for, by a worker, as it is made."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from caligo.document import Score, Sound
from caligo.movement.hold_still import HoldStill
from studio.live.messages import ProblemNews
from studio.workers import Worker, WorkerFailed, drawers

logger = logging.getLogger("studio.live")

SendText = Callable[[str], None]
SendBytes = Callable[[bytes], None]


class Viewing:
    """Draws the newest state asked for; a newer one cancels what it makes stale.

    Parameters
    ----------
    task
        The worker's task that draws; it takes what `show` is given, and the stems last.
    stems
        The folder of finished stems, and its limit in bytes.
    """

    def __init__(
        self, send_text: SendText, send_bytes: SendBytes, task: str, stems: tuple[Path, int]
    ) -> None:
        self._send_text = send_text
        self._send_bytes = send_bytes
        self._task = task
        self._stems = stems
        self._wanted: tuple[Any, ...] | None = None
        self._asked = 0
        """How often another state was asked for, or none."""
        self._worker: Worker | None = None
        self._wake = threading.Condition()
        self._closed = False
        threading.Thread(target=self._work, name="long view", daemon=True).start()

    def show(
        self, sound: Sound, score: Score, revision: int, hold_still: HoldStill, *more: Any
    ) -> None:
        """Draw this state from now on."""
        self._want((sound, score, revision, hold_still, self._stems, *more))

    def rest(self) -> None:
        """Draw nothing until it is asked for again."""
        self._want(None)

    def _want(self, wanted: tuple[Any, ...] | None) -> None:
        with self._wake:
            self._wanted = wanted
            self._asked += 1
            if self._worker:
                self._worker.stop()
            self._wake.notify()

    def close(self) -> None:
        """Stop for good."""
        with self._wake:
            self._closed = True
            if self._worker:
                self._worker.stop()
            self._wake.notify()

    def _work(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._wanted is not None or self._closed)
                if self._closed or self._wanted is None:
                    break
                wanted, number = self._wanted, self._asked
                self._wanted = None
            try:
                self._draw_by_a_worker(wanted, number)
            except WorkerFailed:
                self._say("The long view's worker came to an end; change something to go on.")
            except Exception as error:
                logger.error("drawing: %.300r", error, exc_info=error)
                self._say(
                    "The long view could not be drawn: Caligo made a mistake there, which the log "
                    "tells more of. The sound itself is safe."
                )

    def _is_wanted(self, number: int) -> bool:
        """Whether what was asked for has been followed by nothing else."""
        return self._asked == number and not self._closed

    def _draw_by_a_worker(self, wanted: tuple[Any, ...], number: int) -> None:
        # Right after the studio's start the first worker is a second or two in coming.
        worker = drawers.borrow(lambda: self._is_wanted(number))
        if worker is None:
            return
        with self._wake:
            self._worker = worker
        try:
            if self._is_wanted(number):
                self._draw(worker, wanted, number)
        finally:
            with self._wake:
                self._worker = None
            drawers.give_back(worker)

    def _say(self, text: str) -> None:
        self._send_text(ProblemNews(text=text).model_dump_json())

    def _draw(self, worker: Worker, wanted: tuple[Any, ...], number: int) -> None:
        for made in worker.run(self._task, *wanted):
            if not self._is_wanted(number):
                worker.stop()
            elif isinstance(made, bytes):
                self._send_bytes(made)
            else:
                self._send_text(made)
