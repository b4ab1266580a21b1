"""Early reflections and the plate: when, how strongly and how evenly a space answers."""

from __future__ import annotations

import itertools

import numpy as np
import pyloudnorm
import pytest

from caligo.engine.render.offline import render_array
from tests.core.builders import RATE, decibels, one_note, plain_layer, plain_sound
from tests.core.effects import effect, impulse, pink_noise, sine, through
from tests.core.test_effects import echo_density, reverb_time

RNG = np.random.default_rng(5)


def rms(signal: np.ndarray) -> float:
    """The root mean square of both sides."""
    return float(np.sqrt(np.mean(np.square(signal, dtype=np.float64))))


def mirrored(size: float, distance: float) -> list[tuple[float, float]]:
    """Seconds after the direct sound and loudness beside it of what ears at one place hear.

    A mirror image at a time, as Allen and Berkley (JASA 1979) draw them: the source is turned over
    at one wall after the other. The room is 1.26 to 1.59 to 1 (Bolt 1946), sound goes 343 m/s.
    """
    room = np.array([1.26, 1.59, 1.0]) / 1.59 * size
    listener = room * [0.5, 0.88, 0.36]
    source = room * [0.47, 0.88 - 0.76 * distance, 0.41]
    found: dict[tuple[float, ...], tuple[float, int]] = {}
    walls = list(itertools.product(range(3), (0, 1)))

    def turned(place: np.ndarray, wall: tuple[int, int]) -> np.ndarray:
        axis, end = wall
        out = place.copy()
        out[axis] = 2.0 * end * room[axis] - place[axis]
        return out

    direct = float(np.linalg.norm(source - listener))
    for way in [*((w,) for w in walls), *itertools.permutations(walls, 2)]:
        place = source
        for wall in way:
            place = turned(place, wall)
        far = float(np.linalg.norm(place - listener))
        found[tuple(np.round(place, 6))] = (far, len(way))
    return sorted(((far - direct) / 343.0, 0.8**n * direct / far) for far, n in found.values())


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize(("size", "distance"), [(5.0, 30.0), (14.0, 55.0), (40.0, 90.0)])
def test_walls_answer_as_mirrors_do(size: float, distance: float, rate: int) -> None:
    """The first eight answers come when and as strongly as geometry says."""
    fx = effect("reflections", rate=rate, size=size, distance=distance, walls=80, diffusion=0,
                damping=20_000, width=0, mix=100)  # fmt: skip
    heard = np.abs(through(fx, impulse(1.0, rate))).sum(axis=0)
    expected = mirrored(size, distance / 100)
    strengths = []
    for seconds, strength in expected[:8]:
        at = seconds * rate
        near = heard[max(0, round(at) - 3) : round(at) + 4]
        assert near.max() > 0.3 * heard.max() * strength / expected[0][1]
        # Nothing answers between one and the next.
        alone = all(abs(at - other * rate) > 30 for other, _ in expected if other != seconds)
        if alone:
            strengths.append((near.sum(), strength))
            assert heard[round(at) + 12 : round(at) + 18].max() < 0.1 * near.max()
    ratios = [decibels(sum_ / strength) for sum_, strength in strengths]
    # A wall's low-pass takes a little of each; two take more.
    assert np.ptp(ratios) < 2.5
    assert heard[: int(expected[0][0] * rate) - 4].max() < 1e-6


@pytest.mark.parametrize("size", [2.0, 14.0, 60.0])
@pytest.mark.parametrize("walls", [20.0, 95.0])
def test_a_room_has_the_energy_of_what_goes_in(size: float, walls: float) -> None:
    """White noise, of which no two ways are alike."""
    noise = (0.1 * RNG.standard_normal((2, 3 * RATE))).astype(np.float32)
    fx = effect("reflections", law="energy", size=size, walls=walls, damping=20_000, mix=100)
    heard = through(fx, noise)[:, RATE:]
    assert decibels(rms(heard) / rms(noise)) == pytest.approx(0.0, abs=2.0)


@pytest.mark.parametrize("size", [2.0, 3.0, 5.7, 21.0])
@pytest.mark.parametrize(("distance", "walls"), [(7.0, 95.0), (70.0, 55.0), (93.0, 95.0)])
def test_reflections_that_meet_are_as_loud_as_what_goes_in(
    size: float, distance: float, walls: float
) -> None:
    """Pink noise, by `pyloudnorm`: the same on both sides, or another on each."""
    wide = np.vstack([pink_noise(6.0, seed=seed)[0] for seed in (1, 2)])
    for noise in (wide, np.repeat(wide[:1], 2, axis=0)):
        fx = effect("reflections", size=size, distance=distance, walls=walls, damping=20_000,
                    mix=100)  # fmt: skip
        before, after = (
            pyloudnorm.Meter(RATE).integrated_loudness(s[:, RATE:].T.astype(float))
            for s in (noise, through(fx, noise))
        )
        assert after == pytest.approx(before, abs=2.0)


@pytest.mark.parametrize(
    ("key", "rest", "depth"),
    [("walls", 50.0, 40.0), ("diffusion", 50.0, 50.0), ("damping", 4_000.0, 1.0),
     ("level", -10.0, 6.0)],
)  # fmt: skip
def test_a_room_moved_leaves_no_side_bands(key: str, rest: float, depth: float) -> None:
    """A tone of 1 kHz stays a tone but for what 3 Hz make of it."""
    swing = {"id": "m", "name": "M", "kind": "lfo",
             "params": {"period": {"value": 1.0 / 3.0, "unit": "s"}}}  # fmt: skip
    route = {"id": "r", "from": "m", "to": f"master.fx.{key}", "depth": depth}
    fx = effect("reflections", modulators=[swing], routes=[route], **{key: rest})
    tone = 0.25 * np.sin(2 * np.pi * 1000 * np.arange(3 * RATE) / RATE)
    heard = through(fx, np.stack([tone, tone]))[0, RATE:].astype(np.float64)
    found = decibels(np.abs(np.fft.rfft(heard * np.kaiser(len(heard), 18.0))))
    hertz = np.fft.rfftfreq(len(heard), 1 / RATE)
    assert found[np.abs(hertz - 1000) > 120].max() < found.max() - 80


def test_a_wide_room_is_wide_and_a_narrow_one_is_not() -> None:
    mono = np.repeat((0.1 * RNG.standard_normal((1, 2 * RATE))).astype(np.float32), 2, axis=0)
    for width, low, high in ((0, 0.0, 1e-6), (100, 0.3, 2.0)):
        # Diffusers differ from side to side and would widen by themselves.
        heard = through(effect("reflections", width=width, diffusion=0, mix=100), mono)[:, RATE:]
        apart = rms(heard[0] - heard[1]) / rms(heard[0] + heard[1])
        assert low <= apart <= high


@pytest.mark.parametrize(
    ("decay", "size"), [(0.5, 50.0), (1.0, 100.0), (3.0, 100.0), (8.0, 200.0), (20.0, 100.0)]
)
def test_a_plate_decays_as_long_as_it_says(decay: float, size: float) -> None:
    """T30 (ISO 3382-1) in four octaves, within 10 % and a fifth below a second."""
    fx = effect("plate", decay=decay, size=size, damping=20_000, low_cut=20)
    response = through(fx, impulse(decay * 0.85 + 0.8))[0]
    for low in (300, 600, 1_200, 2_400):
        assert reverb_time(response, low, 2 * low) == pytest.approx(
            decay, rel=0.1 if decay > 1.0 else 0.2
        )


@pytest.mark.parametrize(("decay", "size"), [(0.3, 50.0), (1.0, 200.0), (3.0, 100.0), (30.0, 60.0)])
@pytest.mark.parametrize("rate", [44_100, 96_000])
def test_a_plate_is_as_loud_as_what_goes_in(decay: float, size: float, rate: int) -> None:
    given = pink_noise(min(1.2 * decay, 20.0) + 4.0, rate=rate)
    fx = effect("plate", decay=decay, size=size, rate=rate, low_cut=20, damping=20_000)
    last = slice(-3 * rate, None)
    heard = through(fx, given)[:, last]
    assert decibels(rms(heard) / rms(given[:, last])) == pytest.approx(0.0, abs=2.0)


def test_a_plate_is_dense_at_once() -> None:
    """As dense as noise (Abel and Huang 2006) from 80 ms on, and no line of its tail whistles."""
    response = through(effect("plate", decay=12, damping=20_000, low_cut=20), impulse(9.0))[0]
    for start in np.arange(0.08, 0.5, 0.02):
        piece = response[int(start * RATE) : int((start + 0.02) * RATE)]
        assert echo_density(piece) > 0.8
    late = response[6 * RATE : 6 * RATE + (1 << 16)]
    power = np.abs(np.fft.rfft(late * np.hanning(len(late)))) ** 2
    around = np.convolve(power, np.ones(301) / 301, mode="same")
    # Of noise, power in a bin is exponential: the largest of 10,000 lies near 10 dB over the mean.
    # No mode is to stand out by 6 dB more.
    assert 10 * np.log10((power / around)[200:10_900].max()) < 16.0


def test_a_plate_is_wide_and_its_width_can_be_closed() -> None:
    for width, most in ((100.0, 0.3), (0.0, 1.01)):
        heard = through(effect("plate", width=width), impulse(2.0))[:, RATE // 4 :]
        together = np.corrcoef(heard)[0, 1]
        assert (abs(together) < most) if width else together > 0.999


@pytest.mark.parametrize(("key", "rest"), [("decay", 3.0), ("damping", 4_000.0)])
def test_a_plate_moved_fast_makes_no_side_bands(key: str, rest: float) -> None:
    swing = {"id": "m", "name": "M", "kind": "lfo",
             "params": {"period": {"value": 0.25, "unit": "s"}}}  # fmt: skip
    route = {"id": "r", "from": "m", "to": f"master.fx.{key}", "depth": 1.0}
    fx = effect("plate", movement=0, modulators=[swing], routes=[route], **{key: rest})
    heard = through(fx, sine(1_000.0, 10.0, 0.2))[0, -6 * RATE :]
    found = np.abs(np.fft.rfft(heard * np.kaiser(len(heard), 18.0)))
    hertz = np.fft.rfftfreq(len(heard), 1.0 / RATE)
    assert decibels(found[np.abs(hertz - 1_000) > 200].max() / found.max()) < -80


@pytest.mark.parametrize("kind", ["plate", "reflections"])
def test_a_moved_space_is_the_same_in_blocks_of_64(kind: str) -> None:
    movers = [{"id": "m", "name": "M", "kind": "lfo",
               "params": {"period": {"value": 1.7, "unit": "s"}}}]  # fmt: skip
    routes = [{"id": key, "from": "m", "to": f"master.fx.{key}", "depth": depth}
              for key, depth in (("size", 0.4 if kind == "reflections" else 30.0), ("mix", 30.0),
                                 ("damping", 1.0))]  # fmt: skip
    fx = {"id": "fx", "kind": kind, "params": {"mix": 50}}
    sound = plain_sound(plain_layer(table="saw"), master={"effects": [fx]}, modulators=movers,
                        routes=routes)  # fmt: skip
    large = render_array(sound, one_note(50, 2.0))
    assert np.array_equal(large, render_array(sound, one_note(50, 2.0), block=64, ahead=False))
