"""Work that tells how far it is, as the results of a worker's task."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable, Iterator
from typing import Any

SEND_EVERY = 0.2
"""Seconds between reports of progress."""


def with_progress(work: Callable[[Callable[[float], None]], Any]) -> Iterator[Any]:
    """The fractions that `work` reports from time to time, as numbers, and at last what it returns.

    Parameters
    ----------
    work
        Is given a function that takes the fraction that is done.

    Raises
    ------
    BaseException
        Whatever the work raised.
    """
    news: queue.SimpleQueue[tuple[str, Any]] = queue.SimpleQueue()
    last = 0.0

    def progress(done: float) -> None:
        nonlocal last
        if time.monotonic() - last >= SEND_EVERY:
            last = time.monotonic()
            news.put(("progress", done))

    def run() -> None:
        try:
            news.put(("done", work(progress)))
        except BaseException as error:
            news.put(("failed", error))

    threading.Thread(target=run, daemon=True).start()
    while True:
        kind, what = news.get()
        if kind == "failed":
            raise what
        yield what
        if kind == "done":
            return
