"""Steps, curves, controls, followers, chance and own values, against formulas and `mido`."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import mido
import numpy as np
import pytest
import scipy.stats

from caligo.document import Note, Score, Sound, read_sound
from caligo.document.score import BEND, PRESSURE, Lane, LanePoint
from caligo.engine.layers.voicing import Voicing
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from caligo.engine.views.trajectories import trajectories
from caligo.formats.midi import read_midi, write_midi
from caligo.material.store import current
from caligo.movement.movement import Movement
from caligo.movement.notes import whole
from caligo.movement.voices import Voice, as_notes
from caligo.signal.ticks import TICK
from tests.core.builders import RATE, one_note, plain_layer
from tests.core.test_movement import make, of

SCORE = one_note(57, 60.0)


def sound(kind: str, scope: str = "sound", seed: int = 3, **params: Any) -> Sound:
    layer = plain_layer(table="glass_plate", position=40)
    layer["filters"] = [{"id": "f", "kind": "lowpass", "params": {"cutoff": 800}}]
    return read_sound({
        "name": "Moved", "layers": [layer], "seed": 7,
        "modulators": [{"id": "m", "name": "M", "kind": kind, "scope": scope, "seed": seed,
                        "params": params}],
        "routes": [{"id": "r1", "from": "m", "to": "ground.f.cutoff", "depth": 1},
                   {"id": "r2", "from": "m", "to": "ground.source.position", "depth": 20}],
    })  # fmt: skip


def values(made: Sound, times: np.ndarray, score: Score = SCORE) -> np.ndarray:
    movement = Movement(made, score)
    voicing = Voicing(made, score.notes, movement.setting.tempo)
    return voicing.moments(times, voicing.all).modulation(movement.modulators["m"], True)[0]


def of_parameter(made: Sound, path: str, times: np.ndarray, score: Score = SCORE) -> np.ndarray:
    movement = Movement(made, score)
    voicing = Voicing(made, score.notes, movement.setting.tempo)
    return movement.trajectory(path).values(voicing.moments(times, voicing.all))[0]


def beats(value: float) -> dict[str, Any]:
    return {"value": value, "unit": "beats"}


def test_steps_are_played_in_turn_and_come_round() -> None:
    """33 sixteenths at 120 BPM last 4.125 s (common practice: a quarter at 120 BPM is half a
    second); in the middle of each step stands its value."""
    pattern = [float(v) for v in np.linspace(-100, 100, 33).round(1)]
    made = sound("steps", period=beats(0.25), values=pattern, glide=0)
    middles = (np.arange(66) + 0.5) * 0.125
    assert np.allclose(values(made, middles), np.tile(pattern, 2) / 100.0)


def test_the_way_between_steps_is_a_line_or_bent() -> None:
    made = sound("steps", period={"value": 1}, values=[-100, 100], glide=100)
    x = np.linspace(0.0, 0.999, 50)
    assert np.allclose(values(made, x), -1.0 + 2.0 * x)
    bent = values(sound("steps", period={"value": 1}, values=[-100, 100], glide=100,
                        bends=[100, 0]), x)  # fmt: skip
    # The bend's formula: (1 - exp(-6 x)) / (1 - exp(-6)).
    assert np.allclose(bent, -1.0 + 2.0 * (1 - np.exp(-6 * x)) / (1 - np.exp(-6)))


def test_steps_that_do_not_play_or_are_tied_keep_what_was_before() -> None:
    tied = sound("steps", period={"value": 1}, values=[10, 20, 30], ties=[0, 100, 0], glide=0)
    assert np.allclose(values(tied, np.array([0.5, 1.5, 2.5, 3.5, 4.5])),
                       [0.1, 0.1, 0.3, 0.1, 0.1])  # fmt: skip
    rare = sound("steps", period={"value": 0.05}, values=[10, -90], chances=[100, 30], glide=0)
    plays = values(rare, (np.arange(1200) * 2 + 1.5) * 0.05, one_note(57, 130.0)) < 0
    # Of 1200 chances of 30 %, a share that a binomial distribution allows.
    assert scipy.stats.binomtest(int(plays.sum()), 1200, 0.3).pvalue > 0.001
    again = sound("steps", period={"value": 0.05}, values=[10, -90], chances=[100, 30], glide=0,
                  seed=4)  # fmt: skip
    other = values(again, (np.arange(1200) * 2 + 1.5) * 0.05, one_note(57, 130.0)) < 0
    assert abs(np.corrcoef(plays, other)[0, 1]) < 0.1


@pytest.mark.parametrize(
    ("grid", "degrees", "allowed"),
    [("even", [], set(range(12))), ("degrees", [0, 3, 7], {0, 3, 7})],
)
def test_a_grid_keeps_steps_to_semitones_or_a_scale(
    grid: str, degrees: list[float], allowed: set[int]
) -> None:
    pattern = np.random.default_rng(5).uniform(-100, 100, 128).round(2).tolist()
    made = sound("steps", period={"value": 0.1}, values=pattern, glide=0, grid=grid, points=12,
                 degrees=degrees)  # fmt: skip
    semitones = 12.0 * values(made, (np.arange(128) + 0.5) * 0.1)
    assert np.allclose(semitones, semitones.round())
    assert {int(s) % 12 for s in semitones.round()} <= allowed
    # None is further away than half of the widest gap.
    gap = {"even": 0.5, "degrees": 2.5}[grid]
    assert np.abs(semitones - 0.12 * np.array(pattern)).max() <= gap + 0.011


def test_steps_begin_anew_with_a_note_or_go_on() -> None:
    score = Score(length=20.0, notes=[Note(id="n1", pitch=60, start=2.5, length=10.0)])
    own = sound("steps", "note", period={"value": 1}, values=[10, 20, 30, 40], glide=0)
    free = sound("steps", "sound", period={"value": 1}, values=[10, 20, 30, 40], glide=0)
    times = np.array([3.0, 4.0, 5.0])
    assert np.allclose(values(own, times, score), [0.1, 0.2, 0.3])
    assert np.allclose(values(free, times, score), [0.4, 0.1, 0.2])


def test_a_curve_goes_through_its_points_once_or_round() -> None:
    points = {"at": [0, 25, 75, 100], "values": [0, 100, -100, 0], "bends": [0, 0, 0, 0]}
    once = sound("curve", period={"value": 8}, **points)
    times = np.array([0.0, 1.0, 2.0, 4.0, 6.0, 8.0, 30.0])
    assert np.allclose(values(once, times), [0, 0.5, 1, 0, -1, 0, 0])
    round_again = sound("curve", period={"value": 8}, runs="round", loop_from=25, loop_to=75,
                        **points)  # fmt: skip
    assert np.allclose(values(round_again, np.array([1.0, 3.0, 7.0, 11.0])), [0.5, 0.5, 0.5, 0.5])


def test_a_curve_of_a_share_of_the_note_ends_as_the_note_ends() -> None:
    score = Score(length=40.0, notes=[Note(id="n1", pitch=60, start=4.0, length=30.0)])
    made = sound("curve", "note", period={"value": 1, "unit": "hold"}, at=[0, 100],
                 values=[-100, 100], bends=[0])  # fmt: skip
    assert np.allclose(values(made, np.array([4.0, 19.0, 34.0]), score), [-1, 0, 1])


def test_an_envelope_that_repeats_rises_again_from_where_it_stays() -> None:
    stages = {key: {"value": value} for key, value in
              {"delay": 1, "attack": 2, "hold": 1, "decay": 2, "release": 1}.items()}  # fmt: skip
    flat = {"attack_bend": 0, "decay_bend": 0, "release_bend": 0, "sustain": 40}
    made = sound("envelope", "note", **stages, **flat, repeats=True)
    times = np.array([0.5, 2.0, 3.5, 5.0, 6.0, 7.0, 8.0, 8.5, 10.0])
    expected = [0.0, 0.5, 1.0, 0.7, 0.4, 0.7, 1.0, 1.0, 0.7]
    assert np.allclose(values(made, times), expected)


def test_random_per_note_is_uniform_over_seeds_and_stays() -> None:
    drawn = []
    for seed in range(400):
        row = values(sound("chance", "note", seed=seed), np.array([0.0, 7.0, 59.0]))
        assert np.ptp(row) == 0.0
        drawn.append(row[0])
    assert scipy.stats.kstest(drawn, scipy.stats.uniform(-1, 2).cdf).pvalue > 0.001


def test_own_values_for_each_target_do_not_go_together() -> None:
    times = np.arange(0.0, 1800.0, 0.5)
    long = one_note(57, 1800.0)
    together = sound("random", period={"value": 2})
    apart = sound("random", period={"value": 2}, apart=True)
    for made, least, most in ((together, 0.9, 1.0), (apart, -0.15, 0.15)):
        one = np.log2(of_parameter(made, "ground.f.cutoff", times, long))
        other = of_parameter(made, "ground.source.position", times, long)
        assert least <= np.corrcoef(one, other)[0, 1] <= most


def test_key_points_are_lines_between_them() -> None:
    made = sound("key", "note", response="points", keys=[30, 60, 90], values=[-100, 20, 80])
    for key, expected in ((24, -1.0), (45, -0.4), (60, 0.2), (75, 0.5), (100, 0.8)):
        assert values(made, np.array([1.0]), one_note(key, 5.0))[0] == pytest.approx(expected)


def controlled(number: int, *points: tuple[float, float]) -> Score:
    lane = Lane(id="cc", controller=number, points=[LanePoint(time=t, value=v) for t, v in points])
    return SCORE.model_copy(update={"lanes": [lane]})


def test_controls_follow_the_lanes_of_the_score() -> None:
    times = np.array([0.0, 5.0, 10.0, 20.0])
    ramp = ((0.0, 0.0), (10.0, 1.0))
    for kind, number, params in (
        ("wheel", 1, {}), ("pressure", PRESSURE, {}), ("controller", 74, {"number": 74}),
        ("macro", 21, {"controller": 21}),
    ):  # fmt: skip
        made = sound(kind, **params)
        assert np.allclose(values(made, times, controlled(number, *ramp)), [0, 0.5, 1, 1])
    bend = controlled(BEND, (0.0, 0.5), (10.0, 1.0))
    assert np.allclose(values(sound("pitch_bend"), times, bend), [0.0, 0.5, 1.0, 1.0])
    assert np.allclose(values(sound("macro", value=30), times), 0.3)
    assert np.allclose(values(sound("pitch_bend"), times), 0.0)


def test_pressure_and_bend_are_written_and_read_as_mido_reads_them() -> None:
    score = controlled(PRESSURE, (1.0, 0.25), (2.0, 1.0))
    score.lanes.append(Lane(id="b", controller=BEND, points=[LanePoint(time=3.0, value=0.75)]))
    data = write_midi(score)
    file = mido.MidiFile(file=io.BytesIO(data))
    now, found = 0.0, []
    for message in file:
        now += message.time
        if message.type in ("aftertouch", "pitchwheel"):
            found.append((round(now, 2), message.dict()["value" if message.type == "aftertouch"
                                                        else "pitch"]))  # fmt: skip
    assert found == [(1.0, 32), (2.0, 127), (3.0, 4095)]
    back = {lane.controller: lane for lane in read_midi(data).lanes}
    assert back[PRESSURE].points[0].value == pytest.approx(0.25, abs=0.005)
    assert back[BEND].points[0].value == pytest.approx(0.75, abs=0.001)


def test_a_follower_of_a_recording_goes_with_its_level() -> None:
    """Against the recording's own level by `numpy`, in windows of a quarter of a second."""
    card = next(c for c in current().cards() if c.kind == "recording" and c.name == "Snow steps")
    made = sound("follower", recording=card.key, rise=0.0, fall=0.0, quiet=-40, loud=0)
    recording = current().recording(card.key)
    assert recording is not None
    size = recording.rate // 4
    count = min(40, recording.frames // size)
    power = [float(np.mean(recording.samples[:, i * size : (i + 1) * size].astype(float) ** 2))
             for i in range(count)]  # fmt: skip
    level = 10 * np.log10(np.maximum(power, 1e-9))
    cells = (np.arange(count)[:, None] + np.linspace(0.02, 0.98, 25)[None, :]) * 0.25
    followed = values(made, cells.ravel()).reshape(cells.shape).mean(axis=1)
    assert scipy.stats.spearmanr(level, followed).statistic > 0.8
    assert followed.min() >= 0.0
    assert values(made, cells.ravel()).max() > 0.8
    length = recording.frames / recording.rate
    again = values(made, np.array([1.0, 1.0 + np.floor(length * 100) / 100]))
    assert again[0] == pytest.approx(again[1], abs=0.02)


def test_a_follower_of_a_layer_goes_with_what_the_layer_renders() -> None:
    """Its level in dB against the rendered layer's, by `numpy`."""
    layer = plain_layer(table="sine")
    layer["envelope"] = {"params": {
        "attack": {"value": 4}, "attack_bend": 0, "decay": {"value": 3}, "sustain": -18,
        "release": {"value": 5}, "velocity": 0}}  # fmt: skip
    made = read_sound({"name": "F", "layers": [layer], "modulators": [
        {"id": "m", "name": "M", "kind": "follower",
         "params": {"follows": "layer", "layer": "ground", "quiet": -60, "loud": 0}}]})  # fmt: skip
    score = one_note(69, 12.0, 20.0)
    rendered = render_array(made, score)
    times = np.array([1.0, 3.0, 4.5, 6.0, 10.0, 13.0, 15.0])
    found = 60.0 * values(made, times, score) - 60.0
    heard = [20 * np.log10(np.sqrt(np.mean(rendered[:, round(t * RATE) - 480 :
             round(t * RATE) + 480] ** 2))) for t in times]  # fmt: skip
    relative = np.array(heard) - heard[2]
    assert np.allclose(found - found[2], relative, atol=0.3)


@pytest.mark.parametrize("kind", ["steps", "curve", "macro", "chance", "follower", "key"])
def test_minute_29_is_what_a_render_from_zero_gives(kind: str) -> None:
    """Also moved by another modulator, and under a lane."""
    params: dict[str, Any] = {"steps": {"chances": [60, 70, 80]}, "curve": {"runs": "round"}}.get(
        kind, {}
    )
    made = sound(kind, **params).as_document()
    made["modulators"].append({"id": "slow", "name": "Slow", "kind": "lfo",
                               "params": {"period": {"value": 41}}})  # fmt: skip
    movable = {"steps": ("period", 1.0), "curve": ("period", 1.0), "macro": ("value", 40)}
    if kind in movable:
        key, depth = movable[kind]
        made["routes"].append({"id": "r9", "from": "slow", "to": f"m.{key}", "depth": depth})
    made["lanes"] = [{"id": "l1", "to": "ground.f.cutoff", "points": [
        {"time": 0, "value": 300, "bend": 40}, {"time": 1790, "value": 4000}]}]  # fmt: skip
    ready = read_sound(made)
    score = one_note(57, 1800.0)
    tick = round(1741.0 * RATE / TICK)
    first, second = Engine(ready, score), Engine(ready, score)
    first.start(tick)
    second.start(tick - 3000)
    second.run(3000)
    one, other = first.render(32), second.render(32)
    assert np.abs(one).max() > 1e-3
    assert np.abs(one - other).max() < 1e-4 * np.abs(one).max()


def test_what_modulators_draw_on_belongs_to_a_stem() -> None:
    made = sound("follower", recording="a")
    other = sound("follower", recording="b")
    layer = made.layers[0]
    assert stem_key(made, layer, SCORE, RATE, False) != stem_key(other, layer, SCORE, RATE, False)
    named = made.model_copy(deep=True)
    named.modulators[0].name, named.modulators[0].about = "Other", "What it is for"
    named.modulators[0].locked = True
    assert stem_key(made, layer, SCORE, RATE, False) == stem_key(named, layer, SCORE, RATE, False)


def test_a_modulator_may_leave_the_pace_alone() -> None:
    free = sound("lfo", period={"value": 8}, paced=False)
    with_pace = sound("lfo", period={"value": 8})
    times = np.linspace(0, 30, 301)
    plain = values(with_pace, times)
    for made, same in ((free, True), (with_pace, False)):
        made.params["pace"] = 300.0
        assert np.allclose(values(made, times), plain) is same


def test_an_older_sound_means_what_it_meant() -> None:
    old = json.loads((Path(__file__).parent / "old" / "schema2_gelatin_choir.json").read_text())
    made = read_sound(old)
    assert made.schema_version == 13
    assert made.lanes == []
    assert all(m.params.get("paced", True) is True for m in made.modulators)
    assert not any(m.params.get("apart", False) for m in made.modulators)
    found = trajectories(made, SCORE, 60)
    assert all(len(outline.middle) == 60 for outline in found.parameters.values())


def test_rough_randomness_does_not_stand_at_its_ends() -> None:
    """It was cut off at 1 for 3.5 % of the time; the range stays as wide."""
    times = np.linspace(0.0, 3_600.0, 36_001)
    for roughness in (50.0, 100.0):
        random = make("random", period={"value": 2.0}, roughness=roughness)
        values = of(random, times, whole(3_600.0))[0]
        assert np.abs(values).max() < 1.0
        assert (np.diff(values) == 0.0).mean() < 1e-3
        assert values.std() > 0.42


@pytest.mark.parametrize("share", [60.0, 80.0, 100.0])
def test_uneven_pace_never_runs_backwards(share: float) -> None:
    """A sine turns round nowhere but at its ends; it ran backwards for 1.6 % of the time."""
    times = np.linspace(0.0, 2_000.0, 200_001)
    lfo = make("lfo", period={"value": 20.0}, period_change=share)
    wave = of(lfo, times, whole(2_000.0))[0]
    signs = np.sign(np.diff(wave))
    turns = np.flatnonzero(np.diff(signs)) + 1
    assert len(turns) > 150
    assert (np.abs(wave[turns]) > 0.999).all()


def test_notes_may_begin_anywhere_in_a_cycle() -> None:
    """Uniform over the cycle, by its share; free of the notes where the cycle is the sound's."""
    notes = as_notes(
        [Voice(f"n{i}", 60, 0.0, 9.0, 0.8, 7_919 * i + 3, ((0.0, 60),)) for i in range(400)]
    )
    at = np.array([0.0])
    along = make("lfo", scope="note", shape="rise", period={"value": 1_000.0}, scatter=100)
    begins = (of(along, at, notes)[:, 0] * 0.96 + 1.0) / 2.0
    assert scipy.stats.kstest(begins, "uniform").statistic < 0.09
    none = make("lfo", scope="note", shape="rise", period={"value": 1_000.0})
    assert np.ptp(of(none, at, notes)[:, 0]) == 0.0
