"""What holds for all tests."""

from __future__ import annotations

from pathlib import Path

import pytest

from caligo.material.shelf import VARIABLE


@pytest.fixture(autouse=True)
def _own_shelf(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Material of this machine's own studio is never seen, nor written to."""
    monkeypatch.setenv(VARIABLE, str(tmp_path / "own shelf"))
