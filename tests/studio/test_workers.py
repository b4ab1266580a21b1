"""Worker processes: results as they come, stopping, giving way, failing, ending."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterator

import pytest

from studio.workers import (
    FREE,
    NICENESS,
    SHARING,
    WAITING,
    Pool,
    Worker,
    WorkerFailed,
    yield_to_playback,
)

HERE = "tests.studio.test_workers"


def count(to: int, *, interrupted: Callable[[], bool]) -> Iterator[int]:
    """Numbers, until it is stopped."""
    for number in range(to):
        if interrupted():
            return
        yield number


def slowly(*, interrupted: Callable[[], bool]) -> Iterator[float]:
    """The time, now and then, without end."""
    while not interrupted():
        yield time.time()
        time.sleep(0.01)


def fail(*, interrupted: Callable[[], bool]) -> Iterator[int]:
    """One result, then an error."""
    yield 1
    raise ValueError("no such minute")


def die(*, interrupted: Callable[[], bool]) -> Iterator[int]:
    """The end of the process, as a crash would be."""
    yield os.getpid()
    os.kill(os.getpid(), 9)


def standing(*, interrupted: Callable[[], bool]) -> Iterator[int]:
    """The process's niceness."""
    yield os.getpriority(os.PRIO_PROCESS, 0)


@pytest.fixture(scope="module")
def worker() -> Iterator[Worker]:
    made = Worker()
    yield made
    made.close()


def test_results_come_in_order(worker: Worker) -> None:
    assert list(worker.run(f"{HERE}:count", 5)) == [0, 1, 2, 3, 4]
    assert list(worker.run(f"{HERE}:count", 0)) == []


def test_an_error_is_the_callers_and_the_worker_goes_on(worker: Worker) -> None:
    results = worker.run(f"{HERE}:fail")
    assert next(results) == 1
    with pytest.raises(ValueError, match="no such minute"):
        next(results)
    assert list(worker.run(f"{HERE}:count", 2)) == [0, 1]


def test_a_stopped_task_ends_and_leaves_nothing_behind(worker: Worker) -> None:
    results = worker.run(f"{HERE}:slowly")
    next(results)
    worker.stop()
    assert list(results) == []
    assert list(worker.run(f"{HERE}:count", 3)) == [0, 1, 2]


def test_a_task_that_waits_gives_nothing_and_then_goes_on(worker: Worker) -> None:
    results = worker.run(f"{HERE}:slowly")
    next(results)
    yield_to_playback("one", SHARING)
    yield_to_playback("other", WAITING)
    # It is asked to wait in stretches of a quarter of a second.
    gaps = []
    before = next(results)
    for _ in range(3):
        now = next(results)
        gaps.append(now - before)
        before = now
    assert max(gaps) > 0.2
    yield_to_playback("other", FREE)
    yield_to_playback("one", FREE)
    worker.stop()
    assert list(results) == []


def test_workers_stand_back(worker: Worker) -> None:
    assert list(worker.run(f"{HERE}:standing")) == [NICENESS]


def test_a_workers_death_is_told_and_another_takes_its_place() -> None:
    pool = Pool(most=2, keep=1)
    first = pool.borrow()
    assert first is not None
    results = first.run(f"{HERE}:die")
    assert next(results) > 0
    with pytest.raises(WorkerFailed):
        next(results)
    pool.give_back(first)
    second = pool.borrow()
    assert second is not None
    assert second is not first
    assert list(second.run(f"{HERE}:count", 1)) == [0]
    pool.give_back(second)
    assert pool.borrow() is second
    second.close()


def test_a_pool_lends_no_more_than_it_may() -> None:
    pool = Pool(most=1, keep=1)
    first = pool.borrow()
    assert first is not None
    probes = iter([True, True, False])
    assert pool.borrow(lambda: next(probes, False)) is None, "nobody waits for ever"
    waiting: list[Worker | None] = []
    thread = threading.Thread(target=lambda: waiting.append(pool.borrow()))
    thread.start()
    time.sleep(0.3)
    assert waiting == []
    pool.give_back(first)
    thread.join(5)
    assert waiting == [first]
    first.close()
