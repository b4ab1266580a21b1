"""What a start of the studio waits for."""

from __future__ import annotations

import subprocess
import sys

import pytest

SLOW = ("scipy.signal", "scipy.stats", "librosa")
"""Packages that take seconds to load; a few functions that are rarely used load the first."""

COMMANDS = ("check", "catalogue", "schema", "material", "demo_sounds", "importing")
"""Subcommands that compute no sound."""


@pytest.mark.parametrize("module", ["studio.preloaded", "studio.asgi", "caligo.command.main"])
def test_no_start_loads_what_takes_seconds(module: str) -> None:
    code = f"import sys, {module}; print([name for name in {SLOW} if name in sys.modules])"
    output = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True
    )
    assert output.stdout.strip() == "[]"


@pytest.mark.parametrize("command", COMMANDS)
def test_a_command_that_computes_no_sound_loads_no_compiler(command: str) -> None:
    """Not even with every module of the catalogue: numba and scipy take longer than all else."""
    code = (
        f"import sys, caligo.command.{command}, caligo.catalogue; caligo.catalogue.catalogue(); "
        "print([name for name in ('numba', 'llvmlite', 'scipy') if name in sys.modules])"
    )
    found = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert found.stdout.strip() == "[]"
