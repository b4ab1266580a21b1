"""The worker that renders to files, one after the other, cancellable and restartable."""

from __future__ import annotations

import errno
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from django.conf import settings
from django.db import connection

from caligo.document import read_score, read_sound
from caligo.engine.offline import RenderCancelled, RenderRange, render_to_file
from caligo.formats.audio import AudioFormatError
from studio.renders.models import Render
from studio.stage import hub

SAVE_EVERY = 0.25
"""Seconds between saved steps of progress."""
CUT_OFF_MESSAGE = "The studio was stopped while this was rendering. Render it again."

_pool = ThreadPoolExecutor(1, thread_name_prefix="render")
_cancelled: dict[int, threading.Event] = {}


def path_of(render: Render) -> Path:
    """Where a render's file lies."""
    return Path(settings.RENDERS_DIR) / f"{render.pk}.{render.container}"


def submit(render: Render) -> None:
    """Render in the background."""
    _cancelled[render.pk] = threading.Event()
    _pool.submit(_run, render.pk)


def cancel(render: Render) -> None:
    """Stop a render that waits or runs."""
    event = _cancelled.get(render.pk)
    if event:
        event.set()
    if render.state == Render.State.WAITING:
        _finish(render, Render.State.CANCELLED)


def recover() -> int:
    """Mark what was under way when the studio was stopped; returns how many there were."""
    return Render.objects.filter(state__in=(Render.State.WAITING, Render.State.RUNNING)).update(
        state=Render.State.CUT_OFF, message=CUT_OFF_MESSAGE
    )


def _finish(render: Render, state: Render.State, message: str = "") -> None:
    render.state, render.message = state, message
    if state == Render.State.DONE:
        render.progress = 1.0
    render.save(update_fields=("state", "message", "progress"))
    hub.render_changed(render.sound_id, render.pk)


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
    return f"Rendering stopped on an error inside Caligo: {error!r}. The sound itself is safe."


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
    render.save(update_fields=("state",))
    hub.render_changed(render.sound_id, render.pk)
    saved = time.monotonic()

    def progress(share: float) -> None:
        nonlocal saved
        if time.monotonic() - saved >= SAVE_EVERY:
            saved = time.monotonic()
            render.progress = share
            Render.objects.filter(pk=render.pk).update(progress=share)
            hub.render_changed(render.sound_id, render.pk)

    try:
        path_of(render).parent.mkdir(parents=True, exist_ok=True)
        render_to_file(
            read_sound(render.document),
            read_score(render.score),
            path_of(render),
            sample_format=render.sample_format,
            rate=render.rate,
            threads=2,
            span=RenderRange(render.start, render.end),
            progress=progress,
            interrupted=event.is_set,
        )
    except RenderCancelled:
        _finish(render, Render.State.CANCELLED)
    except Exception as error:
        _finish(render, Render.State.FAILED, _failure(error))
    else:
        _finish(render, Render.State.DONE)
