"""Worker processes: long computations away from the process that plays sound.

Python runs one thread at a time, so drawing and exporting beside listening would make it stutter.
Workers are forked from a process that has loaded the core and made everything ready, see
`studio.preloaded`, so a new one is there at once. A worker takes one task after the other. A task
is a generator function of a module; its results come back as they are made, and it can be stopped
at any time.
"""

from __future__ import annotations

import contextlib
import ctypes
import importlib
import multiprocessing
import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator
from functools import cache
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from typing import Any

ARENA_MAX, MOST_ARENAS = -8, 2
"""The option's number in glibc's malloc.h, and how many arenas there are."""
TURN = 50e-6
"""Seconds that threads take in turn. What plays gives its turn away with every kernel, some hundred
times a block, and waits for it each time while another thread computes: with turns of 1 ms a block
takes longer than it lasts (`make bench`, "beside a busy thread")."""
NICENESS, URGENCY = 10, -10
"""How much workers stand back for the process that plays, and how much that comes first."""
LONGEST_PAUSE = 0.25
"""Seconds for which a worker waits at most at a time while it is asked to pause."""
FREE, SHARING, WAITING = 0, 1, 2
"""How much a worker may take: all it can, half of the time, or nothing."""
PROBE_AGAIN = 0.2
"""Seconds between checks whether a worker is still wanted."""
LONGEST_STRETCH = 0.1
"""Seconds of work that are followed by as long a rest, at most, while sharing."""

Interrupted = Callable[[], bool]
Task = Callable[..., Iterator[Any]]

_processes = multiprocessing.get_context("forkserver")
_processes.set_forkserver_preload(["studio.preloaded"])


class WorkerFailed(RuntimeError):
    """A task ended on an error, or its process came to an end."""


def get_ready() -> None:
    """Start the process that workers are forked from; it takes a few seconds, and nobody waits.

    Where that cannot be done, whoever needs a worker is told why.
    """
    with contextlib.suppress(OSError):
        forkserver.ensure_running()


def give_memory_back() -> None:
    """Let few threads keep freed memory for themselves, so that what a page needed is free again.

    The C library otherwise keeps an arena for each of many threads; without it nothing is lost.
    """
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).mallopt(ARENA_MAX, MOST_ARENAS)


def come_first() -> None:
    """Let this process go before others where the system allows it: what plays cannot wait."""
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, 0, URGENCY)


def take_short_turns() -> None:
    """Let what plays wait for other threads of this process no longer than it must, see `TURN`."""
    sys.setswitchinterval(TURN)


_asked: dict[object, int] = {}
_asking = threading.Lock()


@cache
def _yielding() -> Any:
    """How much all workers leave to playback, as a number that they share."""
    return _processes.Value("b", FREE, lock=False)


def yield_to_playback(who: object, amount: int) -> None:
    """Let workers take all they can (`FREE`), half of the time, or nothing.

    Everybody who plays asks for himself; the most that is asked for counts for all workers.
    """
    with _asking:
        _asked[who] = amount
        if amount == FREE:
            del _asked[who]
        _yielding().value = max(_asked.values(), default=FREE)


def _named(path: str) -> Task:
    module, _, name = path.partition(":")
    task: Task = getattr(importlib.import_module(module), name)
    return task


def _end_with(parent: int) -> None:
    """End this process once its parent is gone, whatever it is working on.

    The process that workers are forked from ends as soon as the studio does, however that ended.
    """
    while os.getppid() == parent:
        time.sleep(PROBE_AGAIN)
    os._exit(1)


def _serve(connection: Connection, wanted: Any, yielding: Any) -> None:
    """The worker's life: run tasks until told to end, or until whoever asks is gone."""
    # A key press that ends the studio reaches its workers too; they end with it.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, 0, NICENESS)
    threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()
    while True:
        try:
            number, path, arguments = connection.recv()
        except (EOFError, OSError):
            return

        worked_from = time.perf_counter()

        def interrupted(number: int = number) -> bool:
            nonlocal worked_from
            if yielding.value == SHARING:
                time.sleep(min(LONGEST_STRETCH, time.perf_counter() - worked_from))
            waited = 0.0
            while yielding.value == WAITING and wanted.value == number and waited < LONGEST_PAUSE:
                time.sleep(0.004)
                waited += 0.004
            worked_from = time.perf_counter()
            return bool(wanted.value != number)

        try:
            for result in _named(path)(*arguments, interrupted=interrupted):
                connection.send((number, "result", result))
            connection.send((number, "end", None))
        except (BrokenPipeError, EOFError):
            return
        except Exception as error:
            connection.send((number, "error", error))


class Worker:
    """A process that runs one task at a time; a new task stops the one before."""

    def __init__(self) -> None:
        self._connection, theirs = _processes.Pipe()
        self._wanted = _processes.Value("q", 0, lock=False)
        self._lock = threading.Lock()
        self._ended = False
        self._process = _processes.Process(
            target=_serve, args=(theirs, self._wanted, _yielding()), daemon=True
        )
        self._process.start()
        theirs.close()

    @property
    def alive(self) -> bool:
        """Whether the process still runs; its end becomes known a little later."""
        return not self._ended and self._process.is_alive()

    def stop(self) -> None:
        """Stop the running task soon; its results so far are forgotten."""
        with self._lock:
            self._wanted.value += 1

    def run(self, task: str, *arguments: Any) -> Iterator[Any]:
        """Run a task named ``module:function`` and give its results as they come.

        The results end early if `stop` is called or another task is run.

        Raises
        ------
        WorkerFailed
            If the process has come to an end.
        Exception
            Whatever the task itself raised.
        """
        with self._lock:
            self._wanted.value += 1
            number = self._wanted.value
            try:
                self._connection.send((number, task, arguments))
            except OSError as error:
                self._ended = True
                raise WorkerFailed(f"the worker has ended: {error}") from None
        while True:
            try:
                found, kind, result = self._connection.recv()
            except (EOFError, OSError):
                self._ended = True
                raise WorkerFailed("the worker has ended") from None
            if found != number:
                continue
            if kind == "error":
                raise result
            if kind == "end":
                return
            if self._wanted.value == number:
                yield result

    def close(self) -> None:
        """End the process."""
        self._connection.close()
        self._process.terminate()


class Pool:
    """Workers that are lent out, and kept in between.

    Parameters
    ----------
    most
        Workers lent out at a time; who comes later waits.
    keep
        Workers kept that nobody uses.
    """

    def __init__(self, most: int, keep: int) -> None:
        self._most = most
        self._keep = keep
        self._lent = 0
        self._idle: list[Worker] = []
        self._change = threading.Condition()

    def borrow(self, wanted: Callable[[], bool] = lambda: True) -> Worker | None:
        """A worker that nobody else uses; none if it is no longer `wanted` before one is free."""
        with self._change:
            while self._lent >= self._most and wanted():
                self._change.wait(PROBE_AGAIN)
            if not wanted():
                return None
            self._lent += 1
            while self._idle:
                worker = self._idle.pop()
                if worker.alive:
                    return worker
        try:
            return Worker()
        except BaseException:
            self._one_less()
            raise

    def give_back(self, worker: Worker) -> None:
        """The worker is no longer used; beyond a few it is ended."""
        worker.stop()
        with self._change:
            kept = worker.alive and len(self._idle) < self._keep
            if kept:
                self._idle.append(worker)
        if not kept:
            worker.close()
        self._one_less()

    @property
    def busy(self) -> bool:
        """Whether any worker is lent out."""
        with self._change:
            return self._lent > 0

    def _one_less(self) -> None:
        with self._change:
            self._lent -= 1
            self._change.notify()


drawers = Pool(most=3, keep=2)
"""Workers that draw long views."""
takers = Pool(most=2, keep=1)
"""Workers that take material in, draw it, search it and cut it."""
compilers = Pool(most=2, keep=0)
"""Workers that compile kernels."""
renderers = Pool(most=1, keep=1)
"""Workers that render to files."""
spare = Pool(most=1, keep=0)
"""The worker that draws what nobody has asked for yet."""


def in_a_worker(task: str, *arguments: Any) -> Any:
    """The last result of a task, computed by one of `takers`.

    Raises
    ------
    WorkerFailed, Exception
        See `Worker.run`.
    """
    worker = takers.borrow()
    assert worker is not None, "nobody stopped waiting for it"
    try:
        return list(worker.run(task, *arguments))[-1]
    finally:
        takers.give_back(worker)


def idle() -> bool:
    """Whether nothing plays, and no worker does anything that somebody waits for."""
    with _asking:
        playing = bool(_asked)
    return not playing and not any(pool.busy for pool in (drawers, takers, renderers))
