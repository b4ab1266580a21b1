"""What a start of the studio waits for."""

from __future__ import annotations

import subprocess
import sys

import pytest

SLOW = ("scipy.signal", "scipy.stats", "librosa")
"""Packages that take seconds to load; a few functions that are rarely used load the first."""


@pytest.mark.parametrize("module", ["studio.preloaded", "studio.asgi", "caligo.command.main"])
def test_no_start_loads_what_takes_seconds(module: str) -> None:
    code = f"import sys, {module}; print([name for name in {SLOW} if name in sys.modules])"
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert told.stdout.strip() == "[]"
