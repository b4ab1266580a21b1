"""Modulators whose own numbers and times are moved: by other modulators, to any depth."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import scipy.integrate
from hypothesis import given, settings
from hypothesis import strategies as st

from caligo.document import DocumentError, Score, Sound, read_sound
from caligo.engine.layers.voicing import Voicing
from caligo.engine.listening.live import Listening
from caligo.engine.render.changes import changes_between
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from caligo.engine.views.trajectories import trajectories
from caligo.movement.movement import Movement
from tests.core.builders import RATE, one_note, plain_layer

LENGTH = 1800.0


def modulator(id: str, kind: str = "lfo", scope: str = "sound", **params: Any) -> dict[str, Any]:
    return {"id": id, "name": id.upper(), "kind": kind, "scope": scope, "params": params}


def seconds(value: float) -> dict[str, Any]:
    return {"value": value, "unit": "s"}


def route(number: int, source: str, to: str, depth: float, **more: Any) -> dict[str, Any]:
    return {"id": f"r{number}", "from": source, "to": to, "depth": depth, **more}


def sound(modulators: list[Any], routes: list[Any], **more: Any) -> Sound:
    layer = plain_layer(table="glass_plate", position=40)
    layer["filters"] = [{"id": "f", "kind": "lowpass", "params": {"cutoff": 800}}]
    return read_sound(
        {"name": "Moved", "layers": [layer], "modulators": modulators, "routes": routes, **more}
    )


def values(made: Sound, name: str, times: np.ndarray, score: Score | None = None) -> np.ndarray:
    played = score or one_note(57, LENGTH)
    movement = Movement(made, played)
    voicing = Voicing(made, played.notes, movement.setting.tempo)
    return voicing.moments(times, voicing.all).modulation(movement.modulators[name], True)[0]


def test_a_moved_period_is_the_integral_of_its_rate() -> None:
    """Against `scipy.integrate`: a cycle of 8 s whose period swings two octaves in 37 s."""
    made = sound(
        [modulator("a", period=seconds(37)), modulator("b", period=seconds(8))],
        [route(1, "a", "b.period", 2.0), route(2, "b", "ground.f.cutoff", 1)],
    )
    times = np.array([0.0, 3.3, 41.7, 120.0, 345.6])
    found = values(made, "b", times)

    def rate(t: float) -> float:
        return 1.0 / (8.0 * 2.0 ** (2.0 * np.sin(2 * np.pi * t / 37.0)))

    for time, value in zip(times, found, strict=True):
        cycles = scipy.integrate.quad(rate, 0.0, time, limit=2000, epsabs=1e-10)[0]
        assert value == pytest.approx(np.sin(2 * np.pi * cycles), abs=2e-4)


def chain_of_four() -> Sound:
    """What moves what moves what moves a cutoff; a random source, an own one for each note."""
    return sound(
        [
            modulator("a", "random", period=seconds(11), roughness=40),
            modulator("b", period=seconds(23), skew=20),
            modulator("c", "random", "note", period=seconds(3)),
            modulator("v", "velocity"),
        ],
        [
            route(1, "a", "b.period", 1.5),
            route(2, "b", "c.period", 2.0),
            route(3, "b", "c.roughness", 30),
            route(4, "v", "c.steps", 40),
            route(5, "c", "ground.f.cutoff", 2.0),
            route(6, "a", "sound.pace", 0.5),
        ],
    )


def test_minute_29_is_exact_however_it_is_reached() -> None:
    """From zero in blocks, at once, and in the picture of the whole: bit for bit."""
    made, score = chain_of_four(), one_note(57, LENGTH)
    times = 1740.0 + np.arange(4000) * (64 / RATE)

    def filtered(movement: Movement, at: np.ndarray) -> np.ndarray:
        voicing = Voicing(made, score.notes, movement.setting.tempo)
        moments = voicing.moments(at, voicing.all)
        return movement.trajectory("ground.f.cutoff").values(moments)[0]

    at_once = filtered(Movement(made, score), times)
    walking = Movement(made, score)
    for start in np.arange(0.0, 1740.0, 13.7):
        filtered(walking, start + np.arange(33) * (64 / RATE))
    parts = [filtered(walking, times[i : i + 33]) for i in range(0, len(times), 33)]
    assert np.array_equal(np.concatenate(parts), at_once)
    assert at_once.std() > 1.0


@settings(max_examples=15, deadline=None)
@given(st.floats(0.05, 60.0), st.floats(-3.0, 3.0), st.sampled_from(["s", "beats", "hold"]))
def test_moved_periods_of_every_unit_are_steady_functions(
    period: float, depth: float, unit: str
) -> None:
    made = sound(
        [modulator("a", period=seconds(5)),
         modulator("b", period={"value": min(period, 8.0) if unit == "hold" else period,
                                "unit": unit})],
        [route(1, "a", "b.period", depth), route(2, "b", "ground.f.cutoff", 1)],
    )  # fmt: skip
    times = np.linspace(0.0, 90.0, 901)
    whole = values(made, "b", times, one_note(57, 100.0))
    part = values(made, "b", times[700:], one_note(57, 100.0))
    assert np.isfinite(whole).all()
    assert np.array_equal(whole[700:], part)


def test_renders_from_the_middle_and_in_any_blocks_agree() -> None:
    made, score = chain_of_four(), one_note(57, 30.0)
    whole = render_array(made, score, length=12.0)
    small = render_array(made, score, length=3.0, block=64, ahead=False)
    assert np.array_equal(small, whole[:, : 3 * RATE])
    part = render_array(made, score, start=10.0, length=2.0)
    assert np.abs(part - whole[:, 10 * RATE :]).max() < 1e-4


def test_trajectories_show_moved_parameters_of_modulators() -> None:
    made = chain_of_four()
    found = trajectories(made, one_note(57, 60.0), 100).parameters
    assert {"b.period", "c.period", "c.roughness", "c.steps", "sound.pace"} <= set(found)
    assert found["b.period"].high.max() / found["b.period"].low.min() > 2.0


@pytest.mark.parametrize(
    ("routes", "said"),
    [
        ([("a", "a.period")], "A moves A"),
        ([("a", "b.period"), ("b", "a.skew")], "A moves B moves A|B moves A moves B"),
        ([("a", "b.depth_change"), ("b", "c.steps"), ("c", "a.phase")], "moves .* moves .* moves"),
    ],
)
def test_a_circle_of_modulators_is_refused_by_name(routes: Any, said: str) -> None:
    with pytest.raises(DocumentError, match=said):
        sound(
            [modulator("a"), modulator("b"), modulator("c", "random")],
            [route(i, source, to, 1.0) for i, (source, to) in enumerate(routes)],
        )


def test_velocity_can_set_the_attack() -> None:
    """A common wish: soft notes come slowly. The time is read as the note starts."""

    def rise(velocity: int) -> float:
        layer = plain_layer(table="sine")
        layer["envelope"]["params"] |= {"attack": seconds(1.0), "attack_bend": 0}
        made = read_sound({
            "name": "V", "layers": [layer], "modulators": [modulator("v", "velocity")],
            "routes": [route(1, "v", "ground.envelope.attack", -2.0, polarity="unipolar")],
        })  # fmt: skip
        score = one_note(69, 4.0)
        score.notes[0].velocity = velocity
        level = np.abs(render_array(made, score)[0]).reshape(-1, 960).max(axis=1)
        return float(np.argmax(level > 0.95 * level.max()) * 960 / RATE)

    assert rise(127) == pytest.approx(0.25, abs=0.06)
    assert rise(1) == pytest.approx(1.0, abs=0.1)


def test_transposition_moves_in_whole_semitones() -> None:
    """Equal temperament (ISO 16): an octave up doubles the frequency, found by zero crossings."""
    layer = plain_layer(table="sine")
    made = read_sound({
        "name": "T", "layers": [layer],
        "modulators": [modulator("m", period=seconds(4), shape="square")],
        "routes": [route(1, "m", "ground.octave", 1.0, polarity="unipolar")],
    })  # fmt: skip
    signal = render_array(made, one_note(57, 4.0))[0]

    def hertz(start: float) -> float:
        part = signal[int(start * RATE) : int((start + 1.0) * RATE)]
        return float(np.count_nonzero(np.diff(np.signbit(part))) / 2)

    assert hertz(0.5) == pytest.approx(440.0, abs=1.0)
    assert hertz(2.5) == pytest.approx(220.0, abs=1.0)


def test_nothing_jumps_when_a_period_is_edited_while_listening() -> None:
    made = sound([modulator("a", period=seconds(9))], [route(1, "a", "ground.f.cutoff", 3.0)])
    listening = Listening(made, one_note(57, 120.0), start=40.0)
    listening.block()
    engine = listening._engine
    before_it = 9.0
    for period in (2.0, 31.0, 0.7):
        changed = made.model_copy(deep=True)
        changed.modulators[0].params["period"] = (
            changed.modulators[0].time("period").model_copy(update={"value": period})
        )
        at = engine._inside * 64 / RATE

        def cutoff(times: np.ndarray) -> np.ndarray:
            moments = engine.voicing.moments(times, engine.voicing.all)
            return engine.movement.trajectory("ground.f.cutoff").values(moments)[0]

        times = at + np.linspace(-0.02, 0.5, 521)
        before = cutoff(times[times < at])
        listening.edit(changed)
        assert listening._engine is engine
        after = cutoff(times)
        assert np.allclose(after[times < at], before, rtol=1e-9)
        octaves = np.abs(np.diff(np.log2(after)))
        # Three octaves either way in the shorter period: no step is larger than it moves.
        fastest = 3.0 * 2 * np.pi / min(period, before_it) * 0.001
        assert octaves.max() < 1.1 * fastest
        before_it = period
        listening.block()


def key_of(made: Sound, score: Score) -> str:
    return stem_key(made, made.layers[0], score, RATE, False)


def test_a_stem_depends_on_what_moves_what_moves_it_and_on_nothing_else() -> None:
    score = Score.model_validate({
        "length": 60,
        "notes": [{"id": "n1", "pitch": 57, "start": 0, "length": 50, "velocity": 90},
                  {"id": "n2", "pitch": 100, "start": 5, "length": 5, "velocity": 90}],
        "lanes": [{"id": "w", "controller": 1, "points": [{"time": 0, "value": 0.1}]},
                  {"id": "x", "controller": 11, "points": [{"time": 0, "value": 0.1}]}],
        "markers": [{"id": "m1", "time": 3, "name": "Here"}],
    })  # fmt: skip

    def made(**changes: Any) -> Sound:
        layer = plain_layer(table="saw") | {"params": {"key_high": 80}}
        layer["filters"] = [{"id": "f", "kind": "lowpass"}]
        far = modulator("far", "random") | {"seed": changes.get("seed", 1)}
        near = modulator("near", period={"value": 4, "unit": changes.get("unit", "s")})
        movers = [far, near, modulator("w", "wheel"), modulator("idle", "random") | {
            "seed": changes.get("idle", 1)}]  # fmt: skip
        routes = [route(1, "far", "near.period", 1.0), route(2, "near", "ground.f.cutoff", 1.0),
                  route(3, "idle", "master.level", changes.get("mix", 2.0))]  # fmt: skip
        if changes.get("wheel"):
            routes.append(route(4, "w", "near.skew", 10))
        return read_sound({"name": "K", "layers": [layer], "modulators": movers, "routes": routes})

    def changed(**fields: Any) -> Score:
        return score.model_copy(update=fields)

    plain = key_of(made(), score)
    assert key_of(made(seed=2), score) != plain, "it moves what moves the cutoff"
    assert key_of(made(idle=2), score) == plain
    assert key_of(made(mix=5.0), score) == plain
    tempo = changed(tempo=[score.tempo[0].model_copy(update={"bpm": 90})])
    assert key_of(made(), tempo) == plain, "nothing lasts beats"
    assert key_of(made(unit="beats"), tempo) != key_of(made(unit="beats"), score)
    assert key_of(made(), changed(notes=score.notes[:1])) == plain, "that note is not played"
    assert key_of(made(), changed(notes=score.notes[1:])) != plain
    assert key_of(made(), changed(lanes=[])) == plain
    wheel = key_of(made(wheel=True), score)
    assert key_of(made(wheel=True), changed(lanes=score.lanes[:1])) == wheel, "CC 11 is not read"
    assert key_of(made(wheel=True), changed(lanes=score.lanes[1:])) != wheel
    assert key_of(made(), changed(markers=[], length=90)) == plain


def test_an_edit_of_a_far_modulator_is_heard_in_the_stem() -> None:
    """And of one that only moves the master it is not rendered again."""
    made, score = chain_of_four(), one_note(57, 20.0)
    engine = Engine(made, score)
    engine.listen(0.0)
    engine.render(32)
    changed = made.model_copy(deep=True)
    changed.routes[0].depth = 0.2
    changes = changes_between(made, changed)
    assert changes
    engine.change(changed, changes)
    heard = np.concatenate([engine.render(32) for _ in range(200)], axis=1)
    other = Engine(made, score)
    other.render(32)
    assert np.abs(heard - other.render(32 * 200)).max() > 1e-3


def test_a_time_edited_to_nothing_stays_nothing_however_it_is_moved() -> None:
    """No number of octaves leads away from 0 s, while listening as in a render from the start."""
    attack = "ground.envelope.attack"
    layer = plain_layer()
    layer["envelope"] = {"params": {"attack": seconds(2.0)}}
    made = read_sound(
        {
            "name": "Moved",
            "layers": [layer],
            "modulators": [modulator("a", period=seconds(3))],
            "routes": [route(1, "a", attack, 1.5)],
        }
    )
    score = one_note(57, 20.0)
    movement = Movement(made, score)
    voicing = Voicing(made, score.notes, movement.setting.tempo)
    movement.change({attack: 0.0}, {}, 5.0)
    times = np.array([5.03, 5.7, 6.7])
    found = movement.trajectory(attack).values(voicing.moments(times, voicing.all))[0]
    assert found == pytest.approx([0.0, 0.0, 0.0])
