"""The example in the docs is a module that works."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

DOCS = Path(__file__).parents[2] / "docs"

TRY = """
from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.engine.offline import render_array
import numpy as np
sound = read_sound({
    "name": "X",
    "layers": [{"id": "a", "name": "A", "source": {"kind": "wavetable"},
                "inserts": [{"id": "t", "kind": "tremolo", "params": {"depth": 90}}]}],
})
score = held_chord("A3", 4.0)
one, two = (render_array(sound, score, block=b) for b in (64, 8192))
assert np.array_equal(one, two)
level = np.abs(one[0][96000:]).reshape(-1, 4800).max(axis=1)
assert level.max() > 3 * level.min() > 0
"""


def test_the_example_module_sounds_and_keeps_the_principles() -> None:
    """In a process of its own, since a module registers for good."""
    text = (DOCS / "adding-a-module.md").read_text()
    example = re.search(r"```python\n(.*?)```", text, re.DOTALL)
    assert example
    done = subprocess.run(
        [sys.executable, "-c", example[1] + TRY], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
