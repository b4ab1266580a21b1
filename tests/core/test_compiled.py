"""Nothing is compiled while a sound is rendered: `caligo warm` has done all of it at set-up."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, seed, settings

from caligo.catalogue import catalogue
from tests.core.documents import any_document

FAMILIES = ("source", "filter", "effect", "modulator")
MOST = 24
MOST_DRAWS = 40
"""Times that documents are drawn until each kind of module is in one."""
WATCH = """
import json, sys
from pathlib import Path
from numba.core import event
compiled = []
class Watch(event.Listener):
    def on_start(self, event): pass
    def on_end(self, event): compiled.append(str(event.data["dispatcher"]))
event.register("numba:compile", Watch())
from caligo.document import Score, read_sound
from caligo.document.held import held_chord
from caligo.engine.live import Listening
from caligo.engine.metering import StageMeter
from caligo.engine.engine import Engine
from caligo.engine.offline import render_array
from caligo.engine.trajectories import trajectories
score = held_chord("C1 A3 C8", 1.0)
for data in json.loads(Path(sys.argv[1]).read_text()):
    sound = read_sound(data)
    render_array(sound, score, length=0.15, block=2048)
    render_array(sound, score, start=0.3, length=0.05, rate=96000, block=2048)
    trajectories(sound, score, 16)
    listening = Listening(sound, score, start=0.1)
    listening.block()
    listening.edit(sound.model_copy(update={"name": "Other"}))
    listening.block()
    Engine(sound, score, meter=StageMeter()).render(32)
    if compiled:
        sys.exit(f"{compiled} compiled for {json.dumps(data)}")
"""


def watch(documents: list[dict[str, Any]], folder: Path) -> None:
    """Render documents in a process of its own, and fail if anything is compiled."""
    given_to = folder / "documents.json"
    given_to.write_text(json.dumps(documents))
    done = subprocess.run(
        [sys.executable, "-c", WATCH, str(given_to)], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr


def drawn_documents(number: int) -> list[dict[str, Any]]:
    """Documents as the fuzz tests draw them, always the same for a number."""
    drawn: list[dict[str, Any]] = []

    @seed(number)
    @settings(
        max_examples=40, database=None, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck), deadline=None,
    )  # fmt: skip
    @given(any_document())
    def draw(data: dict[str, Any]) -> None:
        drawn.append(data)

    draw()
    return drawn


@pytest.mark.lasts
def test_no_kernel_is_compiled_while_any_module_renders(tmp_path: Path) -> None:
    kinds = {f'"{m.kind}"' for m in catalogue() if m.family in FAMILIES}
    chosen: list[dict[str, Any]] = []
    for number in range(MOST_DRAWS):
        for data in drawn_documents(number):
            text = json.dumps(data)
            fresh = {kind for kind in kinds if kind in text}
            if fresh or len(chosen) < MOST:
                chosen.append(data)
                kinds -= fresh
        if not kinds:
            break
    assert kinds == set(), "some kinds of module were never drawn"
    watch(chosen, tmp_path)


@pytest.mark.lasts
def test_the_guard_sees_a_kernel_that_is_compiled(tmp_path: Path) -> None:
    """A kernel that nobody has compiled before must be told, or the guard guards nothing."""
    plain = {"name": "A", "layers": [{"id": "a", "name": "A", "source": {"kind": "noise"}}]}
    given_to = tmp_path / "documents.json"
    given_to.write_text(json.dumps([plain]))
    script = WATCH.replace(
        "score = held", "import numba\nnumba.njit(lambda x: x + 1)(1)\nscore = held", 1
    )
    done = subprocess.run(
        [sys.executable, "-c", script, str(given_to)], capture_output=True, text=True, check=False
    )
    assert "compiled for" in done.stderr
    watch([plain], tmp_path)
