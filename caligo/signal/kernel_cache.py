"""Compiled kernels on disk, which several processes may read and write at the same time."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from numba.core.caching import FunctionCache

LOCK = "kernels.lock"
"""The file beside compiled kernels that whoever reads or writes them holds."""


@contextmanager
def _locked(folder: str, operation: int) -> Iterator[None]:
    """Hold a folder's lock, where it can be written to; where not, nobody writes kernels to it."""
    try:
        descriptor = os.open(os.path.join(folder, LOCK), os.O_RDWR | os.O_CREAT | os.O_CLOEXEC)
    except OSError:
        yield
        return
    try:
        fcntl.flock(descriptor, operation)
        yield
    finally:
        os.close(descriptor)


class SharedCache(FunctionCache):
    """Numba's cache of a function, of which one process writes at a time while none reads.

    Numba tells an index where it will write what it compiled, and then writes it: a process that
    compiles the same function for other types would take the same place, and one that reads in
    between would run what was there before, which is a crash at best.
    """

    def _load_overload(self, sig: Any, target_context: Any) -> Any:
        with _locked(self.cache_path, fcntl.LOCK_SH):
            return super()._load_overload(sig, target_context)  # type: ignore[no-untyped-call]

    def _save_overload(self, sig: Any, data: Any) -> None:
        self._impl.locator.ensure_cache_path()
        with _locked(self.cache_path, fcntl.LOCK_EX):
            super()._save_overload(sig, data)  # type: ignore[no-untyped-call]
