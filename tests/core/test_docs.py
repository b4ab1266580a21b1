"""The example in the docs works, and docstrings say what arrays hold."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from pathlib import Path

DOCS = Path(__file__).parents[2] / "docs"

TRY = """
from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.engine.render.offline import render_array
import numpy as np
sound = read_sound({
    "name": "X",
    "layers": [{"id": "a", "name": "A", "source": {"kind": "wavetable"},
                "inserts": [{"id": "t", "kind": "swell", "params": {"depth": 90}}]}],
})
score = held_chord("A3", 4.0)
one, two = (render_array(sound, score, block=b, ahead=False) for b in (64, 8192))
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


ARRAYS = ("NDArray", "Floats", "Signal", "Samples", "ndarray", "Column", "States")
TELLING = ("``[", "``(", "See `")
"""An array's axes, a tuple's parts, or where both are told."""


def with_arrays(tree: ast.Module) -> list[ast.FunctionDef]:
    """The public functions and methods that take or give an array."""
    bodies = [tree.body]
    bodies += [node.body for node in tree.body if isinstance(node, ast.ClassDef)
               and not node.name.startswith("_")]  # fmt: skip
    found = []
    for node in (node for body in bodies for node in body):
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            arguments = [*node.args.args, *node.args.kwonlyargs]
            types = [a.annotation for a in arguments if a.annotation]
            texts = [
                ast.unparse(one) for one in [*types, *([node.returns] if node.returns else [])]
            ]
            if any(word in text for word in ARRAYS for text in texts):
                found.append(node)
    return found


def test_public_functions_say_what_the_axes_of_their_arrays_are() -> None:
    missing = []
    for path in sorted((DOCS.parent / "caligo").rglob("*.py")):
        for function in with_arrays(ast.parse(path.read_text())):
            output = ast.get_docstring(function) or ""
            if not any(word in output for word in TELLING):
                missing.append(f"{path.name}:{function.lineno} {function.name}")
    assert missing == []
