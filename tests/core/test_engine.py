"""The engine's principles: deterministic, time as a coordinate, one engine, never nonsense."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from caligo.catalogue import catalogue
from caligo.document import Note, Score, read_sound
from caligo.document.held import held_chord
from caligo.engine.precompile.precompile import everything
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from caligo.engine.stems.store import PIECE_TICKS, Piece, StemStore
from caligo.measure.loudness import LoudnessMeter
from demo.build import by_name
from tests.core.builders import (
    RATE,
    decibels,
    layer_of,
    moving_sound,
    one_note,
    plain_layer,
    plain_sound,
    two_notes,
)
from tests.core.documents import any_document
from tests.sweeps import widest


def several_layers() -> Any:
    data = moving_sound().as_document()
    for i in (1, 2):
        copy = {**data["layers"][0], "id": f"other{i}", "name": f"Other {i}"}
        data["layers"].append(copy)
    return read_sound(data)


@pytest.fixture(scope="module")
def reference() -> np.ndarray:
    return render_array(several_layers(), two_notes(), length=3.0)


@pytest.mark.parametrize(
    ("block", "ahead"),
    widest(
        [
            (192, False), (8_192, False), (1_000, True),
            (64, False), (1_000, False), (1_024, False), (64, True),
        ],
        3,
    ),
)  # fmt: skip
def test_block_size_changes_no_sample(block: int, ahead: bool, reference: np.ndarray) -> None:
    again = render_array(several_layers(), two_notes(), length=3.0, block=block, ahead=ahead)
    assert np.array_equal(again, reference)


@pytest.mark.parametrize("threads", [2, 3, 4])
def test_threads_change_no_sample(threads: int, reference: np.ndarray) -> None:
    again = render_array(several_layers(), two_notes(), length=3.0, threads=threads)
    assert np.array_equal(again, reference)


def dry() -> Any:
    data = moving_sound().as_document()
    data["buses"] = []
    data["layers"][0]["sends"] = []
    data["routes"] = [r for r in data["routes"] if "space" not in r["to"]]
    return read_sound(data)


@pytest.mark.parametrize(("sound", "limit"), [(dry(), -90.0), (moving_sound(), -60.0)])
@pytest.mark.parametrize("start", [2.0, 3.3337])
def test_rendering_from_a_moment_equals_the_slice(sound: Any, limit: float, start: float) -> None:
    full = render_array(sound, two_notes())
    part = render_array(sound, two_notes(), start=start, length=1.5)
    first = round(start * RATE)
    difference = full[:, first : first + part.shape[1]] - part
    assert decibels(np.abs(difference).max() / np.abs(full).max()) < limit


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_sample_rates_sound_alike(rate: int) -> None:
    signal = render_array(moving_sound(), two_notes(), length=2.0, rate=rate)
    assert signal.shape[1] == 2 * rate
    assert np.std(signal) == pytest.approx(
        np.std(render_array(moving_sound(), two_notes(), length=2.0)), rel=0.05
    )


def test_unknown_sample_rate_is_refused() -> None:
    with pytest.raises(ValueError, match="48000"):
        Engine(moving_sound(), two_notes(), rate=12_345)


def test_hold_still_renders_a_sound_without_its_routes() -> None:
    still = render_array(moving_sound(), two_notes(), length=2.0, hold_still=True)
    data = moving_sound().as_document() | {"routes": []}
    assert np.array_equal(still, render_array(read_sound(data), two_notes(), length=2.0))


def test_muted_and_unsoloed_layers_leave_nothing() -> None:
    data = several_layers().as_document()
    data["layers"][1]["mute"] = data["layers"][2]["mute"] = True
    alone = moving_sound().as_document()
    rendered = render_array(read_sound(data), two_notes(), length=2.0)
    assert np.array_equal(rendered, render_array(read_sound(alone), two_notes(), length=2.0))
    data["layers"][1]["mute"] = data["layers"][2]["mute"] = False
    data["layers"][0]["solo"] = True
    assert np.array_equal(rendered, render_array(read_sound(data), two_notes(), length=2.0))


def test_level_at_the_bottom_is_silence() -> None:
    layer = plain_layer()
    layer["params"] = {"level": -80}
    assert not render_array(plain_sound(layer), one_note()).any()


def test_pan_moves_the_balance() -> None:
    layer = plain_layer()
    layer["params"] = {"pan": 100}
    signal = render_array(plain_sound(layer), one_note())
    assert not signal[0].any()
    assert signal[1].any()


def test_notes_begin_and_end_when_they_should() -> None:
    score = Score(length=3.0, notes=[Note(id="n", pitch=60, start=1.0, length=0.75)])
    signal = np.abs(render_array(plain_sound(), score)[0])
    heard = np.flatnonzero(signal > 1e-4) / RATE
    assert heard[0] == pytest.approx(1.0, abs=0.003)
    assert heard[-1] == pytest.approx(1.75, abs=0.003)


def test_the_oldest_voice_makes_room_without_a_click() -> None:
    notes = [Note(id=f"n{i}", pitch=48 + i, start=0.5 * i, length=3.0) for i in range(4)]
    layer = plain_layer(table="sine")
    layer["envelope"]["params"]["attack"] = {"value": 0.05, "unit": "s"}
    sound = plain_sound(layer, params={"voices": 2})
    signal = render_array(sound, Score(length=3.0, notes=notes))[0]
    three = render_array(plain_sound(layer, params={"voices": 3}), Score(length=3.0, notes=notes))
    assert not np.allclose(signal, three[0])
    assert np.abs(np.diff(signal)).max() < 0.02


def pitch_at(signal: np.ndarray, second: float) -> float:
    piece = signal[int(second * RATE) : int(second * RATE) + 8_192]
    amplitudes = np.abs(np.fft.rfft(piece * np.hanning(len(piece)), 1 << 17))
    return float(amplitudes.argmax() * RATE / (1 << 17))


@pytest.mark.parametrize("mode", ["mono", "legato"])
def test_glide_passes_between_the_notes(mode: str) -> None:
    layer = plain_layer(table="sine")
    glide = {"mode": mode, "glide": {"value": 1.0, "unit": "s"}}
    notes = [
        Note(id="a", pitch=57, start=0.0, length=2.0),
        Note(id="b", pitch=69, start=1.0, length=3.0),
    ]
    signal = render_array(plain_sound(layer, params=glide), Score(length=4.0, notes=notes))[0]
    assert pitch_at(signal, 0.5) == pytest.approx(220.0, abs=1.0)
    assert 260.0 < pitch_at(signal, 1.4) < 400.0
    assert pitch_at(signal, 2.5) == pytest.approx(440.0, abs=1.0)


def test_a_line_returns_to_the_note_that_is_still_held() -> None:
    notes = [
        Note(id="a", pitch=57, start=0.0, length=4.0),
        Note(id="b", pitch=69, start=1.0, length=1.0),
    ]
    for mode in ("mono", "legato"):
        sound = plain_sound(plain_layer(table="sine"), params={"mode": mode})
        signal = render_array(sound, Score(length=4.0, notes=notes))[0]
        assert pitch_at(signal, 3.0) == pytest.approx(220.0, abs=1.0)


def test_key_and_velocity_ranges_split_and_fade() -> None:
    def loudness(pitch: int, velocity: int = 100) -> float:
        layer = plain_layer(table="sine")
        layer["params"] = {"key_low": 60, "key_fade": 4, "velocity_high": 110}
        note = Note(id="n", pitch=pitch, start=0, length=1.0, velocity=velocity)
        return float(np.std(render_array(plain_sound(layer), Score(length=1.0, notes=[note]))))

    assert loudness(59) == 0.0
    assert 0.0 < loudness(60) < loudness(62) < loudness(64)
    assert loudness(64) == pytest.approx(loudness(90), rel=0.02)
    assert loudness(70, 120) == 0.0


def test_velocity_makes_softer() -> None:
    layer = plain_layer()
    layer["envelope"]["params"]["velocity"] = 24.0
    soft, hard = (
        np.std(render_array(plain_sound(layer), Score(length=1.0, notes=[
            Note(id="n", pitch=57, start=0, length=1.0, velocity=v)])))
        for v in (64, 127)
    )  # fmt: skip
    assert decibels(soft / hard) == pytest.approx(-24.0 * (1 - 64 / 127), abs=0.05)


def test_stored_stems_give_the_same_samples_and_are_used(tmp_path: Path) -> None:
    sound, score = several_layers(), two_notes(15.0)
    store = StemStore(tmp_path)

    def rendered(start: int = 0) -> np.ndarray:
        engine = Engine(sound, score, stems=store)
        if start:
            engine.start(start)
        return np.concatenate(list(engine.stream(engine.length_ticks - start)), axis=1)

    plain = np.concatenate(list(Engine(sound, score).stream(PIECE_TICKS + 2_000)), axis=1)
    first = rendered()
    assert np.array_equal(first[:, : plain.shape[1]], plain)
    stems = len(sound.layers) * (first.shape[1] // 64 // PIECE_TICKS)
    states_of_the_mixer = first.shape[1] // 64 // PIECE_TICKS
    assert len(list(tmp_path.glob("*.stem"))) == stems + states_of_the_mixer
    assert np.array_equal(rendered(), first)
    later = rendered(PIECE_TICKS + 500)[:, -64_000:] - first[:, -64_000:]
    assert decibels(np.abs(later).max() / np.abs(first).max()) < -60.0


def test_stem_keys_depend_on_what_is_heard_and_on_nothing_else() -> None:
    sound, score = several_layers(), two_notes()

    def key(change: Any = None, played: Score = score) -> str:
        data = sound.as_document()
        if change:
            change(data)
        read = read_sound(data)
        return stem_key(read, read.layers[0], played, RATE, False)

    def set_param(*path: Any, value: Any) -> Any:
        def change(data: Any) -> None:
            for step in path[:-1]:
                data = data[step]
            data[path[-1]] = value

        return change

    same = [
        set_param("name", value="Other"),
        set_param("layers", 0, "params", "level", value=-6),
        set_param("layers", 1, "source", "params", "unison", value=9),
        set_param("master", "params", "level", value=-3),
        set_param("buses", 0, "effects", 1, "params", "decay", value=9),
    ]
    different = [
        set_param("seed", value=99),
        set_param("layers", 0, "source", "params", "unison", value=9),
        set_param("layers", 0, "envelope", "params", "sustain", value=-9),
        set_param("modulators", 0, "seed", value=99),
        set_param("routes", 0, "depth", value=0.7),
        set_param("params", "a4", value=432),
    ]
    assert {key(change) for change in same} == {key()}
    assert key() not in {key(change) for change in different}
    assert key(played=two_notes(7.0)) != key()


def test_store_lets_the_least_used_go(tmp_path: Path) -> None:
    store = StemStore(tmp_path, limit_bytes=3_000)
    for piece in range(6):
        store.write("k", piece, Piece(np.zeros((2, 100), np.float32), {}))
    kept = list(tmp_path.glob("*.stem"))
    assert 1 <= len(kept) <= 3
    (tmp_path / "k-000009.stem").write_bytes(b"broken")
    assert store.read("k", 9) is None


def test_a_sound_with_every_module_is_heard() -> None:
    signal = render_array(everything(), one_note(57, 2.0))
    assert np.isfinite(signal).all()
    assert np.std(signal) > 1e-3


@settings(max_examples=20, suppress_health_check=list(HealthCheck))
@given(any_document(), st.lists(st.integers(0, 127), min_size=1, max_size=3))
def test_any_valid_document_stays_finite_and_below_its_ceiling(
    data: dict[str, Any], keys: list[int]
) -> None:
    sound = read_sound(data)
    notes = [
        Note(id=f"n{i}", pitch=key, start=0.1 * i, length=0.7, velocity=max(1, key))
        for i, key in enumerate(keys)
    ]
    signal = render_array(sound, Score(length=1.0, notes=notes))
    assert np.isfinite(signal).all()
    assert np.abs(signal).max() <= 10 ** (sound.master.number("ceiling") / 20) + 1e-6


def test_an_engine_need_not_stand_at_the_start_before_it_goes_elsewhere() -> None:
    one, two = (Engine(moving_sound(), two_notes(), begins=begins) for begins in (True, False))
    for engine in (one, two):
        engine.start(400)
    assert np.array_equal(one.render(64), two.render(64))
    fresh = Engine(moving_sound(), two_notes(), begins=False)
    fresh.restore_state(one.save_state())
    assert (fresh.tick, fresh.whole) == (one.tick, one.whole)
    assert np.array_equal(one.render(64), fresh.render(64))


@settings(max_examples=12, suppress_health_check=list(HealthCheck))
@given(any_document())
def test_nothing_writes_to_the_trajectories_of_parameters_at_rest(data: dict[str, Any]) -> None:
    """They are kept from block to block, so what one module wrote all would read."""
    engine = Engine(read_sound(data), one_note(50, 1.0))
    for _ in range(6):
        engine.render(8)
    kept = [
        (path, trajectory.base, kept)
        for path, trajectory in engine.movement._trajectories.items()
        for kept in trajectory._resting.values()
    ]
    assert len(kept) > 8
    for path, base, values in kept:
        assert (values == base).all(), path


def test_switching_the_kind_of_source_keeps_the_loudness() -> None:
    """At default settings, with a recording where one is needed: within 3 LU of each other."""
    found = {}
    for kind in (m.kind for m in catalogue() if m.family == "source"):
        wire = by_name()["bowed_wire"]
        items = None
        params = {}
        if kind == "sampler":
            items = [{"id": "zone1", "kind": "zone", "params": {"recording": wire}}]
        elif kind in ("grains", "spectral"):
            params = {"recording": wire}
        sound = plain_sound(layer_of(kind, items, **params), master={"params": {"level": -12}})
        meter = LoudnessMeter(RATE)
        meter.add(render_array(sound, held_chord("C3 G3 D4 A4", 12.0)))
        found[kind] = meter.integrated()
    assert len(found) == 7
    assert max(found.values()) - min(found.values()) < 3.0, found


def test_notes_are_panned_each_for_itself() -> None:
    """By the key: the low one is heard on the left, the high one on the right, one is not moved."""
    layer = plain_layer(table="sine") | {"params": {"note_pan": 0.0}}
    made = plain_sound(
        layer,
        modulators=[{"id": "k", "name": "K", "kind": "key", "scope": "note"}],
        routes=[{"id": "r", "from": "k", "to": "ground.note_pan", "depth": 100}],
    )
    leans = []
    for key in (24, 60, 96):
        left, right = (float(side.std()) for side in render_array(made, one_note(key, 1.0)))
        leans.append((right - left) / (right + left))
    assert leans[0] < leans[1] - 0.2 < leans[2] - 0.4
    aside = plain_layer(table="sine") | {"params": {"note_pan": -100.0}}
    heard = render_array(plain_sound(aside), one_note(60, 1.0))
    assert np.abs(heard[1]).max() == 0.0
    assert np.abs(heard[0]).max() > 0.01
