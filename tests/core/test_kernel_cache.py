"""Several processes may compile a kernel at the same time, and all find what each has compiled."""

from __future__ import annotations

import importlib
import multiprocessing
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from numba.core.caching import IndexDataCacheFile

KERNEL = """
from caligo.signal.kernel import kernel

@kernel
def doubled(values):
    for i in range(len(values)):
        values[i] *= 2
"""
TYPES = ("f4", "f8", "i4", "i8")
"""Each is compiled for apart from the others."""
_forked = multiprocessing.get_context("fork")


def _double(kind: str, together: Any, compiled: Any) -> None:
    """Double some numbers of a type once all are there, and tell whether that was compiled for."""
    doubled = importlib.import_module("kernel_on_trial").doubled
    values = np.arange(5).astype(kind)
    together.wait()
    doubled(values)
    assert values.tolist() == [0, 2, 4, 6, 8]
    with compiled.get_lock():
        compiled.value += sum(doubled.stats.cache_misses.values())


def _in_processes() -> int:
    """Double numbers of every type in a process each, all at once; how many had to be compiled."""
    together, compiled = _forked.Barrier(len(TYPES)), _forked.Value("i", 0)
    given = [(kind, together, compiled) for kind in TYPES]
    processes = [_forked.Process(target=_double, args=arguments) for arguments in given]
    for process in processes:
        process.start()
    for process in processes:
        process.join()
    assert [process.exitcode for process in processes] == [0] * len(processes)
    return int(compiled.value)


def _slow(save: Callable[..., None]) -> Callable[..., None]:
    def saved(*arguments: Any) -> None:
        time.sleep(0.1)
        save(*arguments)

    return saved


def test_processes_that_compile_at_once_keep_all_of_it(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Each writes so slowly that the others would be at it before it ends."""
    (tmp_path / "kernel_on_trial.py").write_text(KERNEL)
    monkeypatch.syspath_prepend(tmp_path)
    monkeypatch.setattr(IndexDataCacheFile, "_save_index", _slow(IndexDataCacheFile._save_index))
    assert _in_processes() == len(TYPES)
    assert _in_processes() == 0
