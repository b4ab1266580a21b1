"""Kernels: compiled for what they declare, kept by all that they depend on, shared by processes."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from caligo.kernels import KernelTypeError, cache, device, kernel
from caligo.kernels.compilation import compile_kernels, named
from caligo.kernels.kernel import Kernel

CALLEE = '''"""Functions that another file's kernel calls."""
from caligo.kernels import device

FACTOR = 2.0


@device
def scaled(x: float) -> float:
    """Scale."""
    return FACTOR * x
'''
CALLER = """
import numpy as np
from caligo.kernels import kernel
from callee_on_trial import scaled


@kernel("f8[::1]")
def run(values):
    for i in range(len(values)):
        values[i] = scaled(values[i])


values = np.ones(3)
kept = run.is_kept()
run(values)
print(values[0], "kept" if kept else "compiled")
"""


@pytest.fixture
def own_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A cache of the test's own."""
    monkeypatch.setenv(cache.VARIABLE, str(tmp_path / "cache"))
    return tmp_path / "cache"


@pytest.fixture
def ran(tmp_path: Path, own_cache: Path) -> Callable[[str], str]:
    """Runs the caller beside a callee's text, in a process of its own."""
    (tmp_path / "caller_on_trial.py").write_text(CALLER)
    # Kept byte code is told apart by the second and the size of its file: of two texts as long as
    # each other within one second the first would be run twice.
    environment = os.environ | {"PYTHONPATH": os.getcwd(), "PYTHONDONTWRITEBYTECODE": "1"}

    def run(callee: str) -> str:
        (tmp_path / "callee_on_trial.py").write_text(callee)
        done = subprocess.run(
            [sys.executable, "caller_on_trial.py"],
            cwd=tmp_path, env=environment, capture_output=True, text=True, check=False,
        )  # fmt: skip
        assert done.returncode == 0, done.stderr
        return done.stdout.strip()

    return run


def test_a_kernel_changes_with_what_another_file_defines(ran: Callable[[str], str]) -> None:
    assert ran(CALLEE) == "2.0 compiled"
    assert ran(CALLEE) == "2.0 kept"
    assert ran(CALLEE.replace("FACTOR = 2.0", "FACTOR = 3.0")) == "3.0 compiled"
    assert ran(CALLEE.replace("FACTOR * x", "FACTOR * x + 1.0")) == "3.0 compiled"
    assert ran(CALLEE) == "2.0 kept"


def test_words_about_a_kernel_do_not_change_it(ran: Callable[[str], str]) -> None:
    ran(CALLEE)
    output = CALLEE.replace('"""Scale."""', '"""Multiply by a factor."""\n    # Which is two.')
    assert ran(f"# A comment\n{output}") == "2.0 kept"


def _declared(signature: str = "f8[::1]") -> Kernel:
    @kernel(signature)
    def doubled(values: np.ndarray) -> None:
        for i in range(len(values)):
            values[i] *= 2.0

    assert isinstance(doubled, Kernel)
    Kernel.declared.remove(doubled)
    return doubled


def test_what_a_kernel_does_not_declare_is_refused(own_cache: Path) -> None:
    doubled = _declared()
    for wrong in (np.ones(4)[::2], np.ones(4, np.float32), np.ones((2, 2))):
        for _ in range(2):  # before it is compiled, and after
            with pytest.raises(KernelTypeError, match=r"doubled takes \(array\(float64, 1d, C\)\)"):
                doubled(wrong)
    values = np.ones(4)
    doubled(values)
    assert values.tolist() == [2.0] * 4


def test_threads_that_call_first_at_once_share_one_dispatcher(
    own_cache: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The second asks while the first one's is being made."""
    doubled, make, asking = _declared(), Kernel._make_dispatcher, threading.Event()
    made: list[object] = []

    def slowly(kernel: Kernel) -> object:
        second.start()
        assert asking.wait(5.0)
        second.join(0.2)  # it waits for the lock, or has made another by then
        made.append(make(kernel))
        return made[-1]

    def ask() -> None:
        asking.set()
        found.append(doubled.dispatcher)

    found: list[object] = []
    second = threading.Thread(target=ask)
    monkeypatch.setattr(Kernel, "_make_dispatcher", slowly)
    found.append(doubled.dispatcher)
    second.join()
    assert len(made) == 1
    assert found[0] is found[1]


def test_a_number_is_converted() -> None:
    @kernel("f8, i8")
    def power(x: float, n: int) -> float:
        return x**n

    Kernel.declared.pop()
    assert power(3, np.uint64(2)) == power(np.float32(3), True + 1) == 9.0


def test_a_device_function_is_called_by_kernels_alone() -> None:
    @device
    def halved(x: float) -> float:
        return 0.5 * x

    with pytest.raises(TypeError, match="only kernels call it"):
        halved(1.0)


def test_a_damaged_file_is_compiled_again(own_cache: Path) -> None:
    first = _declared()
    first.make_ready()
    (path,) = (own_cache / "kernels").iterdir()
    whole = path.read_bytes()
    for damaged in (b"", whole[:-1], whole[:40] + bytes([whole[40] ^ 1]) + whole[41:]):
        path.write_bytes(damaged)
        again = _declared()
        assert not again.load()
        again.make_ready()
        assert again.load()
        assert path.stat().st_size > 1_000


def test_a_cache_that_cannot_be_written_to_stops_nobody(
    own_cache: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    own_cache.write_text("a file where the directory should be")
    values = np.ones(2)
    _declared()(values)
    assert values.tolist() == [2.0, 2.0]
    assert "not kept" in caplog.text


def test_two_processes_share_the_work_and_keep_all_of_it(own_cache: Path) -> None:
    kernels = [_declared(f"{of}[::1]") for of in ("f8", "f4", "c8", "c16")]
    seen: list[int] = []
    compile_kernels(kernels, seen.append)
    assert all(kernel.is_kept() and not kernel.is_loaded for kernel in kernels)
    assert seen[-1] == len(kernels)


def test_a_process_that_may_not_compile_has_it_done_elsewhere(
    own_cache: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By another that leaves it in the cache."""
    asked: list[str] = []

    def elsewhere(kernel: Kernel) -> None:
        asked.append(kernel.name)
        monkeypatch.setattr(Kernel, "compile_elsewhere", None)
        _declared().make_ready()

    monkeypatch.setattr(Kernel, "compile_elsewhere", staticmethod(elsewhere))
    doubled = _declared()
    monkeypatch.setattr(doubled, "_compile", lambda: pytest.fail("compiled here"))
    doubled(np.ones(2))
    assert len(asked) == 1


def test_what_is_not_used_is_deleted(own_cache: Path) -> None:
    kernels = [_declared(f"{of}[::1]") for of in ("f8", "f4")]
    for one in kernels:
        one.make_ready()
    old = own_cache / "kernels" / f"{kernels[0].key}{cache.ENDING}"
    os.utime(old, (0, 0))
    assert cache.prune() == 1
    assert not old.exists()
    assert cache.has(kernels[1].key)
    assert cache.prune(most_bytes=0) == 1


def test_every_kernel_has_a_name() -> None:
    assert named("caligo.movement.chance.combine").signature
    with pytest.raises(LookupError, match="no kernel nobody"):
        named("nobody")


KEYS = """
from caligo.engine.precompile.precompile import import_all
from caligo.kernels.kernel import Kernel
import_all()
print([(kernel.name, kernel.key) for kernel in Kernel.declared])
"""


def test_every_process_knows_a_kernel_by_the_same_key() -> None:
    """Whatever order sets have there."""
    output = {
        subprocess.run(
            [sys.executable, "-c", KEYS], env=os.environ | {"PYTHONHASHSEED": seed},
            capture_output=True, text=True, check=True,
        ).stdout
        for seed in ("1", "2")
    }  # fmt: skip
    assert len(output) == 1
