"""Nothing is compiled while a sound is rendered: `caligo warm` has done all of it ahead.

A kernel refuses what it does not declare, so that every test of the engine guards this too; here
all modules are tried with notes that begin anywhere, at three rates.
"""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, Phase, given, seed, settings

from caligo.catalogue import catalogue
from caligo.engine.precompile.first_kernels import FIRST_KERNELS
from caligo.material.cards import RecordingCard
from caligo.material.store import current
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
from caligo.engine.listening.live import Listening
from caligo.engine.layers.metering import SlotMeter
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.engine.views.trajectories import trajectories
# Two notes are held from the start, and two begin between two ticks, inside of blocks.
score = held_chord("C1 A3 C8 E4", 1.0)
for note, start in zip(score.notes, (0.0, 0.0, 0.0137, 0.0891), strict=True):
    note.start = start
for data in json.loads(Path(sys.argv[1]).read_text()):
    sound = read_sound(data)
    render_array(sound, score, length=0.15, block=2048)
    for rate in (44_100, 96_000):
        render_array(sound, score, start=0.05, length=0.06, rate=rate, block=2048)
    trajectories(sound, score, 16)
    listening = Listening(sound, score, start=0.1)
    listening.block()
    listening.edit(sound.model_copy(update={"name": "Other"}))
    listening.block()
    Engine(sound, score, meter=SlotMeter()).render(32)
    if compiled:
        sys.exit(f"{compiled} compiled for {json.dumps(data)}")
"""

FIRST = """
import json
from caligo.document import read_sound
from caligo.engine.views.preview import probes
from caligo.engine.listening.live import Listening
from caligo.engine.views.long_view import fine
from caligo.engine.views.pictures import picture
from caligo.engine.views.trajectories import trajectories
from caligo.kernels.kernel import Kernel
from demo.scores import CUES
from demo.sounds import SOUNDS
cue = min(CUES, key=lambda cue: cue.number)
made = (make() for make in SOUNDS)
sound = read_sound(next(one for one in made if one["name"] == cue.sounds[0]))
listening = Listening(sound, cue.score)
for _ in range(30):
    listening.block()
listening.end()
listening = Listening(sound, cue.score, start=20.0)
listening.block()
listening.press(60)
listening.block()
listening.edit(sound.model_copy(update={"name": "Other"}))
listening.block()
listening.end()
next(probes(sound, cue.score, most=8))
trajectories(sound, cue.score, 20)
next(fine(sound, cue.score))
for layer in sound.layers:
    picture(sound, cue.score, layer)
print(json.dumps([kernel.name for kernel in Kernel.declared if kernel.is_loaded]))
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


def test_a_long_convolution_with_a_side_chain_needs_no_other_kernels(tmp_path: Path) -> None:
    """Partitions of both sizes, an effect that listens to a layer, a density that moves."""
    cards = [card for card in current().cards() if isinstance(card, RecordingCard)]
    longest = max(cards, key=lambda card: card.frames)
    effects = [
        {"id": "space", "kind": "convolution", "params": {"recording": longest.key}},
        {"id": "duck", "kind": "compressor", "params": {"side": "grains"}},
    ]
    grains = {"id": "source", "kind": "grains", "params": {"recording": longest.key}}
    plain = {"id": "source", "kind": "wavetable"}
    data = {
        "name": "A",
        "layers": [
            {"id": "grains", "name": "Grains", "source": grains},
            {"id": "ground", "name": "Ground", "source": plain, "inserts": effects},
        ],
        "modulators": [{"id": "lfo", "name": "LFO", "kind": "lfo"}],
        "routes": [{"id": "r", "from": "lfo", "to": "grains.source.density", "depth": 1.0}],
    }
    watch([data], tmp_path)


def test_the_first_sound_needs_the_kernels_that_are_compiled_first(tmp_path: Path) -> None:
    """Listening from the start and from the middle, a key, an edit, and all that is drawn."""
    done = subprocess.run(
        [sys.executable, "-c", FIRST], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert set(json.loads(done.stdout)) == FIRST_KERNELS
