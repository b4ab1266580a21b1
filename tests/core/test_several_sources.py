"""Several sources in one layer: they sound as layers of one source each would, at less cost."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from caligo.catalogue.placement import MOST_ENTRIES
from caligo.document import DocumentError, Score, Sound, find_parameter, read_sound
from caligo.document.addresses import parts
from caligo.document.limits import MOST_FILTERS
from caligo.document.upgrading import upgraded_sound
from caligo.engine.listening.live import Listening
from caligo.engine.render.changes import changes_between
from caligo.engine.render.engine import RATES, Engine
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from tests.core.builders import decibels, one_note, plain_layer, plain_sound, spectrum, two_notes

Params = dict[str, Any]
LOW = {"id": "low", "kind": "lowpass", "params": {"cutoff": 700, "resonance": 30}}
HIGH = {"id": "high", "kind": "highpass", "params": {"cutoff": 400}}
RATE = 48_000


def source(id: str = "source2", kind: str = "wavetable", **params: Any) -> Params:
    """A source as a document has it, whose oscillators begin at phase 0."""
    own = {"scatter": 0} if kind == "wavetable" else {}
    return {"id": id, "kind": kind, "params": own | params}


def layered(*sources: Params, filters: tuple[Params, ...] = (), **params: Any) -> Sound:
    """One layer of some sources."""
    first, *more = sources
    made = plain_layer() | {
        "source": first,
        "more_sources": more,
        "filters": list(filters),
        "params": params,
    }
    return plain_sound(made)


def apart(*sources: Params, filters: tuple[Params, ...] = ()) -> Sound:
    """A layer for each source, with filters of its own."""
    layers = [
        plain_layer() | {"id": f"l{i}", "source": one, "filters": list(filters)}
        for i, one in enumerate(sources)
    ]
    return read_sound({"name": "Apart", "layers": layers})


def off(found: np.ndarray, expected: np.ndarray) -> float:
    """How far a signal is from another, in dB under its peak."""
    return float(decibels(np.abs(found - expected).max() / np.abs(expected).max()))


SAW, SQUARE = source("source", table="saw"), source(table="square", fine=7.0, level=-4.0)


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("filters", [(), (LOW, HIGH)])
def test_sources_add_up_as_layers_do(filters: tuple[Params, ...], rate: int) -> None:
    """A filter without drive is linear, so that one for all gives the sum of one for each."""
    score = one_note(key=43, length=0.8, total=1.0)
    found = render_array(layered(SAW, SQUARE, filters=filters), score, rate=rate)
    expected = render_array(apart(SAW, SQUARE, filters=filters), score, rate=rate)
    assert off(found, expected) < -110


def test_a_neutral_place_leaves_every_sample() -> None:
    """Bit by bit what a layer of one source was, whatever its other place would have been."""
    score = two_notes(3.0)
    plain = render_array(layered(SAW, filters=(LOW,)), score)
    silent = source("other", key_low=127, key_high=127)
    assert np.array_equal(render_array(layered(SAW, silent, filters=(LOW,)), score), plain)


def test_an_entry_in_series_skips_the_filters_ahead() -> None:
    score = one_note(length=0.5, total=1.0)
    found = render_array(layered(SAW | {"params": SAW["params"] | {"entry": "2"}},
                                 filters=(LOW, HIGH)), score)  # fmt: skip
    assert off(found, render_array(layered(SAW, filters=(HIGH,)), score)) < -120


def test_an_entry_in_parallel_is_one_filter_alone() -> None:
    """Half of the blend's sum where it lies in the middle: the other filter is given nothing."""
    score = one_note(length=0.5, total=1.0)
    second = SAW | {"params": SAW["params"] | {"entry": "2"}}
    both = layered(second, filters=(LOW, HIGH), arrangement="parallel", blend=100.0)
    assert off(render_array(both, score), render_array(layered(SAW, filters=(HIGH,)), score)) < -110
    first = SAW | {"params": SAW["params"] | {"entry": "1"}}
    none = layered(first, filters=(LOW, HIGH), arrangement="parallel", blend=100.0)
    assert np.abs(render_array(none, score)).max() < 1e-6


def test_an_entry_that_is_not_there_goes_around() -> None:
    score = one_note(length=0.4, total=1.0)
    found = layered(SAW | {"params": SAW["params"] | {"entry": "4"}}, filters=(LOW,))
    assert off(render_array(found, score), render_array(layered(SAW), score)) < -130


@pytest.mark.parametrize("filtered", [0.0, 25.0, 80.0])
def test_the_rest_goes_around_the_filters(filtered: float) -> None:
    score = one_note(length=0.5, total=1.0)
    part = filtered / 100.0
    found = render_array(
        layered(SAW | {"params": SAW["params"] | {"filtered": filtered}}, filters=(LOW,)), score
    )
    dry, wet = (render_array(layered(SAW, filters=f), score) for f in ((), (LOW,)))
    assert off(found, part * wet + (1.0 - part) * dry) < -110


def test_octaves_pans_and_ranges_are_each_sources_own() -> None:
    """C4 is 261.63 Hz (ISO 16); the second source sounds an octave above, on the right, alone."""
    sine = source("source", table="sine", source_pan=-100.0)
    above = source(table="sine", octave=1, source_pan=100.0, key_low=60)
    sound = layered(sine, above)
    for key, heard in ((60, True), (59, False)):
        signal = render_array(sound, one_note(key=key, length=1.0))[:, 4_000:40_000]
        hertz = 440.0 * 2.0 ** ((key - 69) / 12.0)
        left, right = (spectrum(channel) for channel in signal)
        assert abs(np.argmax(left) * RATE / signal.shape[1] - hertz) < 1.5
        if heard:
            assert abs(np.argmax(right) * RATE / signal.shape[1] - 2.0 * hertz) < 1.5
            assert off(right, np.zeros(1) + right.max()) <= 0.0
        else:
            assert np.abs(signal[1]).max() < 1e-6


def test_velocity_ranges_switch_sources() -> None:
    soft = source("source", table="sine", velocity_high=63)
    hard = source(table="sine", octave=2, velocity_low=64)
    for velocity, octave in ((40, 0), (100, 2)):
        note = {"id": "n", "pitch": 57, "start": 0.0, "length": 1.0, "velocity": velocity}
        score = Score.model_validate({"length": 1.0, "notes": [note]})
        signal = render_array(layered(soft, hard), score)[0, 4_000:40_000]
        found = np.argmax(spectrum(signal)) * RATE / len(signal)
        assert found == pytest.approx(220.0 * 2.0**octave, abs=1.5)


def test_an_envelope_of_its_own_fades_a_source_ahead_of_the_filters() -> None:
    """A straight line up over the attack, and down over the release, as bends of 0 say."""
    fades = {
        "own_envelope": "yes",
        "own_delay": {"value": 0.2},
        "own_attack": {"value": 0.4},
        "own_release": {"value": 0.2},
    }
    faded = layered(source("source", table="sine", **fades))
    score = one_note(length=1.0, total=1.5)
    layer = faded.layers[0].model_copy(deep=True)
    layer.envelope.params["release"] = layer.envelope.params["release"].model_copy(  # type: ignore[union-attr]
        update={"value": 0.5}
    )
    held = render_array(faded.model_copy(update={"layers": [layer]}), score)[0]
    steady = render_array(layered(source("source", table="sine")), score)[0]
    level = np.abs(steady[4_000:20_000]).max()

    def at(seconds: float) -> float:
        begin = round(seconds * RATE)
        return float(np.abs(held[begin - 240 : begin + 240]).max() / level)

    assert np.abs(held[: round(0.19 * RATE)]).max() < 1e-6
    for seconds, expected in ((0.3, 0.25), (0.4, 0.5), (0.5, 0.75), (0.8, 1.0)):
        assert at(seconds) == pytest.approx(expected, abs=0.02), seconds
    assert np.abs(held[round(1.21 * RATE) :]).max() < 1e-6


MOVING = [
    source("source", table="glass_plate", unison=3, scatter=100),
    source("wide", kind="harmonic", octave=-1, entry="2"),
    source("air", kind="noise", filtered=30.0, key_low=50),
    source("pluck", table="square", own_envelope="yes", own_attack={"value": 0.05}),
]


def moving() -> Sound:
    """Four sources of which much moves, through two filters with the chance of every voice."""
    routes = [
        {"id": f"r{i}", "from": "drift", "to": f"ground.{address}", "depth": depth}
        for i, (address, depth) in enumerate((
            ("source.position", 30), ("wide.source_pan", 80), ("air.filtered", 40),
            ("pluck.level", 6), ("low.cutoff", 1.5), ("wide.fine", 10),
        ))
    ]  # fmt: skip
    layer = plain_layer() | {
        "source": MOVING[0], "more_sources": MOVING[1:], "filters": [LOW, HIGH],
        "params": {"note_pan": 40, "drift": 8, "ring_by": "sine", "ring_amount": 30},
    }  # fmt: skip
    modulators = [{"id": "drift", "name": "Drift", "kind": "random", "scope": "note",
                   "params": {"period": {"value": 0.4}}}]  # fmt: skip
    return plain_sound(layer, modulators=modulators, routes=routes)


def stream(engine: Engine, ticks: int, block: int) -> np.ndarray:
    return np.concatenate(list(engine.stream(ticks, block, ahead=False)), axis=1)


def test_blocks_threads_and_states_make_no_difference() -> None:
    score = two_notes(4.0)
    whole = stream(Engine(moving(), score), 1_500, 8_192)
    assert np.abs(whole).max() > 0.01
    for block in (64, 320):
        assert np.array_equal(stream(Engine(moving(), score), 400, block), whole[:, : 400 * 64])
    assert np.array_equal(stream(Engine(moving(), score, threads=3), 1_500, 4_096), whole)
    engine = Engine(moving(), score)
    engine.render(700)
    state = engine.save_state()
    other = Engine(moving(), score)
    other.restore_state(state)
    assert np.array_equal(other.render(800), whole[:, 700 * 64 :])


def test_a_start_in_the_middle_is_the_slice() -> None:
    score = two_notes(6.0)
    engine = Engine(moving(), score)
    engine.start(2_400)
    assert off(engine.render(300), render_array(moving(), score)[:, 2_400 * 64 : 2_700 * 64]) < -55


def test_chance_of_a_source_is_its_own() -> None:
    """Two noises of one layer are two noises: their powers add up, by 3 dB."""
    one = render_array(layered(source("source", kind="noise")), one_note(length=2.0))
    both = layered(source("source", kind="noise"), source(kind="noise"))
    found = render_array(both, one_note(length=2.0))
    assert decibels(found.std() / one.std()) == pytest.approx(10.0 * math.log10(2.0), abs=0.2)


def test_numbers_are_taken_up_while_listening_and_more_sources_in_a_new_engine() -> None:
    score = one_note(length=8.0)
    sound = layered(SAW, SQUARE, filters=(LOW,))
    listening = Listening(sound, score)
    listening.block()
    quieter = sound.model_copy(deep=True)
    quieter.layers[0].more_sources[0].params["level"] = -60.0
    quieter.layers[0].more_sources[0].params["filtered"] = 40.0
    assert changes_between(sound, quieter)
    fewer = sound.model_copy(deep=True)
    fewer.layers[0].more_sources.clear()
    assert changes_between(sound, fewer) is None
    listening.edit(fewer)
    for _ in range(40):
        found = listening.block()
    listening.end()
    assert np.isfinite(found).all()
    assert np.abs(found).max() > 1e-3


def test_stems_depend_on_every_source() -> None:
    score = one_note()
    sound = layered(SAW, SQUARE)
    key = stem_key(sound, sound.layers[0], score, RATE, False)
    for change in ({"level": -7.0}, {"octave": 1}, {"entry": "2"}):
        other = sound.model_copy(deep=True)
        other.layers[0].more_sources[0].params |= change
        assert stem_key(other, other.layers[0], score, RATE, False) != key


def test_documents_hold_up_to_four_sources_with_ids_of_their_own() -> None:
    sound = moving()
    assert find_parameter(sound, "ground.air.filtered") is not None
    assert ("ground.air", "/layers/0/more_sources/1") in [(a, b) for a, b, _ in parts(sound)]
    data = sound.as_document()
    assert read_sound(data) == sound
    data["layers"][0]["more_sources"].append(source("fifth"))
    with pytest.raises(DocumentError, match=r"ground\.more_sources"):
        read_sound(data)
    data["layers"][0]["more_sources"] = [source("low")]
    data["layers"][0]["filters"] = [LOW]
    with pytest.raises(DocumentError, match=r"ground\.low"):
        read_sound(data)
    data["layers"][0]["more_sources"] = [source("two", entry="5")]
    with pytest.raises(DocumentError, match=r"ground\.two\.entry"):
        read_sound(data)
    assert MOST_ENTRIES == MOST_FILTERS


def test_older_documents_have_one_source_in_a_neutral_place() -> None:
    layer = {"id": "a", "name": "A", "source": {"kind": "noise"}}
    upgraded = upgraded_sound({"schema": 8, "name": "Old", "layers": [layer]})
    assert upgraded == {"schema": 13, "name": "Old", "layers": [layer]}
    made = read_sound({"schema": 8, "name": "Old", "layers": [layer]}).layers[0]
    assert made.more_sources == []
    assert made.source.text("entry") == "all"
    assert made.source.number("filtered") == 100.0
