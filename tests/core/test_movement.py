"""Chance, LFO, random, envelopes, routes: functions of time, checked against other sources."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
import scipy.signal
import scipy.stats
from hypothesis import given
from hypothesis import strategies as st

from caligo.document import Note, Score, read_sound
from caligo.document.tempo import TempoMap
from caligo.engine.layers.voicing import Voicing
from caligo.engine.views.trajectories import trajectories
from caligo.modulators.lfo import SHAPES
from caligo.movement.chance import combine, derive, mix, signed, text_seed, unit
from caligo.movement.curvature import curved
from caligo.movement.envelope import envelope_values
from caligo.movement.modulator import Modulator
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Notes, whole
from caligo.movement.trajectory import Bundle
from caligo.movement.voices import plan_voices
from tests.core.builders import moving_sound, one_note, plain_layer, plain_sound

TIMES = np.linspace(0.0, 60.0, 6_001)


def make(kind: str, scope: str = "sound", seed: int = 3,
         score: Score | None = None, pace: float = 100.0, **params: Any) -> Modulator:  # fmt: skip
    modulator = {"id": "m", "name": "M", "kind": kind, "scope": scope, "seed": seed,
                 "params": params}  # fmt: skip
    sound = plain_sound(modulators=[modulator], params={"pace": pace}, seed=7)
    return Movement(sound, score or Score(length=60.0)).modulators["m"]


def of(modulator: Modulator, times: np.ndarray, rows: Notes) -> np.ndarray:
    return modulator.values(Moments(times, rows, rows))


def notes(*starts: float, length: float = 20.0, velocity: float = 0.5) -> Notes:
    count = len(starts)
    return Notes(
        np.array(starts), np.full(count, length), np.full(count, length), np.full(count, 60.0),
        np.full(count, velocity), np.arange(count, dtype=np.uint64) + np.uint64(5),
    )  # fmt: skip


def test_hash_is_splitmix64() -> None:
    """First outputs of SplitMix64 from state 0, as published with the generator; from memory."""
    state, found = 0, []
    for _ in range(3):
        found.append(int(mix.called(np.uint64(state))))
        state = (state + 0x9E3779B97F4A7C15) % 2**64
    assert found == [0xE220A8397B1DCDAF, 0x6E789E6AA1B965F4, 0x06C45D188009454F]


def test_text_seed_is_fnv1a() -> None:
    """FNV-1a of "a" and of the empty text (Fowler, Noll and Vo); from memory."""
    assert text_seed("a") == 0xAF63DC4C8601EC8C
    assert text_seed("") == 0xCBF29CE484222325


def test_chance_is_uniform_and_unrelated() -> None:
    drawn = np.array([unit(np.uint64(9), i) for i in range(20_000)])
    assert scipy.stats.kstest(drawn, "uniform").pvalue > 0.01
    assert abs(np.corrcoef(drawn[:-1], drawn[1:])[0, 1]) < 0.03
    other = np.array([unit(np.uint64(10), i) for i in range(20_000)])
    assert abs(np.corrcoef(drawn, other)[0, 1]) < 0.03
    assert signed(np.uint64(1), -4) != signed(np.uint64(1), 4)
    assert int(combine(np.uint64(2), 3)) != int(combine(np.uint64(3), 2))
    assert derive(2**64 - 1, 5) < 2**63


@pytest.mark.parametrize(
    ("shape", "reference"),
    [
        ("sine", lambda x: np.sin(2 * np.pi * x)),
        ("triangle", lambda x: scipy.signal.sawtooth(2 * np.pi * (x + 0.25), 0.5)),
        ("rise", lambda x: scipy.signal.sawtooth(2 * np.pi * x)),
        ("square", lambda x: scipy.signal.square(2 * np.pi * x)),
    ],
)
def test_lfo_shapes_are_scipys(shape: str, reference: Any) -> None:
    """Away from the softened jumps, the shapes of `scipy.signal`."""
    lfo = make("lfo", shape=shape, period={"value": 7.0})
    ours = of(lfo, TIMES, whole(60.0))[0]
    x = TIMES / 7.0
    jump = np.minimum((x % 0.5), 0.5 - (x % 0.5)) < 0.05
    close = ~jump if shape in ("square", "rise") else np.ones_like(jump)
    assert np.abs(ours - reference(x))[close].max() < 0.09


@given(
    st.sampled_from([c.value for c in SHAPES]), st.floats(0, 100), st.floats(-100, 100),
    st.floats(0, 100), st.floats(0, 100), st.floats(0, 100), st.floats(0.025, 3600),
)  # fmt: skip
def test_lfo_stays_in_range(shape: str, blend: float, skew: float, phase: float, depth: float,
                            pace: float, period: float) -> None:  # fmt: skip
    lfo = make("lfo", shape=shape, blend=blend, skew=skew, phase=phase, depth_change=depth,
               period_change=pace, period={"value": period})  # fmt: skip
    values = of(lfo, TIMES, notes(0.0, 3.3))
    assert np.isfinite(values).all()
    assert np.abs(values).max() <= 1.0


def test_free_lfo_ignores_notes_and_a_notes_own_begins_with_it() -> None:
    lfo = make("lfo", scope="note", period={"value": 8.0})
    rows = of(lfo, TIMES, notes(0.0, 5.0))
    assert rows[1][600] == pytest.approx(rows[0][100], abs=1e-9)


def test_lfo_in_beats_follows_the_tempo() -> None:
    """Common practice: a quarter note at 120 BPM is 2 Hz."""
    lfo = make("lfo", period={"value": 1.0, "unit": "beats"})
    values = of(lfo, TIMES, whole(60.0))[0]
    assert np.allclose(values, np.sin(2 * np.pi * 2.0 * TIMES), atol=1e-9)


def test_uneven_depth_and_pace_are_audible() -> None:
    even = of(make("lfo", period={"value": 4.0}), TIMES, whole(60.0))[0]
    depth = of(make("lfo", period={"value": 4.0}, depth_change=80), TIMES, whole(60.0))[0]
    pace = of(make("lfo", period={"value": 4.0}, period_change=80), TIMES, whole(60.0))[0]
    peaks = depth[scipy.signal.find_peaks(depth, height=0.02)[0]]
    assert peaks.max() - peaks.min() > 0.3
    ups = np.diff(TIMES[np.flatnonzero(np.diff(np.sign(pace)) > 0)])
    assert ups.max() / ups.min() > 1.3
    assert np.corrcoef(even, pace)[0, 1] < 0.9


def test_pace_scales_every_period() -> None:
    for kind in ("lfo", "random"):
        slow = of(make(kind, period={"value": 8.0}), TIMES, whole(60.0))[0]
        quick = of(make(kind, period={"value": 8.0}, pace=200.0), TIMES / 2, whole(60.0))[0]
        assert np.allclose(slow, quick)


def test_random_reaches_far_and_its_seeds_differ() -> None:
    """Randomness that hardly does anything is a complaint of the trade: it must range widely."""
    long = np.linspace(0, 3600, 36_001)
    for steps in (0.0, 50.0, 100.0):
        for preview in (0.0, 100.0):
            random = make("random", period={"value": 2.0}, steps=steps, roughness=preview)
            values = of(random, long, whole(3600.0))[0]
            assert values.max() > 0.9
            assert values.min() < -0.9
            assert abs(values.mean()) < 0.08
            assert np.std(values) > 0.35
    one = of(make("random", seed=1), long, whole(3600.0))[0]
    two = of(make("random", seed=2), long, whole(3600.0))[0]
    assert abs(np.corrcoef(one, two)[0, 1]) < 0.2


def test_random_per_note_differs_and_never_jumps_when_smooth() -> None:
    random = make("random", scope="note", period={"value": 5.0}, roughness=0)
    rows = of(random, TIMES, notes(0.0, 0.0))
    assert abs(np.corrcoef(rows[0], rows[1])[0, 1]) < 0.7
    assert np.abs(np.diff(rows)).max() < 2.0 * 1.5 * 0.01 / 5.0 * 1.01


def test_steps_stand_and_move_quickly() -> None:
    random = make("random", period={"value": 5.0}, steps=100, roughness=0)
    values = of(random, TIMES, whole(60.0))[0]
    still = np.abs(np.diff(values)) < 1e-12
    assert still.mean() > 0.95


def test_roughness_adds_quicker_movement() -> None:
    def path(preview: float) -> float:
        random = make("random", period={"value": 10.0}, roughness=preview)
        return float(np.abs(np.diff(of(random, TIMES, whole(60.0))[0])).sum())

    assert path(100) > 3.0 * path(0)


STAGES = np.array([[1.0], [2.0], [0.5], [3.0], [4.0]])


def envelope(times: Any, length: float = 20.0, bends: Any = (0.0, 0.0, 0.0)) -> Any:
    out = np.empty((1, len(times)))
    envelope_values(np.array(times), np.zeros(1), np.array([length]), STAGES, np.array([0.5]),
                    np.array(bends)[:, None], False, out)  # fmt: skip
    return out[0]


def test_envelope_passes_its_corners() -> None:
    times = [0.0, 1.0, 2.0, 3.0, 3.5, 5.0, 6.5, 19.9, 22.0, 24.0, 30.0]
    expected = [0.0, 0.0, 0.5, 1.0, 1.0, 0.75, 0.5, 0.5, 0.25, 0.0, 0.0]
    assert np.allclose(envelope(times), expected, atol=1e-9)


def test_release_falls_from_wherever_the_note_ended() -> None:
    assert envelope([1.999, 2.0, 4.0, 6.0], length=2.0) == pytest.approx(
        [0.4995, 0.5, 0.25, 0.0], abs=1e-3
    )


@given(st.floats(-6, 6), st.floats(0, 1), st.floats(0, 1))
def test_bends_keep_the_ends_and_the_order(bend: float, a: float, b: float) -> None:
    assert curved(0.0, bend) == 0.0
    assert curved(1.0, bend) == pytest.approx(1.0)
    low, high = sorted((a, b))
    assert curved(low, bend) <= curved(high, bend) + 1e-12


def test_key_velocity_and_wheel() -> None:
    velocity = of(make("velocity"), TIMES, notes(0.0, velocity=0.25))
    assert np.all(velocity == 0.25)
    key = of(make("key", centre=48, span=24), TIMES, notes(0.0))
    assert np.all(key == 0.5)
    lane = {"id": "cc1", "controller": 1, "points": [
        {"time": 10.0, "value": 0.2}, {"time": 20.0, "value": 0.8}]}  # fmt: skip
    score = Score.model_validate({"length": 60.0, "lanes": [lane]})
    wheel = of(make("wheel", score=score), TIMES, whole(60.0))[0]
    assert wheel[1_500] == pytest.approx(0.5)
    rest = of(make("wheel", rest=30), TIMES, whole(60.0))[0]
    assert rest[0] == pytest.approx(0.3)


def values_along(path: str, depth: float, **route: Any) -> Any:
    layer = plain_layer()
    layer["filters"] = [{"id": "filter1", "kind": "lowpass", "params": {"cutoff": 500}}]
    sound = plain_sound(
        layer,
        modulators=[
            {"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 4}}},
            {"id": "v", "name": "V", "kind": "wheel", "params": {"rest": 50}},
        ],
        routes=[{"id": "r", "from": "m", "to": path, "depth": depth, **route}],
    )
    return trajectories(sound, one_note(length=8.0), 800).parameters.get(path)


def test_depth_is_in_the_parameters_own_unit() -> None:
    cutoff = values_along("ground.filter1.cutoff", 1.5)
    assert cutoff.high.max() == pytest.approx(500 * 2**1.5, rel=1e-3)
    assert cutoff.low.min() == pytest.approx(500 / 2**1.5, rel=1e-3)
    level = values_along("ground.level", 6.0)
    assert level.high.max() == pytest.approx(6.0, abs=0.01)


def test_one_way_routes_only_add_and_scaling_halves() -> None:
    one_way = values_along("ground.pan", 40.0, polarity="unipolar")
    assert one_way.low.min() == pytest.approx(0.0, abs=0.05)
    assert one_way.high.max() == pytest.approx(40.0, abs=0.05)
    scaled = values_along("ground.pan", 40.0, scaled_by="v")
    assert scaled.high.max() == pytest.approx(20.0, abs=0.05)


def test_routes_are_kept_in_range_and_can_be_muted() -> None:
    assert values_along("ground.source.spread", 90.0).high.max() == 100.0
    assert values_along("ground.pan", 40.0, muted=True) is None


def test_curve_bends_without_changing_the_ends() -> None:
    curved = values_along("ground.pan", 40.0, curve=80)
    assert curved.high.max() == pytest.approx(40.0, abs=0.05)
    assert np.mean(np.abs(curved.middle)) > np.mean(np.abs(values_along("ground.pan", 40.0).middle))


def test_hold_still_leaves_resting_values() -> None:
    movement = Movement(moving_sound(), one_note(), hold_still=True)
    assert movement.moved() == {}
    assert not movement.trajectory("ground.filter1.cutoff").moved


def test_trajectories_do_not_depend_on_where_they_begin() -> None:
    """Time is a coordinate: any stretch equals that stretch of the whole."""
    sound, score = moving_sound(), one_note(length=30.0)
    movement = Movement(sound, score)
    voicing = Voicing(sound, score.notes, movement.setting.tempo)
    times = np.arange(0, 22_500) * (64 / 48_000)
    for trajectory in movement.moved().values():
        full = trajectory.values(voicing.moments(times, voicing.all))
        part = trajectory.values(voicing.moments(times[11_111:11_611], voicing.all))
        assert np.array_equal(full[:, 11_111:11_611], part)


def test_shared_targets_follow_the_newest_note() -> None:
    sound = plain_sound(
        modulators=[{"id": "v", "name": "V", "kind": "velocity"}],
        routes=[{"id": "r", "from": "v", "to": "ground.pan", "depth": 100,
                 "polarity": "unipolar"}],
    )  # fmt: skip
    score = Score(length=4.0, notes=[
        Note(id="n1", pitch=60, start=0.0, length=4.0, velocity=127),
        Note(id="n2", pitch=64, start=2.0, length=2.0, velocity=1),
    ])  # fmt: skip
    pan = trajectories(sound, score, 8).parameters["ground.pan"].middle
    assert pan[0] == pytest.approx(100.0)
    assert pan[-1] == pytest.approx(100 / 127)


@pytest.mark.parametrize(
    ("rule", "expected"),
    [("newest", [127, 127, 1, 31, 31, 31]), ("loudest", [127, 127, 127, 31, 31, 31]),
     ("mean", [127, 127, 64, 16, 31, 31])],
)  # fmt: skip
def test_a_route_says_whose_values_hold_for_what_notes_share(
    rule: str, expected: list[float]
) -> None:
    """Held: one note; two; after the first has ended, two others; one; and then none."""
    sound = plain_sound(
        modulators=[{"id": "v", "name": "V", "kind": "velocity"}],
        routes=[{"id": "r", "from": "v", "to": "ground.pan", "depth": 100, "rule": rule,
                 "polarity": "unipolar"}],
    )  # fmt: skip
    notes = [(0.0, 3.0, 127), (2.0, 3.0, 1), (3.5, 2.5, 31)]
    score = Score(length=8.0, notes=[
        Note(id=f"n{i}", pitch=60 + i, start=start, length=length, velocity=velocity)
        for i, (start, length, velocity) in enumerate(notes)])  # fmt: skip
    movement = Movement(sound, score)
    voicing = Voicing(sound, score.notes, movement.setting.tempo)
    times = np.arange(0, 6_000) * (64 / 48_000)
    pan = movement.trajectory("ground.pan")
    found = pan.values(voicing.moments(times, voicing.all.row(0)))[0]
    at = [0.5, 1.9, 2.5, 4.0, 5.5, 7.0]
    assert np.interp(at, times, found) == pytest.approx([100 * v / 127 for v in expected])
    # A block gives the same bits, wherever it is cut.
    part = pan.values(voicing.moments(times[1_111:4_611], voicing.all.row(0)))[0]
    assert np.array_equal(part, found[1_111:4_611])


def test_a_sound_without_modulators_has_no_trajectories() -> None:
    sound = read_sound({"name": "X", "layers": [plain_layer()]})
    found = trajectories(sound, one_note())
    assert found.modulators == {}
    assert found.parameters == {}


def stolen(keys: list[int], limit: int) -> list[int]:
    """The keys of voices that make room, for notes that begin one after the other."""
    held = [Note(id=f"n{i}", pitch=key, start=float(i), length=60.0) for i, key in enumerate(keys)]
    sound = plain_sound(params={"voices": limit})
    voices = plan_voices(sound, held, TempoMap(Score(length=60.0, notes=held)))
    return [v.key for v in voices if math.isfinite(v.cut)]


@given(
    st.lists(
        st.tuples(st.integers(40, 52), st.floats(0, 20), st.floats(0.1, 9)), min_size=1, max_size=40
    ),
    st.integers(1, 4),
)
def test_who_makes_room_is_found_among_all_that_sound(
    played: list[tuple[int, float, float]], limit: int
) -> None:
    """Against looking through every voice for every note."""
    notes = [
        Note(id=f"n{i}", pitch=pitch, start=start, length=length, velocity=90)
        for i, (pitch, start, length) in enumerate(played)
    ]
    sound = plain_sound(params={"voices": limit})
    voices = plan_voices(sound, notes, TempoMap(Score()))
    cuts = {v.name: v.cut for v in voices}
    expected: dict[str, float] = {}
    ordered = sorted(notes, key=lambda n: (n.start, n.pitch, n.id))
    for at, note in enumerate(ordered):
        sounding = [
            n for n in ordered[:at]
            if n.start + n.length > note.start and n.id not in expected
        ]  # fmt: skip
        if len(sounding) >= limit:
            lowest = min(sounding, key=lambda n: n.pitch)
            same = [n for n in sounding if n.pitch == note.pitch]
            spare = [n for n in sounding if n is not lowest]
            expected[(same or spare or sounding)[0].id] = note.start
    assert {name: cut for name, cut in cuts.items() if cut < math.inf} == expected


def test_the_oldest_makes_room_but_never_the_bass() -> None:
    """Common practice: the lowest note of a chord is missed most."""
    assert stolen([36, 52, 55, 60, 64], 4) == [52]
    assert stolen([60, 36, 64, 67], 3) == [60]


def test_a_key_that_is_struck_again_makes_room_for_itself() -> None:
    assert stolen([36, 52, 55, 55], 3) == [55]


def test_a_single_voice_makes_room_whatever_it_plays() -> None:
    assert stolen([36, 52], 1) == [36]


@given(st.lists(st.booleans(), min_size=1, max_size=5))
def test_a_bundle_is_its_trajectories_one_by_one(moved: list[bool]) -> None:
    """Whichever of several parameters move."""
    keys = ("position", "fine", "level", "detune", "spread")[: len(moved)]
    routes = [
        {"id": f"r{key}", "from": "m", "to": f"ground.source.{key}", "depth": 3.0 + i}
        for i, (key, moves) in enumerate(zip(keys, moved, strict=True))
        if moves
    ]
    sound = plain_sound(
        plain_layer(table="rime", position=31, level=-5),
        modulators=[{"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 2}}}],
        routes=routes,
    )
    score = one_note(60, 4.0)
    movement = Movement(sound, score)
    moments = Voicing(sound, score.notes, TempoMap(score)).moments(TIMES[:50], notes(0.0))
    trajectories = [movement.trajectory(f"ground.source.{key}") for key in keys]
    found = Bundle(trajectories).values(moments)
    for row, trajectory in zip(found, trajectories, strict=True):
        np.testing.assert_array_equal(row, trajectory.values(moments)[0])
        assert (np.ptp(row) > 0.0) == trajectory.moved
    # The bundle is the caller's own; writing to it moves nothing at rest.
    found[:] = -1.0
    for trajectory in trajectories:
        assert trajectory.moved or (trajectory.values(moments) == trajectory.base).all()
