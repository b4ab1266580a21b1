"""Drawing an open sound: the newest state asked for, by a worker, as it is made."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

from caligo.document import Score, Sound
from studio.stage.messages import ProblemNews
from studio.workers import FREE, Worker, WorkerFailed, drawers

SendText = Callable[[str], None]
SendBytes = Callable[[bytes], None]


class Viewing:
    """Draws the newest state asked for; a newer one cancels what it makes stale."""

    def __init__(self, send_text: SendText, send_bytes: SendBytes, stems: tuple[Path, int]) -> None:
        self._send_text = send_text
        self._send_bytes = send_bytes
        self._stems = stems
        self._wanted: tuple[Sound, Score, int, bool] | None = None
        self._worker: Worker | None = None
        self._wake = threading.Condition()
        self._closed = False
        self._giving = FREE
        threading.Thread(target=self._work, name="long view", daemon=True).start()

    def show(self, sound: Sound, score: Score, revision: int, hold_still: bool) -> None:
        """Draw this state from now on."""
        with self._wake:
            self._wanted = (sound, score, revision, hold_still)
            if self._worker:
                self._worker.stop()
            self._wake.notify()

    def give_way(self, amount: int) -> None:
        """Let drawing stand back while listening needs the processor, see `Worker.give_way`."""
        self._giving = amount
        if self._worker:
            self._worker.give_way(amount)

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
                wanted = self._wanted
                self._wanted = None
            try:
                # Right after the studio's start the first worker is a second or two in coming.
                self._worker = self._worker or drawers.borrow()
                self._worker.give_way(self._giving)
                self._draw(self._worker, *wanted)
            except WorkerFailed:
                self._worker = None
                self._say("The long view's worker came to an end; change something to go on.")
            except Exception as error:
                self._say(f"The long view could not be drawn: {error!r}. The sound itself is safe.")
        if self._worker:
            drawers.give_back(self._worker)

    def _say(self, text: str) -> None:
        self._send_text(ProblemNews(text=text).model_dump_json())

    def _draw(
        self, worker: Worker, sound: Sound, score: Score, revision: int, hold_still: bool
    ) -> None:
        task = "studio.stage.drawing:draw"
        for made in worker.run(task, sound, score, revision, hold_still, self._stems):
            if self._wanted is not None or self._closed:
                worker.stop()
            elif isinstance(made, bytes):
                self._send_bytes(made)
            else:
                self._send_text(made)
