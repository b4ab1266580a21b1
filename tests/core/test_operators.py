"""The operators source: side bands, aliases, feedback, envelopes, ways past the filters."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.signal import firwin
from scipy.special import jv

from caligo.document import DocumentError, read_sound
from caligo.document.pitch import frequency
from caligo.engine.render.offline import render_array
from caligo.signal.oversampling import CORNER, REACH, STEEPNESS, TAPS
from caligo.synthesis.modulation import order_of
from caligo.synthesis.source import VOICE_RMS
from tests.core.builders import (
    RATE,
    decibels,
    layer_of,
    loudest_off,
    one_note,
    plain_sound,
    spectrum,
)

FULL = VOICE_RMS * np.sqrt(2.0)
LENGTH = 2**15


def operator(number: int, **params: Any) -> dict[str, Any]:
    """An operator of a number."""
    return {"id": f"operator{number}", "kind": "operator", "params": params}


def acts(a: int, b: int, amount: float = 1.0) -> dict[str, Any]:
    """Operator `a` modulates `b`."""
    return {
        "id": f"modulation{a}{b}",
        "kind": "modulation",
        "params": {"from": f"operator{a}", "to": f"operator{b}", "amount": amount},
    }


def operators(*items: dict[str, Any], **more: Any) -> Any:
    """A sound of one layer of operators."""
    return plain_sound(layer_of("operators", list(items)), **more)


def found(sound: Any, key: int = 69, side: int = 0) -> np.ndarray:
    """Amplitudes by Hz over one second."""
    return spectrum(render_array(sound, one_note(key, 2.0))[side, RATE // 2 : RATE // 2 + RATE])


@pytest.mark.parametrize("index", [0.5, 2.0, 5.0])
def test_side_bands_have_bessel_amplitudes(index: float) -> None:
    """Two operators: fc + k·fm at |J_k(I)| (Chowning 1973), `scipy.special.jv` for J."""
    bins = found(operators(operator(1), operator(2, ratio=0.25, level=-80), acts(2, 1, index)))
    for k in range(-3, 9):
        at = 440 + 110 * k
        # The side band as far below 0 Hz meets it from there, turned round.
        meeting = -8 - k
        expected = abs(jv(k, index) - jv(meeting, index))
        assert bins[at - 1 : at + 2].max() / FULL == pytest.approx(expected, abs=0.004)


def test_an_offset_in_hertz_beats_at_any_pitch() -> None:
    bins = found(operators(operator(1), operator(2, offset=12)), key=57)
    assert bins[220] == pytest.approx(FULL, rel=0.01)
    assert bins[232] == pytest.approx(FULL, rel=0.01)


def test_a_fixed_operator_does_not_follow_the_key() -> None:
    for key in (40, 71):
        assert found(operators(operator(1, tuned="fixed", hertz=300)), key).argmax() == 300


def worst_alias(sound: Any, key: int, rate: int, ratio: float = 1.0, side_bands: int = 80) -> float:
    """The loudest of what lies under 20 kHz and on no side band, in dB under the loudest of all.

    Side bands of a carrier at f lie at f + k r f and nowhere else (Chowning 1973).
    """
    length = (LENGTH + 8192) / rate
    whole = render_array(sound, one_note(key, 2.0), rate=rate, length=length)
    lines = [(1 + k * ratio) * frequency(key) for k in range(-side_bands, side_bands + 1)]
    return loudest_off(whole[0][4096 : 4096 + LENGTH], rate, lines, 20_000)


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("ratio", [2.37, 7])
@pytest.mark.parametrize(("key", "index"), [(84, 1), (84, 8), (96, 3)])
def test_side_bands_do_not_fold(key: int, index: float, ratio: float, rate: int) -> None:
    """C6 up to an index of 8 and C7 up to 3: operators are sampled as often as that needs."""
    sound = operators(operator(1), operator(2, ratio=ratio, level=-80), acts(2, 1, index))
    assert worst_alias(sound, key, rate, ratio) < -90


@pytest.mark.parametrize("rate", [44_100, 48_000])
@pytest.mark.parametrize(("key", "ratio"), [(96, 16.0), (104, 9.3), (108, 13.0)])
def test_a_modulator_above_what_the_rate_holds_acts_on_nothing(
    key: int, ratio: float, rate: int
) -> None:
    """Its side bands would lie anywhere; it fades from 0.42 of the rate on, as a carrier does."""
    high = operator(2, ratio=ratio, level=-80)
    both, alone = (
        render_array(operators(operator(1), high, *links), one_note(key, 1.0), rate=rate)
        for links in ([acts(2, 1, 2.0), acts(2, 2, 1.0)], [])
    )
    # The filters of another oversampling pass a little more or less.
    assert decibels(np.abs(both - alone).max() / np.abs(alone).max()) < -80


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("index", [1.0, 1.5, 2.0, 3.0])
def test_feedback_does_not_fold(index: float, rate: int) -> None:
    """C6 up to 3 rad, where the sine has become a saw with sharp edges."""
    assert worst_alias(operators(operator(1), acts(1, 1, index)), 84, rate) < -90


@pytest.mark.parametrize(
    "items",
    [
        (operator(2, ratio=2, level=-80, wave="saw"), acts(2, 1, 3.0)),
        (operator(2, ratio=2, level=-80), operator(3, ratio=3, level=-80), acts(2, 1, 4),
         acts(3, 2, 4)),
        (operator(2, ratio=2, level=-80), acts(2, 1, 1.5), acts(1, 2, 1.5)),
        (operator(2, ratio=2, level=-80), acts(2, 1, 3.0), acts(1, 1, 1.0)),
    ],
    ids=["a saw acts", "a chain", "a circle", "both"],
)  # fmt: skip
def test_what_acts_on_each_other_does_not_fold(items: tuple[dict[str, Any], ...]) -> None:
    assert worst_alias(operators(operator(1), *items), 84, RATE) < -90


def test_a_note_is_sampled_alike_all_along() -> None:
    """A pitch that rises by two octaves needs more in the end; a start there is still exact."""
    pair = operators(operator(1), operator(2, ratio=5, level=-80), acts(2, 1, 4.0))
    data = pair.model_dump(mode="json")
    data["modulators"] = [
        {"id": "up", "name": "Up", "kind": "curve", "params": {"period": {"value": 2.0}}}
    ]
    data["routes"] = [{"id": "r", "from": "up", "to": "ground.transpose", "depth": 24.0}]
    sound = read_sound(data)
    full = render_array(sound, one_note(72, 2.0))
    later = render_array(sound, one_note(72, 2.0), start=1.0)
    assert np.array_equal(full[:, RATE : RATE + 24_000], later[:, :24_000])


def test_the_halving_filter_passes_and_stops() -> None:
    """At 96 kHz: even up to 19.8 kHz, 80 dB down from 24.6 kHz on."""
    response = np.abs(np.fft.rfft(TAPS, 8192))
    hertz = np.linspace(0, 48_000, len(response))
    assert decibels(response[hertz < 19_800]) == pytest.approx(0.0, abs=0.01)
    assert decibels(response[hertz > 24_600]).max() < -80
    assert len(TAPS) == 2 * REACH


def test_feedback_makes_the_sine_a_saw_with_all_partials() -> None:
    """x = sin(wt + b x): partials 2 J_n(n b) / (n b) (Kepler's equation; Watson, Bessel ch. 17)."""
    b = 0.6
    bins = found(operators(operator(1), acts(1, 1, b)), key=45)
    for n in range(1, 6):
        at = 110 * n
        expected = abs(2 * jv(n, n * b) / (n * b))
        assert bins[at - 1 : at + 2].max() / FULL == pytest.approx(expected, rel=0.05)


def test_circles_are_ordered_behind_what_acts_on_them() -> None:
    order, circle = order_of(4, [(3, 0), (0, 1), (1, 0), (1, 2)])
    assert order == [3, 0, 1, 2]
    assert circle == [0, 0, -1, -1]


def test_an_operators_envelope_shapes_what_it_does_to_others() -> None:
    decay = {
        "shape": "own",
        "attack": {"value": 0},
        "decay": {"value": 1.0},
        "sustain": 0,
    }
    sound = operators(operator(1), operator(2, ratio=3, level=-80, **decay), acts(2, 1, 4.0))
    signal = render_array(sound, one_note(57, 3.0))[0]
    early, late = (spectrum(signal[a : a + 9600]) for a in (1200, 120_000))
    assert np.count_nonzero(decibels(early / early.max()) > -40) > 25
    assert np.count_nonzero(decibels(late / late.max()) > -40) < 8


@pytest.mark.parametrize("key", [50, 79])
def test_two_in_a_row_that_modulate_themselves_leave_no_images_of_ticks(key: int) -> None:
    """Each tick begins from silence: the second in the row must find the first one settled."""
    sound = operators(
        operator(1, level=-80), operator(2), acts(1, 1, 1.0), acts(2, 2, 1.0), acts(1, 2, 1.0)
    )
    assert worst_alias(sound, key, 48_000, side_bands=320) < -90


@pytest.mark.parametrize(("velocity", "attack"), [(1, 0.2), (64, 0.2 * 2.0), (127, 0.2 * 4.0)])
def test_an_operator_takes_up_its_attack_as_the_note_starts(velocity: int, attack: float) -> None:
    """Two octaves of time by velocity; what moves it later does not bend an attack that runs."""
    shaped = {"shape": "own", "attack": {"value": 0.2}, "attack_bend": 0, "sustain": 100}
    movers = [
        {"id": "v", "name": "V", "kind": "velocity", "params": {}},
        {"id": "m", "name": "M", "kind": "lfo", "params": {"shape": "square"}},
    ]
    to = "ground.source.operator1.attack"
    routes = [{"id": "r", "from": "v", "to": to, "depth": 2, "polarity": "unipolar"}]
    sound = operators(operator(1, **shaped), modulators=movers[:1], routes=routes)
    note = one_note(69, 3.0).notes[0].model_copy(update={"velocity": velocity})
    heard = render_array(sound, one_note(69, 3.0).model_copy(update={"notes": [note]}))[0]
    cells = np.abs(heard[: 2 * RATE]).reshape(-1, 480).max(axis=1)
    half = float(np.interp(0.5 * cells.max(), cells[:90], np.arange(90) * 0.01))
    assert half == pytest.approx(attack / 2.0, abs=0.02)


def test_an_envelope_may_be_anothers() -> None:
    decay = {"shape": "own", "attack": {"value": 0}, "decay": {"value": 0.3}, "sustain": 0}
    follows = operator(2, ratio=2, shape="other", shape_of="operator1")
    signal = render_array(operators(operator(1, **decay), follows), one_note(57, 2.0))[0]
    assert np.abs(signal[60_000:]).max() < 1e-4 < np.abs(signal[:4800]).max()


def test_velocity_and_key_scale_an_operator() -> None:
    base = render_array(operators(operator(1)), one_note(60)).std()
    up = render_array(operators(operator(1, key_scale=-6)), one_note(84)).std()
    assert decibels(up / base) == pytest.approx(-12.0, abs=0.1)
    for key in (84, 127):
        # Soft enough that the ceiling does not hold it.
        plain = operators(operator(1, level=-30))
        steep = operators(operator(1, level=-30, key_scale=18))
        grown = render_array(steep, one_note(key, 1.0))
        assert decibels(
            grown.std() / render_array(plain, one_note(key, 1.0)).std()
        ) == pytest.approx(24.0, abs=0.1)
    soft = one_note(60)
    soft.notes[0].velocity = 1
    weak = render_array(operators(operator(1, velocity=12)), soft).std()
    assert decibels(weak / base) == pytest.approx(-12.0 * 126 / 127, abs=0.1)


def test_an_operator_goes_past_the_filters() -> None:
    layer = layer_of("operators", [operator(1), operator(2, ratio=8, way="past")])
    layer["filters"] = [{"id": "f", "kind": "lowpass", "params": {"cutoff": 300, "slope": "24"}}]
    bins = found(plain_sound(layer), 57)
    assert bins[1760] == pytest.approx(FULL, rel=0.02)
    layer["source"]["items"][1]["params"]["way"] = "filters"
    assert decibels(found(plain_sound(layer), 57)[1760] / FULL) < -50


def test_unison_gives_each_operator_voice_its_place() -> None:
    layer = layer_of("operators", [operator(1)], unison=2, detune=20, spread=100)
    signal = render_array(plain_sound(layer), one_note(69, 2.0))
    left, right = (spectrum(signal[c, 24_000:72_000]) for c in (0, 1))
    below, above = (440 * 2 ** (cents / 1200) for cents in (-20, 20))
    assert decibels(left[round(below)] / left[round(above)]) > 10
    assert decibels(right[round(above)] / right[round(below)]) > 10


def test_operators_begin_anywhere_and_in_any_blocks() -> None:
    sound = plain_sound(
        layer_of(
            "operators",
            [
                operator(1),
                operator(2, ratio=2, wave="noise", shape="own"),
                operator(3, wave="saw", restart=False),
                acts(2, 1),
                acts(1, 1, 0.7),
                acts(3, 2),
                acts(1, 3, 0.5),
            ],
            unison=2,
        ),
        modulators=[{"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": 1}}}],
        routes=[
            {"id": "a", "from": "m", "to": "ground.source.operator2.ratio", "depth": 0.3},
            {"id": "b", "from": "m", "to": "ground.source.modulation21.amount", "depth": 1},
        ],
    )
    whole = render_array(sound, one_note(50, 2.0))
    assert np.isfinite(whole).all()
    np.testing.assert_array_equal(
        whole, render_array(sound, one_note(50, 2.0), block=192, ahead=False)
    )
    later = render_array(sound, one_note(50, 2.0), start=1.1)
    np.testing.assert_allclose(later, whole[:, -later.shape[1] :], atol=1e-5)


@pytest.mark.parametrize(
    ("items", "message"),
    [
        ([operator(1), acts(1, 2)], "no such operator"),
        ([operator(n) for n in range(1, 10)], "too many"),
        ([operator(1), {"id": "x", "kind": "zone", "params": {}}], "not made of these|zone"),
    ],
)
def test_impossible_operators_are_told(items: list[dict[str, Any]], message: str) -> None:
    with pytest.raises(DocumentError, match=message):
        read_sound({"name": "X", "layers": [layer_of("operators", items)]})


def test_a_source_always_has_the_items_it_needs() -> None:
    assert [i.id for i in operators().layers[0].source.items] == ["operator1"]


def test_the_half_rate_filter_is_the_reference_design() -> None:
    """scipy.signal.firwin, the window method of the textbooks."""
    reference = firwin(2 * REACH, CORNER, window=("kaiser", STEEPNESS))
    np.testing.assert_allclose(TAPS, reference, atol=1e-7)
