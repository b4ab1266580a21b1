"""Compiling the sound engine's kernels while the studio already serves.

Those of a first sound come first. The process that plays
compiles nothing itself: what it needs and is not there yet is compiled by a worker ahead of all
else, and then loaded.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Iterator

from caligo.engine.precompile.first_kernels import FIRST_KERNELS
from caligo.kernels.kernel import Kernel
from studio.workers import WorkerFailed, compilers

logger = logging.getLogger("studio.preparation")

BREATH = 0.005
"""Seconds between two kernels that are loaded, in which what plays goes on."""


class Preparation:
    """What is compiled of the kernels: for the page, and for whoever waits."""

    def __init__(self) -> None:
        self.done = self.total = 0

    def begin(self) -> threading.Thread:
        """Compile what is missing, in a thread of its own that can be waited for."""
        thread = threading.Thread(target=self._run, name="preparation", daemon=True)
        thread.start()
        return thread

    def _run(self) -> None:
        worker = compilers.borrow()
        if worker is None:
            return
        try:
            for done, total, first in worker.run("studio.preparation:compile_all"):
                self.done, self.total = done, total
                if first:
                    _load()
        finally:
            compilers.give_back(worker)
        _load()


preparation = Preparation()
"""This process's own."""


def _load() -> None:
    """Load what is kept into this process, so that the first time is as quick as the second."""
    from caligo.engine.precompile.precompile import import_all

    import_all()
    for kernel in Kernel.declared:
        if not kernel.is_loaded and kernel.load():
            time.sleep(BREATH)


def compile_in_a_worker(kernel: Kernel) -> None:
    """Compile a kernel that something waits for; see `Kernel.compile_elsewhere`.

    Where no worker can do it, it is compiled here after all.
    """
    try:
        worker = compilers.borrow()
        assert worker is not None, "nobody stopped waiting for it"
        try:
            for _ in worker.run("studio.preparation:compile_one", kernel.name):
                pass
        finally:
            compilers.give_back(worker)
    except (WorkerFailed, OSError) as error:
        logger.warning("%s is compiled where sound plays: %.300r", kernel.name, error)


def compile_one(name: str, *, interrupted: Callable[[], bool]) -> Iterator[str]:
    """What a worker does: compile a kernel."""
    from caligo.engine.precompile.precompile import import_all
    from caligo.kernels.compilation import named

    import_all()
    named(name).make_ready()
    yield name


def compile_all(*, interrupted: Callable[[], bool]) -> Iterator[tuple[int, int, bool]]:
    """What a worker does: compile what is not in the cache.

    Yields
    ------
    done, total : int
        How many kernels are in the cache, of how many.
    first : bool
        Whether those of a first sound have just been finished.
    """
    from caligo.engine.precompile.precompile import import_all
    from caligo.kernels.cache import prune
    from caligo.kernels.compilation import compile_missing, missing

    import_all()
    left, total = missing(), len(Kernel.declared)
    first = [kernel for kernel in left if kernel.name in FIRST_KERNELS]
    rest = [kernel for kernel in left if kernel.name not in FIRST_KERNELS]
    yield total - len(left), total, not first
    for kernel in compile_missing([*first, *rest]):
        yield total - len(missing()), total, bool(first) and kernel is first[-1]
        if interrupted():
            return
    if left:
        prune()
