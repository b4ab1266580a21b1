"""Lanes, movement held still or frozen, and what can be read off trajectories."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.document import DocumentError, Score, Sound, read_sound
from caligo.document.meaning import warnings
from caligo.engine.layers.voicing import Voicing
from caligo.engine.listening.live import Listening
from caligo.engine.render.engine import RATES, Engine
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from caligo.engine.views.trajectories import trajectories
from caligo.movement.hold_still import Frozen, HoldStill
from caligo.movement.movement import Movement
from tests.core.builders import RATE, one_note, plain_layer
from tests.sweeps import spread

SCORE = one_note(57, 40.0)


def document(*lanes: dict[str, Any], **more: Any) -> dict[str, Any]:
    layer = plain_layer(table="saw")
    layer["filters"] = [{"id": "f", "kind": "lowpass", "params": {"cutoff": 800}}]
    layer["sends"] = [{"id": "s", "bus": "nave"}]
    return {
        "name": "Drawn", "layers": [layer], "lanes": list(lanes),
        "buses": [{"id": "nave", "name": "Nave", "effects": [{"id": "rev", "kind": "reverb"}]}],
        "modulators": [{"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 7}}}],
        "routes": [{"id": "r1", "from": "m", "to": "ground.f.cutoff", "depth": 0.5}],
    } | more  # fmt: skip


def lane(to: str, *points: tuple[float, ...], id: str = "l1", **more: Any) -> dict[str, Any]:
    keys = ("time", "value", "bend")
    return {"id": id, "to": to, "points": [dict(zip(keys, p, strict=False)) for p in points]} | more


def lane_of(made: Sound, path: str, times: np.ndarray, still: HoldStill = False) -> np.ndarray:
    movement = Movement(made, SCORE, hold_still=still)
    voicing = Voicing(made, SCORE.notes, movement.setting.tempo)
    return movement.trajectory(path).values(voicing.moments(times, voicing.all.row(0)))[0]


def test_a_lane_is_where_a_parameter_rests_and_modulators_add_to_it() -> None:
    times = np.linspace(0.0, 40.0, 401)
    drawn = read_sound(document(lane("ground.f.cutoff", (0, 200), (30, 3200), (40, 3200))))
    plain = read_sound(document())
    expected = np.interp(times, [0, 30], np.log2([200, 3200]))
    swing = np.log2(lane_of(plain, "ground.f.cutoff", times)) - np.log2(800)
    assert np.allclose(np.log2(lane_of(drawn, "ground.f.cutoff", times)), expected + swing)


def test_between_points_the_way_is_even_in_the_own_scale_or_bent() -> None:
    times = np.linspace(0.0, 10.0, 101)
    made = read_sound(document(lane("ground.level", (2, -30, 50), (8, -6)), routes=[]))
    x = np.clip((times - 2) / 6, 0, 1)
    # The bend's formula with an exponent of 6 at 100 %.
    expected = -30 + 24 * (1 - np.exp(-3 * x)) / (1 - np.exp(-3))
    assert np.allclose(lane_of(made, "ground.level", times), expected)


def test_a_muted_lane_and_one_without_points_do_nothing() -> None:
    for one in (lane("ground.level", (0, -60), muted=True), lane("ground.level")):
        made = read_sound(document(one))
        assert np.allclose(
            lane_of(made, "ground.level", np.array([1.0])), made.layers[0].params["level"]
        )


def test_lanes_are_checked() -> None:
    for one, said in (
        (lane("ground.f.cutof", (0, 200)), "there is no such parameter"),
        (lane("ground.f.cutoff", (0, 1)), "this value is not possible"),
        (lane("ground.source.table", (0, 1)), "cannot be moved"),
    ):
        with pytest.raises(DocumentError, match=said):
            read_sound(document(one))
    twice = [lane("ground.level", (0, -6), id=i) for i in ("a", "b")]
    with pytest.raises(DocumentError, match="has a lane already"):
        read_sound(document(*twice))


def test_lanes_move_macros_and_the_pace() -> None:
    macro = {"id": "k", "name": "K", "kind": "macro"}
    lfo = {"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 7}}}
    made = read_sound(document(
        lane("k.value", (0, 0), (40, 100)), lane("sound.pace", (0, 50), (40, 200), id="l2"),
        modulators=[lfo, macro],
        routes=[{"id": "r1", "from": "k", "to": "ground.f.cutoff", "depth": 2,
                 "polarity": "unipolar"}],
    ))  # fmt: skip
    times = np.array([0.0, 20.0, 40.0])
    assert np.allclose(np.log2(lane_of(made, "ground.f.cutoff", times) / 800), [0, 1, 2])
    # The pace goes from half to double in octaves: its integral is that of 2 ** x.
    movement = Movement(made, SCORE)
    voicing = Voicing(made, SCORE.notes, movement.setting.tempo)
    got = movement.cycles("m.period").at(voicing.moments(times, voicing.all.row(0)))[0]
    exact = 10.0 / np.log(2) * np.array([0.0, 0.5, 1.5]) * 2 / 7
    assert np.allclose(got, exact, atol=2e-4)


def test_a_stem_depends_on_its_own_lanes_alone() -> None:
    plain = read_sound(document())
    key = stem_key(plain, plain.layers[0], SCORE, RATE, False)
    for path, value, same in (
        ("ground.f.cutoff", 500, False), ("m.period", 3, False), ("sound.pace", 80, False),
        ("ground.level", -20, True), ("nave.rev.decay", 3, True),
    ):  # fmt: skip
        made = read_sound(document(lane(path, (0, value))))
        assert (stem_key(made, made.layers[0], SCORE, RATE, False) == key) is same, path


def test_what_a_lane_moves_is_heard_and_taken_up_while_listening() -> None:
    drawn = lane("ground.level", (0, 0), (4, 0), (4, -80), (8, -80))
    alone = {"layers": [plain_layer(table="saw")], "routes": [], "buses": []}
    made = read_sound(document(drawn) | alone)
    out = render_array(made, SCORE, length=6.0)
    assert np.abs(out[:, RATE : 3 * RATE]).max() > 0.1
    assert np.abs(out[:, 5 * RATE :]).max() < 1e-4
    listening = Listening(made, SCORE, start=1.0)
    before = np.concatenate([listening.block() for _ in range(10)], axis=1)
    quiet = made.model_copy(deep=True)
    for point in quiet.lanes[0].points:
        point.value = -80.0
    listening.edit(quiet)
    after = np.concatenate([listening.block() for _ in range(10)], axis=1)
    assert np.abs(before).max() > 0.1
    assert np.abs(after[:, 4096:]).max() < 1e-3


def test_held_still_everything_rests_and_frozen_everything_stays() -> None:
    made = read_sound(document(lane("ground.level", (0, -30), (40, 0))))
    times = np.linspace(0, 40, 41)
    assert np.ptp(lane_of(made, "ground.level", times, True)) == 0.0
    for path in ("ground.level", "ground.f.cutoff"):
        frozen = lane_of(made, path, times, Frozen(13.0))
        assert np.allclose(frozen, lane_of(made, path, np.array([13.0]))[0])
    assert Frozen(0.0) is not False
    still = np.log2(lane_of(made, "ground.f.cutoff", times, Frozen(0.0)))
    assert np.allclose(still, np.log2(lane_of(made, "ground.f.cutoff", np.zeros(1))))


def test_freezing_while_listening_stops_the_sound_from_changing() -> None:
    made = read_sound(document(buses=[], layers=[plain_layer(table="saw") | {
        "filters": [{"id": "f", "kind": "lowpass", "params": {"cutoff": 800}}]}]))  # fmt: skip
    made.modulators[0].params["period"] = (
        made.modulators[0].params["period"].model_copy(update={"value": 1.3})
    )
    made.routes[0].depth = 3.0
    listening = Listening(made, SCORE, start=2.0)
    moving = np.concatenate([listening.block() for _ in range(60)], axis=1)
    listening.hold_still(Frozen(2.4))
    [listening.block() for _ in range(4)]
    frozen = np.concatenate([listening.block() for _ in range(60)], axis=1)

    def unsteadiness(signal: np.ndarray) -> float:
        powers = np.mean(signal[0, : 11 * 8192].reshape(11, -1) ** 2, axis=1)
        return float(np.ptp(10 * np.log10(powers)))

    assert unsteadiness(moving) > 3.0
    assert unsteadiness(frozen) < 0.2


def test_readings_say_how_far_how_fast_and_what_is_in_vain() -> None:
    tiny = {"id": "r2", "from": "m", "to": "ground.level", "depth": 0.1}
    stuck = {"id": "r3", "from": "m", "to": "ground.f.resonance", "depth": 60}
    made = read_sound(document())
    made = read_sound(document(routes=[*made.as_document()["routes"], tiny, stuck]))
    found = trajectories(made, SCORE, 480).readings
    cutoff = found["ground.f.cutoff"]
    assert cutoff.least == pytest.approx(800 / 2**0.5, rel=0.01)
    assert cutoff.greatest == pytest.approx(800 * 2**0.5, rel=0.01)
    assert cutoff.mean == pytest.approx(800, rel=0.03)
    # The quickest change of a sine: depth times 2 pi over the period.
    assert cutoff.fastest == pytest.approx(0.5 * 2 * np.pi / 7, rel=0.02)
    assert cutoff.words == []
    assert any("less than can be heard" in word for word in found["ground.level"].words)
    assert any("lowest for" in word for word in found["ground.f.resonance"].words)


def test_two_levels_that_one_source_moves_against_each_other_are_named() -> None:
    against = [{"id": "r1", "from": "m", "to": "ground.level", "depth": 3},
               {"id": "r2", "from": "m", "to": "ground.source.level", "depth": -3}]  # fmt: skip
    found = trajectories(read_sound(document(routes=against)), SCORE, 100).readings
    assert all(any("against" in w for w in found[p].words) for p in found)


def test_engines_start_anywhere_in_a_lane() -> None:
    made = read_sound(document(lane("ground.f.cutoff", (0, 200), (30, 3200)), buses=[], layers=[
        document()["layers"][0] | {"sends": []}]))  # fmt: skip
    one, other = Engine(made, SCORE), Engine(made, SCORE)
    one.run(9000)
    other.start(9000)
    assert np.abs(one.render(100) - other.render(100)).max() < 1e-5


def test_a_macro_moved_while_listening_is_heard_at_once_and_never_clicks() -> None:
    """From nothing to all: within a block of 43 ms, and no step that stands out."""
    macro = {"id": "k", "name": "K", "kind": "macro", "params": {"value": 0}}
    made = read_sound(document(
        buses=[], layers=[plain_layer(table="sine")], modulators=[macro],
        routes=[{"id": "r1", "from": "k", "to": "ground.level", "depth": 20,
                 "polarity": "unipolar"}],
    ))  # fmt: skip
    made.layers[0].params["level"] = -30.0
    listening = Listening(made, SCORE, start=1.0)
    quiet = np.concatenate([listening.block() for _ in range(6)], axis=1)
    moved = made.model_copy(deep=True)
    moved.modulators[0].params["value"] = 100.0
    engine = listening._engine
    listening.edit(moved)
    assert listening._engine is engine
    loud = np.concatenate([listening.block() for _ in range(6)], axis=1)
    assert np.abs(loud[:, 2048:]).max() > 8.0 * np.abs(quiet).max()
    together = np.concatenate([quiet, loud], axis=1)[0].astype(np.float64)
    # A click would be a step larger than those of the loud tone itself.
    steps = np.abs(np.diff(together))
    assert steps.max() < 1.1 * steps[-4096:].max()


def test_a_lane_that_acts_on_nothing_is_told_and_one_that_switches_on_counts() -> None:
    made = document(lane("ground.f.cutoff", (0, 500)))
    made["layers"][0]["filters"][0]["bypass"] = True
    output = [str(problem) for problem in warnings(read_sound(made))]
    assert any("A lane moves Ground's" in line and "bypassed" in line for line in output)
    # What a lane moves away from nothing is on, so that a route to what it switches has an effect.
    switched = document(lane("ground.source.band", (0, 40)))
    switched["layers"][0]["source"] = {"kind": "harmonic", "params": {"band": 0}}
    centre = {"id": "r2", "from": "m", "to": "ground.source.band_centre", "depth": 0.5}
    switched["routes"] = [*switched["routes"], centre]
    assert not any("switched off" in str(p) for p in warnings(read_sound(switched)))
    switched["lanes"] = []
    assert any("switched off" in str(p) for p in warnings(read_sound(switched)))


def test_two_lanes_of_one_id_are_refused() -> None:
    with pytest.raises(DocumentError, match="ids are unique"):
        read_sound(document(lane("ground.level", (0, -6)), lane("ground.pan", (0, 5))))


@pytest.mark.parametrize(("rate", "key"), spread(RATES, [24, 61, 108]))
def test_lanes_steps_and_curves_are_the_same_in_blocks_of_64_at_every_rate(
    rate: int, key: int
) -> None:
    """C1, an odd semitone and C8, with jumps in the lanes, extreme depths and a quick pattern."""
    movers: list[dict[str, Any]] = [
        {"id": "m", "name": "M", "kind": "steps", "params": {
            "period": {"value": 0.025}, "values": [-100, 100, 40], "glide": 0}},
        {"id": "c", "name": "C", "kind": "curve", "scope": "note", "params": {
            "runs": "round", "period": {"value": 0.05}}},
        {"id": "k", "name": "K", "kind": "macro"},
    ]  # fmt: skip
    routes = [{"id": "r1", "from": "m", "to": "ground.f.cutoff", "depth": 10},
              {"id": "r2", "from": "c", "to": "ground.source.fine", "depth": 100},
              {"id": "r3", "from": "k", "to": "ground.level", "depth": -60,
               "polarity": "unipolar"}]  # fmt: skip
    made = read_sound(document(
        lane("ground.f.cutoff", (0, 20, 100), (0.3, 20_000), (0.3, 20)),
        lane("sound.pace", (0.1, 1000), (0.5, 10), id="l2"),
        lane("k.value", (0.2, 0), (0.2, 100), (0.21, 0), id="l3"),
        modulators=movers, routes=routes,
    ))  # fmt: skip
    score = one_note(key, 0.7, 1.0)
    whole = render_array(made, score, rate=rate)
    small = render_array(made, score, rate=rate, block=64, ahead=False)
    assert np.array_equal(whole, small)
    assert np.isfinite(whole).all()
    assert np.abs(whole).max() <= 10 ** (-1.0 / 20) + 1e-6
    assert np.abs(whole).max() > 1e-3


def test_a_lane_on_beats_goes_along_with_the_tempo() -> None:
    """A quarter at 120 BPM is half a second, at 60 BPM a whole one; common practice."""
    beats = lane("ground.level", (4, -30), (8, -6), unit="beats")
    made = read_sound(document(beats, routes=[]))
    tempo = [{"time": 0.0, "bpm": 120.0}, {"time": 3.0, "bpm": 60.0}]
    score = Score.model_validate(SCORE.model_dump() | {"tempo": tempo})
    movement = Movement(made, score)
    voicing = Voicing(made, score.notes, movement.setting.tempo)
    # The fourth quarter lies at 2 s; the eighth two quarters after the change.
    times = np.array([0.0, 2.0, 3.5, 5.0, 9.0])
    found = movement.trajectory("ground.level").values(voicing.moments(times, voicing.all.row(0)))
    assert found[0] == pytest.approx([-30.0, -30.0, -18.0, -6.0, -6.0])
    keys = [stem_key(made, made.layers[0], at, RATE, False) for at in (SCORE, score)]
    assert keys[0] == keys[1], "a lane of the layer's own level is added by the mixer"
    cutoff = lane("ground.f.cutoff", (4, 300), (8, 900), unit="beats")
    made = read_sound(document(cutoff, routes=[]))
    keys = [stem_key(made, made.layers[0], at, RATE, False) for at in (SCORE, score)]
    assert keys[0] != keys[1]


def test_a_lane_in_seconds_ends_with_the_longest_score() -> None:
    late = (20_000.0, -6.0)
    read_sound(document(lane("ground.level", late, unit="beats")))
    with pytest.raises(DocumentError, match="20000"):
        read_sound(document(lane("ground.level", late)))
