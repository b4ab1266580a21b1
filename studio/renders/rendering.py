"""What a worker does to render a sound to a file."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from caligo.document import Score, Sound
from caligo.engine.offline import RenderRange, render_to_file

TELL_EVERY = 0.2
"""Seconds between reports of progress."""


def render(
    sound: Sound,
    score: Score,
    path: Path,
    sample_format: str,
    rate: int,
    span: RenderRange,
    *,
    interrupted: Callable[[], bool],
) -> Iterator[float]:
    """Render to `path`, and give the share that is done from time to time.

    Raises
    ------
    RenderCancelled, OSError, AudioFormatError
        See `caligo.engine.offline.render_to_file`.
    """
    told: queue.SimpleQueue[float | BaseException | None] = queue.SimpleQueue()
    last = 0.0

    def progress(share: float) -> None:
        nonlocal last
        if time.monotonic() - last >= TELL_EVERY:
            last = time.monotonic()
            told.put(share)

    def work() -> None:
        try:
            render_to_file(
                sound, score, path, sample_format=sample_format, rate=rate, threads=2, span=span,
                progress=progress, interrupted=interrupted,
            )  # fmt: skip
            told.put(None)
        except BaseException as error:
            told.put(error)

    threading.Thread(target=work, daemon=True).start()
    while (found := told.get()) is not None:
        if isinstance(found, BaseException):
            raise found
        yield found
