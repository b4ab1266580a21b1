"""The worker that renders to files, one after the other, cancellable and restartable."""

from __future__ import annotations

import contextlib
import errno
import logging
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from django.conf import settings
from django.db import DatabaseError, connection

from caligo.document import read_score, read_sound
from caligo.engine.offline import RenderCancelled, RenderRange
from caligo.engine.stems import StemStore
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
    _pool.submit(_run, render.pk)


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
    left_behind = render.state == Render.State.RUNNING and event is None
    if render.state == Render.State.WAITING or left_behind:
        _write_down(render, Render.State.CANCELLED)


def recover() -> int:
    """Mark what was under way when the studio was stopped; returns how many there were.

    The unfinished files of these renders are removed.
    """
    for unfinished in Path(settings.RENDERS_DIR).glob(".*.part.*"):
        unfinished.unlink(missing_ok=True)
    return Render.objects.filter(state__in=(Render.State.WAITING, Render.State.RUNNING)).update(
        state=Render.State.CUT_OFF, message=CUT_OFF_MESSAGE
    )


def _write_down(render: Render, state: Render.State, message: str = "") -> None:
    """Keep how a render ended, and tell who has its sound open."""
    render.state, render.message = state, message
    if state == Render.State.DONE:
        render.progress = 1.0
    render.save(update_fields=("state", "message", "progress"))
    logger.info("render %s: %s %s", render.pk, state, message)
    render_changed.send(None, sound_id=render.sound_id, render_id=render.pk)


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
        render = Render.objects.get(pk=pk)
        if event.is_set() or render.state != Render.State.WAITING:
            return
        _render(render, event)
    except Render.DoesNotExist:
        return
    finally:
        _cancelled.pop(pk, None)
        connection.close()


def _render(render: Render, event: threading.Event) -> None:
    render.state = Render.State.RUNNING
    with contextlib.suppress(DatabaseError):  # it is under way all the same
        render.save(update_fields=("state",))
    render_changed.send(None, sound_id=render.sound_id, render_id=render.pk)
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
    StemStore(settings.STEMS_DIR, settings.STEMS_LIMIT_BYTES).make_room(int(size))
    results = worker.run(
        "studio.renders.rendering:render",
        read_sound(render.document),
        read_score(render.score),
        path_of(render),
        render.sample_format,
        render.rate,
        RenderRange(render.start, render.end),
    )
    for share in results:
        if event.is_set():
            worker.stop()
        render.progress = share
        with contextlib.suppress(DatabaseError):  # the file matters, not how far it is
            Render.objects.filter(pk=render.pk).update(progress=share)
        render_changed.send(None, sound_id=render.sound_id, render_id=render.pk)
