"""What every module of the catalogue has to keep to, found through the catalogue."""

from __future__ import annotations

import json
import math
import subprocess
import sys
from collections.abc import Iterator
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from caligo.catalogue import Kind, Module, Moves, catalogue, registry
from caligo.document import Score, Sound, find_parameter, read_sound
from caligo.engine.listening.live import Listening
from caligo.engine.render.engine import Engine
from caligo.movement.block import stereo_block
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import whole
from caligo.processing.chain import Chain, build_chain
from caligo.signal.ticks import TICK, Span
from tests.core.builders import RATE, decibels, octaves, one_note, plain_layer
from tests.core.effects import effect, noise, through
from tests.core.module_trials import trials

FAMILIES = ("source", "filter", "effect", "modulator")
MODULES = [m for m in catalogue() if m.family in FAMILIES]
PROCESSORS = [m for m in MODULES if m.family in ("filter", "effect")]
named = pytest.mark.parametrize("module", MODULES, ids=lambda m: f"{m.family}-{m.kind}")
late_minutes = pytest.mark.parametrize(
    "module",
    [
        # An effect is heard for as long as its tail: a minute each, which the trials take.
        pytest.param(m, marks=pytest.mark.wide if m.family == "effect" else ())
        for m in MODULES
    ],
    ids=lambda m: f"{m.family}-{m.kind}",
)
FILTERS_AS_EFFECTS = {f"{m.kind}_filter" for m in MODULES if m.family == "filter"}
processing = pytest.mark.parametrize("module", PROCESSORS, ids=lambda m: f"{m.family}-{m.kind}")
SCORE = Score.model_validate({"length": 8, "notes": [
    {"id": "n1", "pitch": 45, "start": 0.013, "length": 7, "velocity": 90},
    {"id": "n2", "pitch": 76, "start": 1.7, "length": 3, "velocity": 40}]})  # fmt: skip


def busiest(module: Module) -> Sound:
    """The module with everything in it moving, in unison where it can."""
    return next(islice(trials(module.family, module), 3, None))


def holding(module: Module, **params: Any) -> Sound:
    """Something that a processor can be heard on: a saw, and the processor on its layer."""
    place = "filters" if module.family == "filter" else "inserts"
    layer = plain_layer(table="saw") | {
        place: [{"id": "fx", "kind": module.kind, "params": params}],
        "params": {"level": -12},
    }
    return read_sound({"name": "Held", "layers": [layer]})


def stream(engine: Engine, ticks: int, block: int) -> np.ndarray:
    return np.concatenate(list(engine.stream(ticks, block, ahead=False)), axis=1)


@named
def test_blocks_make_no_difference(module: Module) -> None:
    sound = busiest(module)
    first = stream(Engine(sound, SCORE), 450, 8192)
    for block, ticks in ((64, 60), (192, 210)):
        found = stream(Engine(sound, SCORE), ticks, block)
        assert np.array_equal(found, first[:, : ticks * TICK]), block
    assert np.array_equal(stream(Engine(sound, SCORE, threads=2), 450, 4096), first)


@named
def test_from_a_state_from_a_run_in_and_from_zero_it_is_the_same(module: Module) -> None:
    """A kept state gives the same bits, a run-in as long as the tail what 60 dB under it is."""
    sound = busiest(module)
    engine = Engine(sound, SCORE)
    engine.render(1500)
    state = engine.save_state()
    expected = engine.render(600)
    other = Engine(sound, SCORE)
    other.restore_state(state)
    assert np.array_equal(other.render(600), expected)
    other = Engine(sound, SCORE)
    other.start(1500)
    assert decibels(np.abs(other.render(600) - expected).max() / np.abs(expected).max()) < -58


@late_minutes
def test_what_it_does_at_a_late_minute_is_exact(module: Module) -> None:
    """Moved by a modulator: minute 29 of 30, from two starts that lie far apart."""
    sound = busiest(module)
    if module.kind == "delay":
        # The phase of what each turn shifts hangs on all turns before: see the test after this.
        sound = unshifted(sound)
    score = one_note(57, 1800.0)
    late = round(1745.0 * RATE / TICK)
    engines = [Engine(sound, score) for _ in range(2)]
    if math.isinf(engines[0].preroll()) and module.kind == "reverb":
        pytest.skip("what is frozen is known from the start of the cue, or from a kept state")
    for engine, roll in zip(engines, (0, 3 * PERIODS), strict=True):
        # An effect is heard for as long as its tail, whatever else the test is about.
        engine.start(late - roll, most=60.0 if module.family == "effect" else 4.0)
        for _ in range(roll // PERIODS):
            engine.render(PERIODS)
    one, two = (engine.render(64) for engine in engines)
    loudest = max(np.abs(one).max(), 1e-3)
    assert decibels(np.abs(one - two).max() / loudest) < -40


PERIODS = 750
"""Ticks of a second."""


def unshifted(sound: Sound) -> Sound:
    """The same without a change of pitch in the loop of a delay."""
    found = sound.model_dump(by_alias=True, mode="json")
    for part in found["layers"][0]["inserts"]:
        part["params"]["pitched"] = 0.0
    found["routes"] = [r for r in found["routes"] if not r["to"].endswith(".pitched")]
    return read_sound(found)


@pytest.mark.wide
def test_shifted_echoes_are_as_loud_from_any_minute() -> None:
    """In every octave, over seconds: from two starts that lie far apart."""
    params = {"pitch_left": 700.0, "pitch_right": -498.0, "pitched": 60.0, "feedback": 70.0}
    delay = next(m for m in PROCESSORS if m.kind == "delay")
    sound, score = holding(delay, **params), one_note(57, 1800.0)
    found = []
    for before in (20, 33):
        engine = Engine(sound, score)
        engine.start(900 * PERIODS - before * PERIODS, most=0.0)
        engine.run(before * PERIODS)
        found.append(octaves(engine.render(8 * PERIODS)))
    heard = found[0] > found[0].max() - 40.0
    assert np.abs(found[0] - found[1])[heard].max() < 1.0


@processing
def test_a_reset_processor_is_a_new_one(module: Module) -> None:
    sound = holding(module)
    engine = Engine(sound, SCORE)
    fresh = engine.render(300)
    engine.start(0)
    assert np.array_equal(engine.render(300), fresh)


@pytest.mark.parametrize("broken", [np.inf, -np.inf, np.nan])
@pytest.mark.parametrize("kind", [m.kind for m in PROCESSORS if m.family == "effect"])
def test_a_broken_sample_is_over_at_once(kind: str, broken: float) -> None:
    """One sample that is no number: all that comes out is finite, and what follows is heard."""
    whole_one, cut = noise(1.5), noise(1.5)
    cut[0, 24_000] = broken
    heard = through(effect(kind), cut)
    assert np.isfinite(heard).all()
    expected = through(effect(kind), whole_one)
    assert decibels(heard[:, -24_000:].std() / expected[:, -24_000:].std()) == pytest.approx(
        0.0, abs=1.0
    )


@processing
def test_bypass_is_live_the_tail_rings_out_and_the_state_goes_on(module: Module) -> None:
    sound = holding(module)
    listening = Listening(sound, one_note(57, 20.0))
    before = np.concatenate([listening.block() for _ in range(24)], axis=1)
    off = sound.model_copy(deep=True)
    part = (off.layers[0].filters or off.layers[0].inserts)[0]
    part.bypass = True
    engine = listening._engine
    listening.edit(off)
    after = np.concatenate([listening.block() for _ in range(24)], axis=1)
    assert listening._engine is engine, "a bypass builds no new engine"
    listening.edit(sound)
    back = np.concatenate([listening.block() for _ in range(24)], axis=1)
    heard = np.concatenate([before[:, -4096:], after, back], axis=1)
    assert steps_in(heard) < 1.6 * max(steps_in(before[:, RATE // 4 :]), steps_in(after[:, 9000:]))


def steps_in(signal: np.ndarray) -> float:
    """The largest third difference: what a click makes, and a smooth wave hardly does."""
    return float(np.abs(np.diff(signal, 3, axis=1)).max())


@processing
def test_a_bypassed_processor_rings_out(module: Module) -> None:
    """As it would have done with nothing coming in; then the signal goes around it, as late."""
    sound = holding(module)
    movement = Movement(sound, SCORE)
    parts = sound.layers[0].filters or sound.layers[0].inserts
    chain, other = (build_chain(parts, "ground", movement, RATE) for _ in range(2))
    note = whole(8.0)

    def through(chain: Chain, first: int, signal: np.ndarray) -> np.ndarray:
        span = Span(first, signal.shape[1] // TICK, RATE)
        chain.process(stereo_block(span, Moments(span.times, note, note)), signal[None])
        return signal

    noise = np.random.default_rng(1).standard_normal((2, 64 * TICK)).astype(np.float32)
    silence = np.zeros((2, 640 * TICK), np.float32)
    through(chain, 0, noise.copy())
    through(other, 0, noise.copy())
    chain.switch({"ground.fx": True})
    rung, wanted = through(chain, 64, silence.copy()), through(other, 64, silence.copy())
    assert np.abs(rung).max() >= 0.5 * np.abs(wanted).max()
    plain = noise.copy()
    for k in range(11, 70):
        plain = through(chain, 64 * k, noise.copy())
    if not chain:  # rung out: nothing is computed any more, and the signal is left alone
        assert np.array_equal(plain, np.roll(noise, chain.latency(), axis=1))
    chain.switch({"ground.fx": False})
    assert chain


@processing
def test_what_has_died_away_is_nothing(module: Module) -> None:
    """No state goes on shrinking: numbers near a float's least take many times as long."""
    sound = holding(module)
    parts = sound.layers[0].filters or sound.layers[0].inserts
    chain = build_chain(parts, "ground", Movement(sound, SCORE), RATE)
    note = whole(8.0)
    noise = np.random.default_rng(1).standard_normal((2, 256 * TICK)).astype(np.float32)
    seconds = min(150.0, 5.0 + 8.0 * chain.tail())
    for first in range(0, int(seconds * RATE / TICK), 256):
        span = Span(first, 256, RATE)
        signal = noise.copy() if first == 0 else np.zeros_like(noise)
        chain.process(stereo_block(span, Moments(span.times, note, note)), signal[None])
    for name, array in numbers_in(chain.save_state()):
        assert not ((np.abs(array) > 0.0) & (np.abs(array) < 1e-30)).any(), name


def numbers_in(state: Any, name: str = "") -> Iterator[tuple[str, np.ndarray]]:
    """All arrays of numbers in a state, by where they are."""
    if isinstance(state, dict):
        for key, value in state.items():
            yield from numbers_in(value, f"{name}/{key}")
    elif isinstance(state, np.ndarray) and state.dtype.kind in "fc":
        yield name, state


@named
def test_every_number_is_taken_up_while_listening(module: Module) -> None:
    """Without a new engine, without a step larger than the sound's own, and it is heard."""
    sound = list(trials(module.family, module))[2]
    if module.family == "modulator":
        sound = moved_by(module)
    path = {"source": "ground.source", "modulator": "part"}.get(module.family, "ground.part")
    listening = Listening(sound, one_note(57, 60.0), start=1.0)
    for _ in range(8):
        listening.block()
    engine = listening._engine
    for parameter in module.parameters:
        # What is not computed at rest builds a new engine where it begins: see `test_drive`.
        waits = parameter.idle is not None or parameter.rebuilds
        if parameter.moves is Moves.NO or waits:
            continue
        for value in (parameter.low, parameter.high, float(parameter.default)):
            changed = sound.model_copy(deep=True)
            address = find_parameter(changed, f"{path}.{parameter.key}")
            assert address is not None
            if parameter.kind is Kind.TIME:
                address.part.params[parameter.key] = address.part.time(parameter.key).model_copy(
                    update={"value": value}
                )
            else:
                whole_number = parameter.kind is Kind.INTEGER
                address.part.params[parameter.key] = int(value) if whole_number else value
            listening.edit(changed)
            for _ in range(2):
                block = listening.block()
                assert np.isfinite(block).all()
                assert np.abs(block).max() <= 1.0
            assert listening._engine is engine, parameter.key


def moved_by(module: Module) -> Sound:
    """A sound whose level and pitch a modulator moves."""
    modulator = {"id": "part", "name": "Part", "kind": module.kind, "scope": "note"}
    routes = [{"id": "r1", "from": "part", "to": "ground.source.level", "depth": 3},
              {"id": "r2", "from": "part", "to": "ground.source.fine", "depth": 20}]  # fmt: skip
    return read_sound(
        {"name": "M", "layers": [plain_layer()], "modulators": [modulator], "routes": routes}
    )


def test_modules_and_helpers_are_told_apart_by_their_folders() -> None:
    """Each file in a folder of modules is one module, or items of one; helpers lie elsewhere."""
    core = Path(registry.__file__).parents[1]
    folders = {"source": "sources", "filter": "filters", "effect": "effects",
               "modulator": "modulators"}  # fmt: skip
    for family, folder in folders.items():
        kinds = {m.kind for m in catalogue() if m.family == family} - FILTERS_AS_EFFECTS
        files = {path.stem for path in (core / folder).glob("*.py")} - {"__init__"}
        items = {"regions"} if family == "source" else set()
        assert files == kinds | items, folder


FILES = {
    "filter": ("filters", "thin", """
from caligo.catalogue import Module, Moves, Parameter, register
from caligo.processing.filter import Filter

@register(Module("filter", "thin", "Thin", "Takes level away.",
                 (Parameter("mix", "Mix", "How much.", unit="%", high=100.0, default=50.0,
                            moves=Moves.PER_NOTE),)))
class Thin(Filter):
    state_shape = (1,)
    def process_streams(self, block, signal, states):
        signal *= 0.5
    def tail(self):
        return 0.0
"""),
    "effect": ("effects", "veil", """
from caligo.catalogue import Module, Moves, Parameter, register
from caligo.processing.effect import Effect

@register(Module("effect", "veil", "Veil", "Takes level away.",
                 (Parameter("mix", "Mix", "How much.", unit="%", high=100.0, default=50.0,
                            moves=Moves.SHARED),)))
class Veil(Effect):
    def process_stereo(self, block, signal, side):
        signal *= 0.5
    def tail(self):
        return 0.0
"""),
    "modulator": ("modulators", "ramp", """
import numpy as np
from caligo.catalogue import Module, register
from caligo.movement.modulator import Modulator

@register(Module("modulator", "ramp", "Ramp", "Rises.", ()))
class Ramp(Modulator):
    bipolar = False
    def values(self, moments):
        return np.repeat(np.clip(moments.times / 10.0, 0.0, 1.0)[None], len(moments.notes), 0)
"""),
    "source": ("sources", "edge", """
import numpy as np
from caligo.catalogue import Module, register
from caligo.synthesis.common import level_parameter
from caligo.synthesis.source import Source

@register(Module("source", "edge", "Edge", "A pulse every tick.", (level_parameter(),),
                 picture="spectrum"))
class Edge(Source):
    def render(self, block, out):
        out[:, :, ::64] = 0.1
"""),
}  # fmt: skip

TRY = """
import importlib, json, sys
import numpy as np
made_here = json.loads(sys.argv[1])
for package, folder in {(package, folder) for _, _, package, folder in made_here}:
    importlib.import_module(package).__path__.append(folder)
from caligo import catalogue
from caligo.document.held import held_chord
from caligo.engine.render.offline import render_array
from tests.core.module_trials import trials
from caligo.formats.schema import json_schemas
known, schemas = json.dumps(catalogue.as_json()), json.dumps(json_schemas())
for family, kind, _, _ in made_here:
    module = catalogue.module(family, kind)
    assert kind in known and kind in schemas, kind
    made = list(trials(family, module))
    assert made, kind
    for sound in made:
        score = held_chord("A3", 1.0)
        one, two = (
            render_array(sound, score, length=0.3, block=b, ahead=False) for b in (64, 8192)
        )
        assert np.array_equal(one, two) and np.abs(one).max() > 0, kind
"""


def test_a_newcomer_adds_a_module_by_one_file(tmp_path: Path) -> None:
    """A file made on the fly for each family: catalogue, schema, trials and engine find it with no
    other line."""
    made = []
    for family, (package, name, text) in FILES.items():
        folder = tmp_path / package
        folder.mkdir()
        (folder / f"{name}.py").write_text(f'"""Made on the fly by a test."""\n{text}')
        made.append((family, name, f"caligo.{package}", str(folder)))
    done = subprocess.run(
        [sys.executable, "-c", TRY, json.dumps(made)], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
