"""Ring and phase modulation between layers, drift, and unison's intervals."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.special import jv

from caligo.document import DocumentError, Score, read_sound
from caligo.document.pitch import frequency
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.engine.stems.keys import stem_key
from caligo.signal.offset import STANDING, lose_offset
from caligo.signal.smoothing import one_pole
from caligo.signal.ticks import Span
from tests.core.builders import (
    RATE,
    decibels,
    loudest_off,
    one_note,
    plain_layer,
    plain_sound,
    spectrum,
)


def layer(id: str, params: dict[str, Any] | None = None, **source: Any) -> dict[str, Any]:
    """A plain layer of another id."""
    made = plain_layer(**{"table": "sine", **source})
    return {**made, "id": id, "name": id, "params": params or {}}


def modulated(by: str, amount: dict[str, Any], **more: Any) -> Any:
    """A sine that is modulated by a sine."""
    return plain_sound(layer("ground", {f"{by}_by": "sine", **amount}), **more)


def levels(sound: Any, score: Score | None = None) -> tuple[Any, float]:
    """Amplitudes by bin of the second after the first half, and Hz per bin."""
    signal = render_array(sound, score or one_note(69, 2.0))[0, RATE // 2 : RATE // 2 + RATE]
    return spectrum(signal), RATE / len(signal)


def near(bins: Any, hertz: float) -> float:
    """The highest amplitude within 2 Hz."""
    return float(bins[round(hertz) - 2 : round(hertz) + 3].max())


def test_ring_modulation_leaves_sum_and_difference_alone() -> None:
    """sin a · sin b = (cos(a − b) − cos(a + b)) / 2, from the textbooks."""
    bins, _ = levels(modulated("ring", {"ring_ratio": 0.25, "ring_amount": 100}))
    plain, _ = levels(plain_sound(layer("ground")))
    for side in (330.0, 550.0):
        assert near(bins, side) == pytest.approx(near(plain, 440.0) / 2, rel=0.01)
    assert decibels(near(bins, 440.0) / near(bins, 330.0)) < -60


def test_phase_modulation_has_bessel_side_bands() -> None:
    """Side bands at f ± k·fm with amplitudes J_k of the index (Chowning 1973)."""
    index = np.radians(90.0)
    bins, _ = levels(modulated("phase", {"phase_ratio": 0.25, "phase_depth": 90}))
    plain, _ = levels(plain_sound(layer("ground")))
    whole = near(plain, 440.0)
    for k in range(-3, 4):
        expected = abs(jv(k, index))
        assert near(bins, 440.0 + 110.0 * k) / whole == pytest.approx(expected, abs=0.012)


@pytest.mark.parametrize("by", ["sine", "layer"])
def test_shifted_phases_are_the_same_in_blocks_of_any_size(by: str) -> None:
    """A place is a whole sample and a fraction, which must not be rounded beside each other."""
    params = {"phase_by": by, "phase_layer": "other", "phase_ratio": 0.25, "phase_depth": 90}
    other = layer("other", {"level": -80, "octave": -1})
    sound = plain_sound(None, layers=[layer("ground", params, unison=3), other])
    found = [
        render_array(sound, one_note(57, 2.0), block=block, ahead=False)
        for block in (64, 1_024, 8_192, 65_536)
    ]
    for made in found[1:]:
        assert np.array_equal(made, found[0])


@pytest.mark.parametrize("by", ["ring", "phase"])
def test_a_ratio_that_moves_is_exact_in_any_block_and_from_any_start(by: str) -> None:
    """The sine's cycles are added up from the note on: its frequency is the ratio's, not steps."""
    amount = {"ring": {"ring_amount": 100}, "phase": {"phase_depth": 90}}[by]
    rise = {
        "id": "m",
        "name": "M",
        "kind": "lfo",
        "params": {"shape": "rise", "period": {"value": 4.0}},
    }
    route = {"id": "r", "from": "m", "to": f"ground.{by}_ratio", "depth": 1, "polarity": "unipolar"}
    params = {f"{by}_ratio": 1.5, **amount}
    sound = modulated(by, params, modulators=[rise], routes=[route])

    def heard(block: int, start: float = 0.0) -> np.ndarray:
        return render_array(sound, one_note(57, 3.0), start=start, block=block, ahead=False)

    whole = heard(8_192)
    assert np.array_equal(whole, heard(64))
    late = heard(4_096, 1.7)
    assert np.abs(late - whole[:, -late.shape[1] :]).max() < 1e-6


def test_a_ring_s_sine_glides_with_its_ratio() -> None:
    """A sine times a chirp: a ratio drawn from 1/2 to 8 in 4 s is ``r0 2^t``.

    The chirp's phase is the integral, ``f r0 (2^t - 1) / ln 2``.
    """
    drawn = {"id": "l", "to": "ground.ring_ratio", "points": [
        {"time": 0.0, "value": 0.5}, {"time": 4.0, "value": 8.0}
    ]}  # fmt: skip
    sound = modulated("ring", {"ring_ratio": 0.5, "ring_amount": 100}, lanes=[drawn])
    plain = render_array(plain_sound(layer("ground")), one_note(69, 3.0))[0].astype(float)
    heard = render_array(sound, one_note(69, 3.0))[0].astype(float)
    t = np.arange(len(heard)) / RATE
    cycles = 440.0 * 0.5 * (2.0**t - 1.0) / np.log(2.0)
    wanted = plain * np.sin(2.0 * np.pi * cycles)
    # As the ratio passes 1 the difference is direct current, which layers do not pass on.
    late = slice(2 * RATE, 14 * RATE // 5)
    assert np.std(heard[late] - wanted[late]) < 0.01 * np.std(wanted[late])


def test_a_sine_above_the_band_modulates_no_more() -> None:
    """It fades between 0.42 and 0.45 of the rate, as carriers do."""
    bins, _ = levels(modulated("ring", {"ring_ratio": 48.0, "ring_amount": 100}), one_note(72, 2.0))
    assert bins.max() < 1e-6 * levels(plain_sound(layer("ground")))[0].max()
    phase = {"phase_ratio": 48.0, "phase_depth": 90}
    bins, _ = levels(modulated("phase", phase), one_note(72, 2.0))
    held = round(440.0 * 2.0**0.25)
    assert decibels(np.delete(bins, range(held - 8, held + 9)).max() / bins.max()) < -90


def test_another_layer_modulates_as_a_sine_does() -> None:
    """A modulator layer at 0 dB an octave below does what a sine at ratio 0.5 does."""
    by_sine = modulated("ring", {"ring_ratio": 0.5, "ring_amount": 100})
    lower = layer("other", {"level": -80, "octave": -1})
    by_layer = plain_sound(
        None,
        layers=[
            layer("ground", {"ring_by": "layer", "ring_layer": "other", "ring_amount": 100}),
            lower,
        ],
    )
    a, _ = levels(by_sine)
    b, _ = levels(by_layer)
    for side in (220.0, 660.0):
        assert decibels(near(a, side) / near(b, side)) == pytest.approx(0.0, abs=0.1)


def worst_fold(sound: Any, key: int, rate: int, lines: list[float]) -> float:
    """The loudest of what can be heard and lies on none of the lines, in dB under the loudest."""
    length = 2**16
    signal = render_array(sound, one_note(key, 2.0), rate=rate, length=length / rate + 0.5)[0]
    return loudest_off(signal[-length:], rate, lines, min(20_000, 0.41 * rate))


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("ratio", [0.37, 4.3])
@pytest.mark.parametrize("key", [36, 60, 84])
def test_phase_modulation_does_not_fold(key: int, ratio: float, rate: int) -> None:
    """Two whole turns each way: side bands at f + k fm and nothing else (Chowning 1973)."""
    sound = modulated("phase", {"phase_ratio": ratio, "phase_depth": 360})
    f = frequency(key)
    lines = [f * (1 + k * ratio) for k in range(-80, 81)]
    assert worst_fold(sound, key, rate, lines) < -85


@pytest.mark.parametrize("key", [36, 60, 84])
@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
def test_ring_modulation_of_bright_layers_does_not_fold(rate: int, key: int) -> None:
    """A saw times a saw an octave higher has the partials of the lower one and no others."""
    lower = layer("ground", {"ring_by": "layer", "ring_layer": "other", "ring_amount": 100},
                  table="saw")  # fmt: skip
    upper = layer("other", {"octave": 1, "level": -80}, table="saw")
    sound = read_sound({"name": "X", "layers": [lower, upper]})
    assert worst_fold(sound, key, rate, [k * frequency(key) for k in range(700)]) < -80


@pytest.mark.parametrize("way", ["ring", "phase"])
def test_a_modulated_layer_keeps_in_step_with_others(way: str) -> None:
    """Not modulated at all it comes as late as a layer beside it: both add up in phase."""
    still = {"ring": {"ring_amount": 0}, "phase": {"phase_depth": 0}}[way]
    pair = [layer("ground", {f"{way}_by": "sine", **still}), layer("beside")]
    both = render_array(read_sound({"name": "X", "layers": pair}), one_note(84, 1.0))
    alone = render_array(read_sound({"name": "X", "layers": pair[1:]}), one_note(84, 1.0))
    wave = slice(RATE // 4, RATE // 2)
    # Phase modulation is late by two samples besides, so that it could read ahead.
    late = {"ring": 0, "phase": 2}[way]
    one = np.roll(alone[0], late)[wave]
    # One of them loses direct current, and a tenth of a degree with it; a sample would be -30 dB.
    assert decibels((both[0, wave] - alone[0, wave] - one).std() / one.std()) < -50


@pytest.mark.parametrize("way", ["ring", "phase"])
def test_a_muted_layer_leaks_nothing_where_it_modulates(way: str) -> None:
    amount = {"ring": {"ring_amount": 100}, "phase": {"phase_depth": 300}}[way]
    ground = layer("ground", {f"{way}_by": "layer", f"{way}_layer": "other", **amount})
    other = {**layer("other", {"octave": 1}), "mute": True}
    alone = plain_sound(None, layers=[layer("ground")])
    both = plain_sound(None, layers=[ground, other])
    score = one_note(57, 1.0)
    np.testing.assert_array_equal(render_array(both, score), render_array(alone, score))


def test_a_muted_layer_costs_no_rendering() -> None:
    muted = {**layer("other"), "mute": True}
    engine = Engine(plain_sound(None, layers=[layer("ground"), muted]), one_note())
    assert set(engine.layers) == {"ground"}


def test_a_layer_may_not_modulate_itself_by_way_of_others() -> None:
    a = layer("a", {"ring_by": "layer", "ring_layer": "b"})
    b = layer("b", {"phase_by": "layer", "phase_layer": "a"})
    with pytest.raises(DocumentError, match="would modulate itself"):
        read_sound({"name": "X", "layers": [a, b]})
    with pytest.raises(DocumentError, match="no such layer"):
        read_sound({"name": "X", "layers": [layer("a", {"ring_layer": "nobody"})]})


def test_a_stem_depends_on_the_layers_that_modulate_it() -> None:
    ground = layer("ground", {"ring_by": "layer", "ring_layer": "other", "ring_amount": 50})
    one = plain_sound(None, layers=[ground, layer("other")])
    two = plain_sound(None, layers=[ground, layer("other", fine=30)])
    score = one_note()
    keys = {stem_key(s, s.layers[0], score, RATE, False) for s in (one, two)}
    assert len(keys) == 2


def test_modulated_layers_start_anywhere() -> None:
    """Principle 2: the slice from 0.7 s equals the whole render's, within −90 dB."""
    ground = layer(
        "ground", {"phase_by": "layer", "phase_layer": "other", "phase_depth": 200, "drift": 12}
    )
    sound = plain_sound(None, layers=[ground, layer("other", {"octave": -1}, fine=3)])
    whole = render_array(sound, one_note(50, 2.0))
    later = render_array(sound, one_note(50, 2.0), start=0.8)
    first = whole.shape[1] - later.shape[1]
    assert decibels(np.abs(whole[:, first:] - later).max() / np.abs(whole).max()) < -90


def test_drift_moves_each_voice_on_its_own_and_never_farther_than_it_says() -> None:
    sound = plain_sound(layer("ground", {"drift": 20}))
    notes = one_note(60, 60.0).notes
    score = Score(length=60, notes=[*notes, notes[0].model_copy(update={"id": "n2", "pitch": 67})])
    voices = Engine(sound, score).layers["ground"].voices
    block = voices.block(Span(0, 45_000, RATE), [0, 1])
    cents = 1200 * (block.pitch - np.log2(440.0 * 2 ** (np.array([[60], [67]]) / 12 - 69 / 12)))
    assert np.abs(cents).max() <= 20.0
    assert (np.ptp(cents, axis=1) > 6.0).all()
    assert abs(np.corrcoef(cents)[0, 1]) < 0.7


def test_unison_takes_its_intervals_in_turn() -> None:
    own = {"unison": 3, "detune": 0, "spread": 0, "pattern": "own", "intervals": [0, 7, 12]}
    bins, _ = levels(plain_sound(layer("ground", None, **own)), one_note(57, 2.0))
    for semitones in (0, 7, 12):
        assert decibels(near(bins, 220 * 2 ** (semitones / 12)) / bins.max()) > -3
    assert decibels(near(bins, 220 * 2 ** (5 / 12)) / bins.max()) < -60


def test_unison_beats_at_the_rate_of_its_detune() -> None:
    """Two oscillators 10 cents either side beat at f·(2^(10/1200) − 2^(−10/1200)).

    Common practice; at 440 Hz that is 5.08 Hz.
    """
    sound = plain_sound(layer("ground", None, unison=2, detune=10, spread=0))
    signal = render_array(sound, one_note(69, 8.0))[0, : 7 * RATE].astype(float)
    power = signal**2
    smooth = np.convolve(power, np.ones(480) / 480, "same")[::48]
    beats = np.abs(np.fft.rfft((smooth - smooth.mean()) * np.hanning(len(smooth))))
    rate = np.fft.rfftfreq(len(smooth), 48 / RATE)
    expected = 440 * (2 ** (10 / 1200) - 2 ** (-10 / 1200))
    assert rate[beats.argmax()] == pytest.approx(expected, abs=0.15)


def test_a_layer_holds_no_direct_current() -> None:
    """A saw in ring modulation by its own pitch stands still in part: over -70 dB of it is lost.

    And 20 Hz, the lowest that is heard, pass within 0.1 dB.
    """
    params = {"ring_by": "sine", "ring_ratio": 1.0, "ring_amount": 100.0}
    heard = render_array(
        plain_sound(plain_layer(table="saw") | {"params": params}), one_note(48, 6)
    )
    window = np.hanning(3 * RATE)
    middle = heard[:, 2 * RATE : 5 * RATE].astype(np.float64)
    standing = np.abs(middle @ window).max() / window.sum()
    assert decibels(standing / middle.std()) < -70.0
    seconds = np.arange(4 * RATE) / RATE
    given = np.tile(np.sin(2 * np.pi * 20.0 * seconds), (2, 1)).astype(np.float32)
    kept = given.copy()
    lose_offset(kept, one_pole(STANDING, RATE), np.zeros(2))
    assert decibels(kept[:, RATE:].std() / given[:, RATE:].std()) == pytest.approx(0.0, abs=0.1)
