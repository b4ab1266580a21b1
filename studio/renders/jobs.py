"""The worker that renders to files, one after the other, cancellable and restartable."""

from __future__ import annotations

import contextlib
import errno
import logging
import threading
import time
from collections.abc import Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import DatabaseError, connection

from caligo.document import read_score, read_sound
from caligo.engine.render.offline import RenderCancelled, RenderRange
from caligo.engine.stems.store import StemStore
from caligo.formats.audio import AudioFormatError
from studio.renders.models import Render
from studio.signals import render_changed
from studio.workers import Worker, renderers

logger = logging.getLogger("studio.renders")

WAITS = (0.2, 1.0, 5.0, 20.0)
"""Seconds between attempts to write down how a render ended."""
BYTES_A_FRAME = 8
CUT_OFF_MESSAGE = "The studio was stopped while this was rendering. Render it again."

_pool = ThreadPoolExecutor(1, thread_name_prefix="render")
_cancelled: dict[int, threading.Event] = {}
_workers: dict[int, Worker] = {}


def path_of(render: Render) -> Path:
    """Where a render's file lies."""
    return Path(settings.RENDERS_DIR) / f"{render.pk}.{render.container}"


def submit(render: Render) -> None:
    """Render in the background."""
    _cancelled[render.pk] = threading.Event()
    _pool.submit(_run, render.pk).add_done_callback(_log_failure)


def _log_failure(future: Future[None]) -> None:
    """Leave no error unread: what could not even be written down is in the log."""
    error = future.exception()
    if error is not None:
        logger.error("a render's thread ended: %.300r", error, exc_info=error)


def cancel(render: Render) -> None:
    """Stop a render that waits or runs.

    One that nobody works on any more, since its end could not be written down, is ended here.
    """
    event = _cancelled.get(render.pk)
    if event:
        event.set()
    worker = _workers.get(render.pk)
    if worker:
        worker.stop()
    stopped = [Render.State.WAITING]
    if event is None:
        stopped.append(Render.State.RUNNING)
    _write_down(render, Render.State.CANCELLED, of=stopped)


def recover() -> int:
    """Mark what was under way when the studio was stopped; returns how many there were.

    The unfinished files of these renders are removed.
    """
    for unfinished in Path(settings.RENDERS_DIR).glob(".*.part.*"):
        unfinished.unlink(missing_ok=True)
    return Render.objects.filter(state__in=(Render.State.WAITING, Render.State.RUNNING)).update(
        state=Render.State.CUT_OFF, message=CUT_OFF_MESSAGE
    )


def _write_down(
    render: Render,
    state: Render.State,
    message: str = "",
    *,
    of: Sequence[Render.State] = (Render.State.WAITING, Render.State.RUNNING),
) -> bool:
    """Persist a render's next state and notify connected clients.

    Parameters
    ----------
    of : sequence of Render.State
        States that it may follow: one that has ended stays as it ended.

    Returns
    -------
    bool
        Whether the render was in one of them.
    """
    changed: dict[str, Any] = {"state": state, "message": message}
    if state == Render.State.DONE:
        changed["progress"] = 1.0
    if not Render.objects.filter(pk=render.pk, state__in=of).update(**changed):
        return False
    logger.info("render %s: %s %s", render.pk, state, message)
    render_changed.send(None, sound_id=render.sound_id, render_id=render.pk)
    return True


def _finish(render: Render, state: Render.State, message: str = "") -> None:
    """Write down how a render ended, as soon as the database takes it: its disk may be full."""
    for wait in (*WAITS, 0.0):
        try:
            _write_down(render, state, message)
            return
        except DatabaseError as error:
            logger.error("render %s: its end cannot be written down: %s", render.pk, error)
            time.sleep(wait)


def _failure(error: Exception) -> str:
    """What a person needs to know about a failed render."""
    full = isinstance(error, OSError) and (error.errno == errno.ENOSPC or "disk full" in str(error))
    if full:
        return (
            f"The disk is full: the file could not be written to {settings.RENDERS_DIR}. "
            "Free some space and render it again; the sound itself is safe."
        )
    if isinstance(error, OSError | AudioFormatError):
        return f"The file could not be written: {error}"
    logger.error("rendering: %.300r", error, exc_info=error)
    return (
        "Rendering stopped: Caligo made a mistake there, which the log tells more of. "
        "The sound itself is safe."
    )


def _run(pk: int) -> None:
    event = _cancelled.setdefault(pk, threading.Event())
    try:
        render = _begun(pk)
        if render is not None and not event.is_set():
            _render(render, event)
        elif render is not None:
            _finish(render, Render.State.CANCELLED)
    finally:
        _cancelled.pop(pk, None)
        connection.close()


def _begun(pk: int) -> Render | None:
    """A render that waits, now running; None if it was cancelled or is gone.

    A database that stays locked is waited for: a render does not wait for good without a word.
    """
    for wait in (*WAITS, 0.0):
        try:
            render = Render.objects.filter(pk=pk).first()
            waiting = [Render.State.WAITING]
            if render and _write_down(render, Render.State.RUNNING, of=waiting):
                return render
            return None
        except DatabaseError as error:
            logger.error("render %s: it cannot be begun: %s", pk, error)
            time.sleep(wait)
    raise TimeoutError(f"render {pk} could not be begun; the database stayed locked")


def _render(render: Render, event: threading.Event) -> None:
    worker = renderers.borrow(lambda: not event.is_set())
    if worker is None:
        _finish(render, Render.State.CANCELLED)
        return
    # The one who cancels stops the worker; a cancel that came before is seen here.
    _workers[render.pk] = worker
    if event.is_set():
        worker.stop()
    try:
        _follow(render, worker, event)
        done = path_of(render).exists() and not event.is_set()
        _finish(render, Render.State.DONE if done else Render.State.CANCELLED)
    except RenderCancelled:
        _finish(render, Render.State.CANCELLED)
    except Exception as error:
        _finish(render, Render.State.FAILED, _failure(error))
    finally:
        del _workers[render.pk]
        renderers.give_back(worker)


def _follow(render: Render, worker: Worker, event: threading.Event) -> None:
    """Run a render in a worker, and keep its progress."""
    path_of(render).parent.mkdir(parents=True, exist_ok=True)
    size = (render.end - render.start) * render.rate * BYTES_A_FRAME
    StemStore(settings.STEMS_DIR, settings.STEMS_LIMIT_BYTES).free_space(int(size))
    results = worker.run(
        "studio.renders.rendering:render",
        read_sound(render.document),
        read_score(render.score),
        path_of(render),
        render.sample_format,
        render.rate,
        RenderRange(render.start, render.end),
    )
    for progress in results:
        if event.is_set():
            worker.stop()
        with contextlib.suppress(DatabaseError):  # the file matters, not how far it is
            running = Render.objects.filter(pk=render.pk, state=Render.State.RUNNING)
            running.update(progress=progress)
        render_changed.send(None, sound_id=render.sound_id, render_id=render.pk)
