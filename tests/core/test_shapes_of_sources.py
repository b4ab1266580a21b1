"""The parts that sources are built of: rules, orders, warps, masks, each on its own."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from caligo.catalogue import catalogue
from caligo.document import DocumentError, read_sound
from caligo.document.pitch import frequency
from caligo.document.sound import ItemPart
from caligo.engine.render.offline import render_array
from caligo.material.store import current
from caligo.sources.regions import region_mask
from caligo.synthesis import partials as p
from caligo.synthesis.analysis import BINS, HOP, SIZE, analysis_of
from caligo.synthesis.common import unison
from caligo.synthesis.modulation import order_of
from caligo.synthesis.resynthesis import Spectra, advance_frame, to_spectrum, ways_apart
from caligo.synthesis.running import random_phases
from caligo.synthesis.tables import built_in, from_spectra
from caligo.synthesis.warps import BEND, FINE, PULSE, SELF, SYNC, warp
from demo.build import by_name
from tests.core.builders import layer_of, one_note, plain_sound
from tests.sweeps import spread

RULES = [rule.value for rule in p.RULES]


@pytest.mark.parametrize("rule", RULES)
def test_rules_rise_from_the_first_partial(rule: str) -> None:
    numbers = p.numbers_of(rule, 4, [1, 3.5, 9], 256)
    assert numbers[0] == 1
    assert (np.diff(numbers) > 0).all()
    assert len(numbers) <= 256


def test_primes_are_prime() -> None:
    """A sieve (Eratosthenes) as the other way to find them."""
    sieve = np.ones(1620, dtype=bool)
    for n in range(2, 41):
        sieve[2 * n :: n] = False
    assert p.numbers_of("primes", 2, [], 200)[1:].tolist() == np.flatnonzero(sieve)[2:201].tolist()


def shaped(**values: float) -> tuple[np.ndarray, np.ndarray]:
    """Ratios and levels of 64 partials at A2."""
    row = np.zeros(p.VALUES)
    row[p.COUNT], row[p.BAND_CENTRE], row[p.BAND_WIDTH] = 64.0, 800.0, 1.5
    row[p.RIPPLE_LENGTH], row[p.HERTZ], row[p.WIDTH] = 7.0, 110.0, 100.0
    for key, value in values.items():
        row[getattr(p, key)] = value
    numbers = np.arange(1.0, 65.0)
    numbers, ranks, _ = p.joined_rules([numbers] * 3, [0] * 3, 64)
    base, ratio = np.ones((1, 64)), np.ones((1, 64))
    level, pan = np.zeros(64, np.float32), np.zeros(64, np.float32)
    one = np.uint64(1)
    p.ratios(row[None, :], numbers, numbers[None], 1, False, one, base, ratio)
    np.testing.assert_array_equal(base, ratio)
    p.shape.called(row, numbers, ranks, base[0], ratio[0], 3, False, 48_000, one, level, pan)
    assert np.abs(pan).max() <= 1.0
    return ratio[0], level


@settings(max_examples=60)
@given(
    st.lists(st.sampled_from([0.0, 0.0, 700.0]), min_size=2, max_size=6),
    st.sampled_from(["STRETCH", "STIFFNESS", "SCATTER", "BUNDLE_SPREAD", "ENDLESS_AT"]),
    st.sampled_from([1, 3]),
)
def test_ratios_of_many_moments_are_those_of_each(
    trajectory: list[float], moved: str, bundle: int
) -> None:
    """What is not computed again, since nothing changed, is what it would have been."""
    numbers = np.arange(1.0, 17.0)
    values = np.zeros((len(trajectory), p.VALUES))
    values[:, getattr(p, moved)] = trajectory
    one, shape = np.uint64(1), (len(trajectory), 16 * bundle)

    def found(rows: np.ndarray) -> np.ndarray:
        base, ratio = np.empty((len(rows), 16)), np.empty((len(rows), shape[1]))
        p.ratios(rows, numbers, numbers[None], bundle, True, one, base, ratio)
        return ratio

    whole = found(values)
    np.testing.assert_array_equal(whole, np.concatenate([found(row[None]) for row in values]))
    if len(set(trajectory)) > 1 and (moved != "BUNDLE_SPREAD" or bundle > 1):
        assert np.ptp(whole, axis=0).max() > 0.0


@settings(max_examples=80)
@given(
    st.floats(1, 64), st.floats(-24, 6), st.floats(-200, 200), st.floats(0.1, 20000),
    st.floats(0, 48), st.floats(0, 100),
)  # fmt: skip
def test_any_shape_keeps_its_power(
    count: float, tilt: float, stretch: float, stiff: float, ripple: float, scatter: float
) -> None:
    ratio, level = shaped(COUNT=count, TILT=tilt, STRETCH=stretch, STIFFNESS=stiff,
                          RIPPLE=ripple, SCATTER=scatter)  # fmt: skip
    assert np.isfinite(ratio).all()
    # The root mean square of the sum is 1, unless nearly all is beyond half the sample rate.
    power = 0.5 * np.sum(level.astype(float) ** 2)
    assert power == pytest.approx(1.0, abs=1e-3) or power < 1.0


def test_a_band_lets_its_partials_stand_out() -> None:
    _, level = shaped(BAND=100.0, BAND_CENTRE=1100.0, BAND_WIDTH=0.5)
    assert level.argmax() == 9
    assert level[0] < 1e-3 * level[9]


def test_a_ripple_has_its_crests_where_it_says() -> None:
    _, level = shaped(RIPPLE=40.0, RIPPLE_LENGTH=8.0, RIPPLE_AT=0.25)
    crests = np.flatnonzero((level[1:-1] > level[:-2]) & (level[1:-1] > level[2:])) + 2
    assert np.diff(crests).tolist() == [8] * (len(crests) - 1)
    assert crests[0] % 8 == 2


@settings(max_examples=80)
@given(st.integers(1, 8).flatmap(lambda n: st.tuples(st.just(n), st.lists(
    st.tuples(st.integers(0, n - 1), st.integers(0, n - 1)), max_size=20))))  # fmt: skip
def test_operators_come_after_what_acts_on_them(graph: tuple[int, list[tuple[int, int]]]) -> None:
    count, links = graph
    order, circle = order_of(count, links)
    assert sorted(order) == list(range(count))
    rank = {o: i for i, o in enumerate(order)}
    for a, b in links:
        assert rank[a] < rank[b] or (circle[a] == circle[b] != -1)
    # The members of a circle stand side by side.
    for group in set(circle) - {-1}:
        places = sorted(rank[o] for o in range(count) if circle[o] == group)
        assert places == list(range(places[0], places[0] + len(places)))


def cycle_of(kind: int, amount: float, key: str = "sine") -> np.ndarray:
    full = built_in(key).level()
    out = np.empty(FINE)
    warp.called(full[0], full[0], 0.0, kind, amount, out)
    return out / np.abs(full[0]).max()


def test_warps_are_what_their_names_say() -> None:
    t = np.arange(FINE) / FINE
    np.testing.assert_allclose(cycle_of(BEND, 0.0), np.sin(2 * np.pi * t), atol=1e-5)
    bent = cycle_of(BEND, 0.8)
    assert bent.argmax() / FINE == pytest.approx(0.5 * (0.5 - 0.475 * 0.8), abs=0.002)
    np.testing.assert_allclose(cycle_of(SYNC, 1.0), np.sin(16 * np.pi * t), atol=2e-4)
    pulse = cycle_of(PULSE, 0.5)
    assert np.abs(pulse[int(0.53 * FINE) :]).max() < 1e-6
    own = cycle_of(SELF, 0.2)
    expected = np.sin(2 * np.pi * (t + 0.2 * 0.5 * np.sin(2 * np.pi * t) * 0.99))
    assert np.abs(own - expected).max() < 0.02


def test_spectra_become_cycles_of_equal_level() -> None:
    coefficients = np.zeros((3, 40), dtype=complex)
    coefficients[0, 0], coefficients[1, 4], coefficients[2, :] = 1.0, 0.001j, 5.0
    table = from_spectra(coefficients)
    rms = table.level()[:, :-1].std(axis=1)
    assert rms == pytest.approx([rms[0]] * 3, rel=1e-4)
    assert np.abs(np.fft.rfft(table.level()[1, :-1])).argmax() == 5


def region(**params: Any) -> ItemPart:
    whole = {"does": "remove", "start": 1.0, "end": 2.0, "low": 500.0, "high": 2000.0, "edge": 20.0}
    return ItemPart(id="r", kind="region", params=whole | params)


def test_regions_are_soft_at_their_edges_and_join() -> None:
    recording = current().recording(by_name()["hummed_vowel"])
    assert recording is not None
    analysis = analysis_of(recording)
    mask = region_mask([region()], analysis)
    frame = round(1.5 * analysis.rate / HOP)
    bin_of = round(1000.0 * SIZE / analysis.rate)
    assert mask.shape == (analysis.frames, BINS)
    assert mask[frame, bin_of] == 0.0
    assert mask[frame, 4 * bin_of] == 1.0
    assert mask[0, bin_of] == 1.0
    edge = mask[:, bin_of]
    assert ((edge > 0.05) & (edge < 0.95)).sum() >= 2
    both = region_mask([region(), region(does="keep", low=900.0, high=8000.0)], analysis)
    assert both[frame, 4 * bin_of] == 1.0
    assert both[frame, bin_of] == 0.0
    assert both[frame, bin_of // 4] == 0.0
    assert region_mask([], analysis).size == 0


def test_a_frame_carries_its_peaks_phase_on() -> None:
    """A steady sine's phase turns by its frequency from frame to frame."""
    magnitude = np.zeros((2, BINS), np.float32)
    frequency = np.tile(np.arange(BINS, dtype=np.float32), (2, 1))
    magnitude[:, 98:103] = (0.1, 0.5, 1.0, 0.5, 0.1)
    frequency[:, 98:103] = 100.3
    values = np.array([0.0, 0.0, 0.0, -80.0, 0.0, 1.0, 0.0, 0.0, 100.0, 0.0])
    none = np.empty((0, 0), np.float32)
    played = Spectra(magnitude, none, frequency, none, none)
    phases, sides = np.empty((2, BINS)), np.empty(BINS)
    ways_apart(np.uint64(3), sides)
    for turn in range(2):
        random_phases(np.uint64(3), turn, phases[turn])
    before = phases[:, 100].copy()
    level, work = np.empty(BINS), np.empty((4, BINS))
    for _ in range(4):
        advance_frame.called(values, played, HOP / SIZE, phases, level, work)
    turned = 4 * 100.3 * HOP / SIZE
    wrong = (phases[:, 100] - before - turned + 0.5) % 1.0 - 0.5
    assert wrong == pytest.approx([0.0, 0.0], abs=1e-4)
    assert level[98:103] == pytest.approx([0.1, 0.5, 1.0, 0.5, 0.1])
    assert np.abs(sides).max() <= 0.25
    out = np.zeros((2, BINS), np.complex64)
    waves, more = np.empty((4, BINS), np.float32), np.empty((2, BINS))
    to_spectrum.called(level, phases[0], 2.0, 0.0, 0.0, sides, np.uint64(1), 0, more, waves, out)
    np.testing.assert_allclose(np.abs(out[0, 98:103]), 2 * level[98:103], rtol=1e-4)
    np.testing.assert_array_equal(out[0], out[1])


def oscillators(layer: dict[str, Any], seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """Offsets, as irregularity rests, and intervals of a layer's unison."""
    source = plain_sound(layer).layers[0].source
    found = unison(source, seed)
    return found.offsets(source.number("irregularity")), found.intervals


def test_unison_spreads_each_interval_to_both_sides() -> None:
    layer = layer_of("wavetable", unison=6, pattern="octaves")
    offsets, intervals = oscillators(layer)
    assert intervals.tolist() == [0, 1200, -1200, 0, 1200, -1200]
    for interval in (0, 1200, -1200):
        assert offsets[intervals == interval].tolist() == [-1, 1]
    one, none = oscillators(layer_of("wavetable"))
    assert (one.tolist(), none.tolist()) == ([0], [0])


def level_of(offsets: np.ndarray, hertz: float) -> np.ndarray:
    """The level of sines 12 ct apart at most, for 90 s, every 50 ms."""
    times = np.arange(0.0, 90.0, 0.05)
    pitches = hertz * 2.0 ** (12.0 * offsets / 1200.0)
    begin = np.random.default_rng(4).uniform(size=len(offsets))
    return np.abs(np.exp(2j * np.pi * (pitches[:, None] * times + begin[:, None])).sum(axis=0))


def best_repeat(level: np.ndarray) -> float:
    """The highest correlation of a level with itself a second to half a minute later."""
    return max(
        float(np.corrcoef(level[:-lag], level[lag:])[0, 1]) for lag in range(20, 600)
    )  # steps of 50 ms


@pytest.mark.parametrize(("count", "hertz"), spread([7, 12, 24], [110.0, 220.0, 1046.5]))
def test_an_uneven_unison_does_not_come_round(count: int, hertz: float) -> None:
    """Even oscillators do: the beats of neighbours are all equally quick (trigonometry)."""

    def repeats(irregularity: float, seed: int) -> float:
        layer = layer_of("wavetable", unison=count, irregularity=irregularity)
        return best_repeat(level_of(oscillators(layer, seed)[0], hertz))

    assert repeats(0.0, 1) > 0.9
    # Of seven voices some chances still come near; of twelve and more none.
    assert max(repeats(70.0, seed) for seed in range(8)) < (0.87 if count == 7 else 0.6)


@pytest.mark.parametrize("count", [2, 3, 7, 24])
def test_uneven_oscillators_keep_their_order_and_reach(count: int) -> None:
    for seed in range(20):
        layer = layer_of("wavetable", unison=count, irregularity=100.0)
        offsets, _ = oscillators(layer, seed)
        assert (offsets[0], offsets[-1]) == (-1.0, 1.0)
        assert (np.diff(offsets) > 0.0).all()


def test_every_source_in_unison_may_be_uneven() -> None:
    kinds = [m for m in catalogue() if any(p.key == "unison" for p in m.parameters)]
    assert len(kinds) >= 6
    assert all(any(p.key == "irregularity" for p in m.parameters) for m in kinds)


@pytest.mark.parametrize(
    ("params", "message"),
    [
        ({"intervals": [0, 99]}, "up to 24 numbers from -36 to 36"),
        ({"intervals": list(range(25))}, "up to 24 numbers"),
        ({"intervals": 7}, "a list of numbers is wanted"),
        ({"intervals": ["fifth"]}, "."),
        ({"cut": 12}, "the id of a table"),
    ],
)
def test_lists_and_references_are_checked(params: dict[str, Any], message: str) -> None:
    with pytest.raises(DocumentError, match=message):
        read_sound({"name": "X", "layers": [layer_of("wavetable", **params)]})


def test_routes_lead_to_items() -> None:
    items = [{"id": "operator1", "kind": "operator", "params": {}}]
    more = {"modulators": [{"id": "m", "name": "M", "kind": "lfo"}]}
    route = {"id": "r", "from": "m", "to": "ground.source.operator1.ratio", "depth": 1}
    sound = plain_sound(layer_of("operators", items), routes=[route], **more)
    assert sound.routes[0].target == "ground.source.operator1.ratio"
    lost = {**route, "to": "ground.source.operator2.ratio"}
    with pytest.raises(DocumentError, match="operator2"):
        plain_sound(layer_of("operators", items), routes=[lost], **more)


@pytest.mark.parametrize("kind", ["wavetable", "harmonic", "operators"])
@pytest.mark.parametrize("rate", [44_100, 48_000])
def test_a_pitch_above_what_a_rate_holds_fades_out(kind: str, rate: int) -> None:
    """G9 moved up: whole below 0.42 of the rate, falling without a step, gone from 0.45 on."""
    params = {"wavetable": {"table": "sine"}, "harmonic": {"count": 1}, "operators": {}}[kind]
    levels = []
    for cents in np.linspace(0.0, 1200.0, 13):
        layer = layer_of(kind, **params) | {"params": {"transpose": cents / 100.0}}
        heard = render_array(plain_sound(layer), one_note(127, 1.0), rate=rate)[0, rate // 2 :]
        levels.append(heard.std())
    left = np.array(levels) / levels[0]
    place = frequency(127) * 2.0 ** (np.linspace(0.0, 1.0, 13)) / rate
    assert left[place < 0.415] == pytest.approx(1.0, abs=0.05)
    assert left[place > 0.455].max() < 1e-3
    assert (np.diff(left) < 0.02).all()
