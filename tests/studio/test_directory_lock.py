"""Two studios on one data folder: the second says who has it, and changes nothing."""

from __future__ import annotations

import multiprocessing
from pathlib import Path
from typing import Any

import pytest

from studio.directory_lock import DirectoryTaken, lock, sign


def _hold(folder: Path, held: Any, end: Any) -> None:
    file = lock(folder)
    sign(file, "http://127.0.0.1:8461/")
    held.set()
    end.wait()


def test_the_second_studio_says_who_has_the_folder(tmp_path: Path) -> None:
    context = multiprocessing.get_context("fork")
    held, end = context.Event(), context.Event()
    first = context.Process(target=_hold, args=(tmp_path, held, end))
    first.start()
    assert held.wait(10)
    with pytest.raises(DirectoryTaken, match=rf"http://127\.0\.0\.1:8461/ \(process {first.pid}\)"):
        lock(tmp_path)
    first.kill()
    first.join()
    lock(tmp_path).close()  # a killed process has let go of it
