"""Kernels that are compiled while the studio serves: in order, told to the page, by workers."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest

from caligo.engine.precompile.first_kernels import FIRST_KERNELS
from caligo.kernels.kernel import Kernel
from studio import preparation
from studio.preparation import Preparation, compile_all, compile_in_a_worker, compile_one
from studio.workers import WorkerFailed
from tests.studio.conftest import Api


@pytest.fixture
def nothing_kept(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """As on a new machine: no kernel is kept until it is compiled; their names in order."""
    order: list[str] = []
    monkeypatch.setattr(Kernel, "is_kept", lambda self: self.name in order)
    monkeypatch.setattr(Kernel, "make_ready", lambda self: order.append(self.name))
    return order


def test_what_a_first_sound_needs_is_compiled_first(nothing_kept: list[str]) -> None:
    output = list(compile_all(interrupted=lambda: False))
    total = output[-1][1]
    assert set(nothing_kept[: len(FIRST_KERNELS)]) == FIRST_KERNELS
    assert len(set(nothing_kept)) == len(nothing_kept) == total
    assert [done for done, _, _ in output] == list(range(total + 1))
    assert [done for done, _, first in output if first] == [len(FIRST_KERNELS)]


def test_it_stops_where_it_is_told_to(nothing_kept: list[str]) -> None:
    list(compile_all(interrupted=lambda: len(nothing_kept) == 3))
    assert len(nothing_kept) == 3


class Workers:
    """A pool whose worker does what it is asked right here."""

    def __init__(self, results: list[Any] | Exception) -> None:
        self.results = results
        self.lent = 0

    def borrow(self) -> Workers:
        self.lent += 1
        return self

    def give_back(self, _: Any) -> None:
        self.lent -= 1

    def run(self, *_: Any) -> Iterator[Any]:
        if isinstance(self.results, Exception):
            raise self.results
        yield from self.results


def test_the_page_is_told_how_far_it_is(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    workers, loads = Workers([(3, 9, False), (5, 9, True), (9, 9, False)]), []
    monkeypatch.setattr(preparation, "compilers", workers)
    monkeypatch.setattr(preparation, "_load", lambda: loads.append(own.done))
    own = Preparation()
    monkeypatch.setattr("studio.preparation_api.preparation", own)
    assert api("GET", "/engine").json() == {"done": 0, "total": 0}
    own.begin().join(10)
    assert api("GET", "/engine").json() == {"done": 9, "total": 9}
    assert loads == [5, 9]
    assert workers.lent == 0


def test_where_no_worker_can_compile_it_is_done_here(
    monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    workers = Workers(WorkerFailed("the worker has ended"))
    monkeypatch.setattr(preparation, "compilers", workers)
    kernel = Kernel.declared[0]
    compile_in_a_worker(kernel)
    assert workers.lent == 0


def test_a_worker_compiles_what_something_waits_for(nothing_kept: list[str]) -> None:
    name = next(iter(FIRST_KERNELS))
    assert list(compile_one(name, interrupted=lambda: False)) == [name]
    assert nothing_kept == [name]
