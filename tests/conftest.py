"""What holds for all tests."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import settings

from caligo.engine import live
from caligo.material.shelf import VARIABLE

# A shared machine is slow now and then, and compiling the engine takes its time: no test is timed.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


@pytest.fixture(autouse=True)
def _own_shelf(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Material of this machine's own studio is never seen, nor written to."""
    monkeypatch.setenv(VARIABLE, str(tmp_path / "own shelf"))


@pytest.fixture(autouse=True)
def _unhurried(monkeypatch: pytest.MonkeyPatch) -> None:
    """A start has all the time that its whole run-in takes, however busy the machine is."""
    monkeypatch.setattr(live, "PATIENCE", 60.0)
