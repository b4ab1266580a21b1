"""Compiling the sound engine's kernels while the studio already serves.

Those of a first sound come first, in two workers; the rest follows in one. The process that plays
compiles nothing itself: what it needs and is not there yet is compiled by a worker ahead of all
else, and then loaded.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor

from caligo.engine.first_kernels import FIRST_KERNELS
from caligo.engine.warm import import_all
from caligo.kernels.cache import prune
from caligo.kernels.compilation import compile_missing, missing, named
from caligo.kernels.compiled import Kernel
from studio.workers import compilers

logger = logging.getLogger("studio.preparation")

BREATH = 0.005
"""Seconds between two kernels that are loaded, in which what plays goes on."""


class Preparation:
    """What is compiled of the kernels: for the page, and for whoever waits."""

    def __init__(self) -> None:
        self.done = self.total = 0
        self._lock = threading.Lock()
        self.finished = threading.Event()

    def run(self) -> None:
        """Compile what is missing, and load all of it into this process."""
        import_all()
        self.total = len(Kernel.declared)
        left = {kernel.name for kernel in missing()}
        self.done = self.total - len(left)
        first = sorted(left & FIRST_KERNELS)
        with ThreadPoolExecutor(2) as pool:
            for end in [pool.submit(self._compile, first, b) for b in (False, True)]:
                end.result()
        _load_with_pauses()
        self._compile(sorted(left - FIRST_KERNELS), False)
        _load_with_pauses()
        if left:
            prune()
        self.done = self.total
        self.finished.set()

    def _compile(self, names: list[str], backwards: bool) -> None:
        if not names:
            return
        worker = compilers.borrow()
        if worker is None:
            return
        try:
            for _ in worker.run("studio.preparation:compile_all", names, backwards):
                with self._lock:
                    self.done += 1
        finally:
            compilers.give_back(worker)


preparation = Preparation()
"""This process's own."""


def _load_with_pauses() -> None:
    for kernel in Kernel.declared:
        if not kernel.overloads and kernel.load():
            time.sleep(BREATH)


def compile_in_a_worker(kernel: Kernel) -> None:
    """Compile a kernel that something waits for; see `Kernel.compile_elsewhere`."""
    worker = compilers.borrow()
    if worker is None:
        return
    try:
        for _ in worker.run("studio.preparation:compile_all", [kernel.name], False):
            pass
    finally:
        compilers.give_back(worker)


def compile_all(
    names: list[str], backwards: bool, *, interrupted: Callable[[], bool]
) -> Iterator[str]:
    """What a worker does: compile kernels that are not in the cache, and name each."""
    import_all()
    for kernel in compile_missing([named(name) for name in names], backwards=backwards):
        yield kernel.name
        if interrupted():
            return
