"""What holds for all tests."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import settings

from caligo.engine.listening import live
from caligo.material.store import VARIABLE

# A shared machine is slow now and then, and compiling the engine takes its time: no test is timed.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


@pytest.fixture(scope="session")
def shelves(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder for shelves that tests have not named a place for."""
    return tmp_path_factory.mktemp("shelves")


@pytest.fixture(autouse=True)
def _own_material(shelves: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Material of this machine's own studio is never seen, nor written to.

    Tests share a shelf until one puts something there, and with it what is held ready in memory.
    """
    monkeypatch.setenv(VARIABLE, str(shelves / str(len(list(shelves.iterdir())))))


@pytest.fixture(autouse=True)
def _unhurried(monkeypatch: pytest.MonkeyPatch) -> None:
    """A start has all the time that its whole run-in takes, however busy the machine is."""
    monkeypatch.setattr(live, "PATIENCE", 60.0)
