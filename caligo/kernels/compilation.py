"""Compiling kernels ahead of their use, in two processes."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from multiprocessing import get_context
from typing import Any

from caligo.kernels.kernel import Kernel

POLL_SECONDS = 0.1


def missing() -> list[Kernel]:
    """Kernels of all imported modules that are not in the cache."""
    return [kernel for kernel in Kernel.declared if not kernel.is_kept()]


def named(name: str) -> Kernel:
    """A kernel by module and name.

    Raises
    ------
    LookupError
        No imported module declares it.
    """
    for kernel in Kernel.declared:
        if kernel.name == name:
            return kernel
    raise LookupError(f"there is no kernel {name}")


def load_kept() -> int:
    """Load every kernel that is in the cache into this process; how many there are."""
    return sum(kernel.load() for kernel in Kernel.declared)


def compile_missing(kernels: Sequence[Kernel], *, backwards: bool = False) -> Iterator[Kernel]:
    """Compile those kernels that are not in the cache, and give each as it is there.

    Two processes that begin at either end meet where the other has been: kernels of one module lie
    beside each other and share device functions, which each process compiles for itself.
    """
    for kernel in reversed(kernels) if backwards else kernels:
        if not kernel.is_kept():
            kernel.make_ready()
            yield kernel


def _compile(kernels: Sequence[Kernel], backwards: bool) -> None:
    for _ in compile_missing(kernels, backwards=backwards):
        pass


def compile_kernels(
    kernels: Sequence[Kernel], progress: Callable[[int], None] = lambda done: None
) -> None:
    """Compile kernels into the cache, in two processes.

    Parameters
    ----------
    kernels : sequence of Kernel
    progress : callable, optional
        Receives how many of them are in the cache.

    Raises
    ------
    RuntimeError
        A process failed; it has printed why.
    """
    context: Any = get_context("fork")
    workers = [
        context.Process(target=_compile, args=(kernels, backwards))
        for backwards in (False, True)[: len(kernels)]
    ]
    for worker in workers:
        worker.start()
    while any(worker.is_alive() for worker in workers):
        time.sleep(POLL_SECONDS)
        progress(sum(kernel.is_kept() for kernel in kernels))
    if any(worker.exitcode for worker in workers):
        raise RuntimeError("kernels could not be compiled")
