"""The harmonic source: rules, stiffness, movement without clicks, the endless glide."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from caligo.document import read_sound
from caligo.document.pitch import frequency
from caligo.engine.render.engine import Engine
from caligo.engine.render.offline import render_array
from caligo.signal.ticks import Span
from caligo.synthesis.partials import joined_rules, numbers_of
from caligo.synthesis.source import VOICE_RMS
from tests.core.builders import RATE, decibels, layer_of, one_note, plain_sound, spectrum

F0 = frequency(45)
LENGTH = 2**17


def harmonic(moves: dict[str, float] | None = None, period: float = 4.0, **params: Any) -> Any:
    """A sound of one harmonic layer; `moves` are depths of one slow LFO."""
    return plain_sound(
        layer_of("harmonic", **{"place": "centre", "tilt": 0, "phases": 100, **params}),
        modulators=[
            {"id": "m", "name": "M", "kind": "lfo", "params": {"period": {"value": period}}}
        ],
        routes=[
            {"id": f"r{key}", "from": "m", "to": f"ground.source.{key}", "depth": depth}
            for key, depth in (moves or {}).items()
        ],
    )


def peaks(sound: Any, key: int = 45) -> list[float]:
    """Frequencies of the peaks within 40 dB of the strongest, by a parabola through three bins."""
    signal = render_array(sound, one_note(key, 4.0))[0, 24_000 : 24_000 + LENGTH]
    levels = decibels(spectrum(signal))
    at = np.flatnonzero(
        (levels[1:-1] > levels[:-2])
        & (levels[1:-1] >= levels[2:])
        & (levels[1:-1] > levels.max() - 40)
    )
    a, b, c = levels[at], levels[at + 1], levels[at + 2]
    return list((at + 1 + 0.5 * (a - c) / (a - 2 * b + c)) * RATE / LENGTH)


def lobe(found: Any, hertz: float) -> float:
    """The level around a frequency, wherever in its bin the peak lies."""
    return float(np.sqrt(np.sum(found[round(hertz * LENGTH / RATE) + np.arange(-6, 7)] ** 2)))


@pytest.mark.parametrize(
    ("rule", "expected"),
    [
        ("all", [1, 2, 3, 4, 5, 6]),
        ("odd", [1, 3, 5, 7, 9, 11]),
        ("even", [1, 2, 4, 6, 8, 10]),
        ("octaves", [1, 2, 4, 8, 16, 32]),
        ("primes", [1, 2, 3, 5, 7, 11]),
        ("every", [1, 5, 9, 13, 17, 21]),
        ("list", [1, 1.5, 2.25, 7]),
    ],
)
def test_rules_choose_the_partials_that_are_heard(rule: str, expected: list[float]) -> None:
    found = peaks(harmonic(rule=rule, count=6, every=4, list=[7, 1, 1.5, 2.25]))
    assert np.array(found) / F0 == pytest.approx(expected, rel=1e-4)


def test_stiff_strings_have_their_partials() -> None:
    """f_n = n f0 sqrt(1 + B n²), the first kept on the note (Fletcher and Rossing, ch. 2)."""
    n, b = np.arange(1, 13), 2000e-6
    expected = n * F0 * np.sqrt((1 + b * n**2) / (1 + b))
    assert peaks(harmonic(count=12, stiffness=2000)) == pytest.approx(list(expected), rel=1e-4)


def test_stretched_octaves_are_as_wide_as_it_says() -> None:
    found = peaks(harmonic(rule="octaves", count=4, stretch=30))
    assert 1200 * np.diff(np.log2(found)) == pytest.approx([1230] * 3, abs=0.2)


def test_tilt_is_in_decibels_per_octave() -> None:
    signal = render_array(harmonic(rule="octaves", count=5, tilt=-9), one_note(45, 4.0))
    found = spectrum(signal[0, 24_000 : 24_000 + LENGTH])
    levels = [decibels(lobe(found, F0 * 2**k)) for k in range(5)]
    assert np.diff(levels) == pytest.approx([-9] * 4, abs=0.05)


def test_bundles_lie_either_side_of_each_partial() -> None:
    found = peaks(harmonic(rule="list", list=[4], bundle=2, bundle_spread=20))
    assert len(found) == 2
    assert 1200 * np.log2(found[1] / found[0]) == pytest.approx(40, abs=10.1)


def test_the_level_is_that_of_every_source() -> None:
    for params in ({}, {"tilt": -12}, {"bundle": 4, "count": 60}, {"count": 1}):
        signal = render_array(harmonic(**params), one_note(45, 4.0))[0]
        assert signal.std() == pytest.approx(VOICE_RMS, rel=0.02)


@pytest.mark.parametrize(
    "moves",
    [{"count": 20}, {"morph": 50, "tilt": 6}, {"band_centre": 2}, {"stretch": 80, "scatter": 50}],
)
def test_nothing_clicks_when_partials_come_and_go(moves: dict[str, float]) -> None:
    """No step above −60 dB of the surroundings where the band stays below 5 kHz.

    A click is energy far above the highest partial; the sound itself has none there.
    """
    sound = harmonic(moves, 0.9, count=24, band=50, morph=50)
    signal = render_array(sound, one_note(45, 3.0))[0].astype(float)
    frames = np.lib.stride_tricks.sliding_window_view(signal, 1024)[:: 1024 // 4]
    found = np.abs(np.fft.rfft(frames * np.blackman(1024), axis=1))[:, 1024 // 4 :]
    whole = np.abs(np.fft.rfft(frames * np.blackman(1024), axis=1)).max(axis=1, keepdims=True)
    middle = slice(20, -20)
    assert decibels((found / whole)[middle].max()) < -60


def test_a_count_opens_partials_one_by_one() -> None:
    """At 4.5 partials, the fifth is at half its level."""
    signal = render_array(harmonic(count=4.5), one_note(45, 4.0))[0, 24_000 : 24_000 + LENGTH]
    found = spectrum(signal)
    at = [lobe(found, n * F0) for n in (4, 5, 6)]
    assert at[1] / at[0] == pytest.approx(0.5, abs=0.01)
    assert at[2] / at[0] < 1e-4


def test_the_endless_glide_rises_without_getting_anywhere() -> None:
    """After one octave the octave-spaced partials are where they were (Shepard 1964)."""
    sound = harmonic(rule="octaves", count=9, endless=30)  # an octave in two seconds
    signal = render_array(sound, one_note(45, 8.0))[0]

    def centroid(at: float) -> float:
        found = spectrum(signal[int(at * RATE) : int(at * RATE) + 8192]) ** 2
        hertz = np.fft.rfftfreq(8192, 1 / RATE)
        return float(np.log2(np.sum(hertz * found) / found.sum()))

    assert centroid(5.0) == pytest.approx(centroid(1.0), abs=0.1)
    assert signal[RATE : 2 * RATE].std() == pytest.approx(
        signal[5 * RATE : 6 * RATE].std(), rel=0.1
    )


@pytest.mark.parametrize("place", ["alternate", "fan", "random", "turning"])
def test_partials_are_placed_in_stereo(place: str) -> None:
    signal = render_array(harmonic(place=place, width=100), one_note(45, 2.0))
    assert np.corrcoef(signal)[0, 1] < 0.9
    narrow = render_array(harmonic(place=place, width=0), one_note(45, 2.0))
    np.testing.assert_allclose(narrow[0], narrow[1], atol=1e-6)


def test_partials_begin_anywhere_and_in_any_blocks() -> None:
    sound = harmonic({"stretch": 20, "count": 9, "fine": 30}, 1.1, ripple=12, endless=7)
    whole = render_array(sound, one_note(50, 3.0))
    np.testing.assert_array_equal(
        whole, render_array(sound, one_note(50, 3.0), block=192, ahead=False)
    )
    later = render_array(sound, one_note(50, 3.0), start=1.3)
    np.testing.assert_allclose(later, whole[:, -later.shape[1] :], atol=1e-5)


def test_partials_near_half_the_sample_rate_fade_out() -> None:
    """At C7 with 32 partials, nothing folds back: all that is heard is a multiple of C7."""
    found = peaks(harmonic(count=32), key=96)
    ratios = np.array(found) / frequency(96)
    assert np.abs(ratios - np.round(ratios)).max() < 1e-3
    assert max(found) < 0.47 * RATE


def test_a_shape_that_stands_still_is_told_as_it_is() -> None:
    source = Engine(harmonic(count=3), one_note()).layers["ground"].voices.source
    frame, pitch = (
        Engine(harmonic(count=3), one_note())
        .layers["ground"]
        .voices.block(Span(0, 16, RATE), [0])
        .history(0, 0, 16)
    )
    ratio, level, _ = source.shaped(frame, 2.0 ** pitch[0], 5)
    assert ratio[0] == pytest.approx(np.arange(1, 257))
    assert np.count_nonzero(level[0]) == 3


def test_rules_are_joined_for_a_morph() -> None:
    odd, even, octaves = (numbers_of(rule, 2, [], 4) for rule in ("odd", "even", "octaves"))
    numbers, ranks, _ = joined_rules([odd, even, octaves], [0, 0, 0], 256)
    assert numbers.tolist() == [1, 2, 3, 4, 5, 6, 7, 8]
    assert ranks[:, 0].tolist() == [0, 0, 0]
    assert ranks[:, 1].tolist() == [np.inf, 1, 1]


@pytest.mark.parametrize("third", [0.0, 25.0, 100.0])
def test_a_morph_leads_to_a_third_rule(third: float) -> None:
    """Halfway from odd to even, and from there to octaves: each partial has what its rules say."""
    rules = {"rule": "odd", "other_rule": "even", "third_rule": "octaves"}
    sound = harmonic(**rules, morph=50, third=third, count=4)
    found = spectrum(render_array(sound, one_note(45, 4.0))[0, 24_000 : 24_000 + LENGTH])
    levels = np.array([lobe(found, n * F0) for n in range(1, 9)])
    odd, even, octaves = (
        np.isin(range(1, 9), n) for n in ([1, 3, 5, 7], [1, 2, 4, 6], [1, 2, 4, 8])
    )
    share = third / 100.0
    expected = (1.0 - share) * (0.5 * odd + 0.5 * even) + share * octaves
    assert levels / levels[0] == pytest.approx(expected / expected[0], abs=1e-3)


def test_stiffness_is_moved_from_none_in_millionths() -> None:
    """A lane to 400 ppm: the partials are where its middle and its end say."""
    sound = harmonic(count=12)
    lane = {"id": "l", "to": "ground.source.stiffness", "points": [
        {"time": 0.0, "value": 0.0}, {"time": 0.25, "value": 400.0}]}  # fmt: skip
    sound = read_sound(sound.as_document() | {"lanes": [lane]})
    n, b = np.arange(1, 13), 400e-6
    expected = n * F0 * np.sqrt((1 + b * n**2) / (1 + b))
    assert peaks(sound) == pytest.approx(list(expected), rel=1e-4)


def test_unison_takes_its_intervals_in_turn() -> None:
    own = {
        "unison": 2,
        "pattern": "own",
        "intervals": [0, 19],
        "detune": 0,
        "drift": 0,
        "spread": 0,
    }
    found = peaks(harmonic(rule="list", list=[1], **own))
    assert np.array(found) / F0 == pytest.approx([1, 2 ** (19 / 12)], rel=1e-4)


@pytest.mark.parametrize("key", [40, 72])
def test_a_fan_reaches_from_side_to_side_however_few_sound(key: int) -> None:
    """Of five equal partials the lowest is on the left and the fifth on the right."""
    signal = render_array(harmonic(place="fan", width=100, count=5, tilt=0), one_note(key, 3.0))
    lines = np.abs(np.fft.rfft(signal[:, RATE : 2 * RATE] * np.hanning(RATE), axis=1))
    left, right = (
        np.array([side[round(n * frequency(key)) - 3 :][:7].max() for n in range(1, 6)])
        for side in lines
    )
    lean = (right - left) / (right + left)
    assert lean[0] < -0.95
    assert lean[4] > 0.95
    assert abs(lean[2]) < 0.05
    assert (np.diff(lean) > 0.1).all()


def test_notes_do_not_all_begin_on_one_side() -> None:
    """Alternating partials: which side the lowest is on is each note's own."""
    score = one_note(45, 1.0)
    sides = set()
    for number in range(8):
        score.notes[0].id = f"n{number}"
        signal = render_array(harmonic(place="alternate", width=100, count=1), score)
        sides.add(bool(np.square(signal[0]).sum() > np.square(signal[1]).sum()))
    assert sides == {True, False}


MOVES: dict[str, dict[str, Any]] = {
    "every": {"rule": "every", "every": 2.5},
    "list_glide": {"rule": "list", "list": [1, 2, 3.5, 7], "second_list": [1.5, 3, 4.25]},
}


def drawn(key: str, *points: tuple[float, float], **params: Any) -> Any:
    """A harmonic sound of few partials whose parameter `key` has a lane."""
    line = [{"time": t, "value": v} for t, v in points]
    lanes = [{"id": "l", "to": f"ground.source.{key}", "points": line}]
    layer = layer_of(
        "harmonic",
        **({"tilt": 0, "phases": 0, "count": 4, "place": "centre"} | MOVES[key] | params),
    )
    return plain_sound(layer, lanes=lanes)


@pytest.mark.parametrize(
    ("key", "value", "expected"),
    [
        ("every", 2.5, [1, 3.5, 6, 8.5]),
        ("every", 1.37, [1, 2.37, 3.74, 5.11]),
        ("list_glide", 0.0, [1, 2, 3.5, 7]),
        ("list_glide", 50.0, [1.5**0.5, 6**0.5, (3.5 * 4.25) ** 0.5, 7]),
        ("list_glide", 100.0, [1.5, 3, 4.25, 7]),
    ],
)
def test_moved_partials_lie_where_arithmetic_puts_them(
    key: str, value: float, expected: list[float]
) -> None:
    """At rest and by a lane; a list glides evenly in octaves, and what has no goal stays."""
    own = {"tilt": 0, "count": 4, "place": "centre"} | MOVES[key] | {key: value}
    for sound in (plain_sound(layer_of("harmonic", **own)), drawn(key, (0.0, value), (4.0, value))):
        wave = render_array(sound, one_note(57, 3.0))[0, RATE : 2 * RATE]
        amplitudes = spectrum(wave)
        peaks = [round(220.0 * n) for n in expected]
        near = [amplitudes[p - 2 : p + 3].max() for p in peaks]
        assert decibels(min(near) / max(near)) > -3.0
        held = np.concatenate([np.arange(p - 12, p + 13) for p in peaks])
        assert decibels(np.delete(amplitudes, held).max() / max(near)) < -60.0


@pytest.mark.parametrize("key", MOVES)
@pytest.mark.parametrize("other", ["all", "every", "list"])
def test_moved_partials_are_exact_in_any_block_and_from_any_start(key: str, other: str) -> None:
    top = {"every": 4.5, "list_glide": 100.0}[key]
    more = {"other_rule": other, "morph": 40, "phases": 100}
    sound = drawn(key, (0.0, 1.5), (2.0, top), **more)

    def heard(block: int, start: float = 0.0) -> np.ndarray:
        return render_array(sound, one_note(57, 2.5), start=start, block=block, ahead=False)

    whole = heard(8_192)
    assert np.array_equal(whole, heard(64))
    late = heard(4_096, 1.3)
    assert np.abs(late - whole[:, -late.shape[1] :]).max() < 1e-6
    # Partials glide; a step would roughen the third difference of what lies around.
    rough = np.abs(np.diff(whole[0].astype(float), 3)).reshape(-1)[: 100 * 1_000]
    blocks = rough.reshape(-1, 1_000).max(axis=1)[20:]
    assert blocks.max() < 6.0 * np.median(blocks)
