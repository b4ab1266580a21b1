"""Delay, micro-delay, convolution and resonators: times to the sample, tails, energy."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
import scipy.signal

from caligo.effects.convolution import response_of
from caligo.engine.render.engine import RATES
from caligo.material.store import current
from caligo.processing.partitions import LONG, PARTITION, convolve, initial_state, spectra_of
from tests.core.builders import RATE, decibels
from tests.core.effects import effect, impulse, noise, sine, through


def seconds(value: float, unit: str = "s") -> dict[str, Any]:
    return {"value": value, "unit": unit}


PLAIN: dict[str, Any] = {"damping": 20_000.0, "low_cut": 20.0, "mix": 100.0, "feedback": 0.0}


@pytest.mark.parametrize("rate", RATES)
def test_echoes_come_to_the_sample(rate: int) -> None:
    fx = effect("delay", left=seconds(0.25), right=seconds(0.003), rate=rate, **PLAIN)
    heard = through(fx, impulse(1.0, rate))
    assert np.abs(heard[0]).argmax() == round(0.25 * rate)
    assert np.abs(heard[1]).argmax() == round(0.003 * rate)
    assert np.abs(heard[0]).max() == pytest.approx(1.0, abs=1e-6)


def test_a_time_in_beats_follows_the_tempo() -> None:
    """An eighth at 120 BPM is a quarter of a second; common practice."""
    fx = effect("delay", left=seconds(0.5, "beats"), right=seconds(1.0, "beats"), **PLAIN)
    heard = through(fx, impulse(1.0))
    assert [int(np.abs(side).argmax()) for side in heard] == [RATE // 4, RATE // 2]


@pytest.mark.parametrize("feedback", [30.0, 70.0, 95.0])
def test_each_echo_is_as_much_softer_as_feedback_says(feedback: float) -> None:
    fx = effect("delay", left=seconds(0.1), right=seconds(0.1), **PLAIN | {"feedback": feedback})
    tone = np.zeros((2, RATE), np.float32)
    tone[:, :2_368] = sine(1_000.0, 0.05, 0.5)[:, :2_368]
    heard = through(fx, tone)[0]
    levels = [np.std(heard[k * 4_800 : k * 4_800 + 2_400]) for k in range(1, 5)]
    steps = decibels(np.array(levels[1:]) / np.array(levels[:-1]))
    # Damping and low cut at their ends still take a little of 1 kHz.
    assert steps == pytest.approx(np.full(3, decibels(feedback / 100.0)), abs=0.1)


def test_echoes_go_from_side_to_side() -> None:
    """All the crossing: left, right, left (ping-pong; common practice)."""
    fx = effect("delay", left=seconds(0.1), right=seconds(0.1), crossing=100.0,
                **PLAIN | {"feedback": 80.0})  # fmt: skip
    heard = np.abs(through(fx, impulse(0.6)))
    for k in range(1, 5):
        side = heard[(k + 1) % 2, k * 4_800 - 20 : k * 4_800 + 20].max()
        other = heard[k % 2, k * 4_800 - 20 : k * 4_800 + 20].max()
        assert side > 0.2, k
        assert other < 1e-6, k


@pytest.mark.parametrize(("pitch", "ratio"), [("octave", 2.0), ("fifth", 2 ** (7 / 12)),
                                              ("octave_down", 0.5)])  # fmt: skip
def test_the_loop_shifts_by_its_interval(pitch: str, ratio: float) -> None:
    """The second echo of a tone, all of it shifted, is an interval away (equal temperament)."""
    tone = np.zeros((2, 3 * RATE), np.float32)
    tone[:, :RATE] = 0.5 * sine(600.0, 1.0)[:, :RATE]
    fx = effect("delay", left=seconds(1.1), right=seconds(1.1), pitch=pitch, pitched=100.0,
                **PLAIN | {"feedback": 100.0})  # fmt: skip
    heard = through(fx, tone)[0]
    second = heard[int(2.4 * RATE) : int(2.9 * RATE)]
    lines = np.abs(np.fft.rfft(second * np.hanning(len(second)), 8 * RATE))
    # Two readings in turn put side bands beside the pitch: their middle is it.
    hertz = np.arange(len(lines)) / 8.0
    strong = lines > 0.3 * lines.max()
    middle = float(np.average(hertz[strong], weights=lines[strong] ** 2))
    assert 1200.0 * abs(math.log2(middle / (600.0 * ratio))) < 30.0


def test_smooth_times_do_not_bend_the_pitch_and_tape_does() -> None:
    mover = {"id": "m", "name": "M", "kind": "lfo", "params": {"period": seconds(2.0)}}
    route = {"id": "r", "from": "m", "to": "master.fx.left", "depth": 0.3}
    moving: dict[str, Any] = {"modulators": [mover], "routes": [route]}
    drifts = {}
    for how in ("tape", "smooth"):
        fx = effect("delay", left=seconds(0.2), moving=how, **moving, **PLAIN)
        heard = through(fx, sine(1_000.0, 4.0, 0.5))[0, RATE:]
        lines = np.abs(np.fft.rfft(heard * np.hanning(len(heard))))
        hertz = np.arange(len(lines)) * RATE / len(heard)
        near = np.abs(hertz - 1_000.0) < 25.0
        drifts[how] = np.sum(lines[near] ** 2) / np.sum(lines**2)
    assert drifts["tape"] < 0.5
    assert drifts["smooth"] > 0.5


def test_a_full_loop_stays_bounded_and_says_that_it_never_fades() -> None:
    fx = effect("delay", left=seconds(0.05), right=seconds(0.07), crossing=50.0, diffusion=100.0,
                **PLAIN | {"feedback": 100.0})  # fmt: skip
    assert fx.tail() == math.inf
    heard = through(fx, noise(20.0, 1.0))
    assert np.isfinite(heard).all()
    assert np.abs(heard).max() < 4.0


def test_echoes_give_way_to_what_plays() -> None:
    """Ducked by 18 dB while a loud tone plays, and back once it is over."""
    tone = np.zeros((2, 3 * RATE), np.float32)
    tone[:, : 2 * RATE] = sine(400.0, 2.0, 0.5)
    levels = []
    for ducking in (0.0, 18.0):
        fx = effect("delay", left=seconds(0.4), right=seconds(0.4), ducking=ducking, **PLAIN)
        heard = through(fx, tone)[0]
        levels.append(
            [heard[RATE : 2 * RATE].std(), heard[int(2.3 * RATE) : int(2.4 * RATE)].std()]
        )
    during, left = (decibels(levels[1][i] / levels[0][i]) for i in (0, 1))
    assert during == pytest.approx(-18.0, abs=1.5)
    assert left > -4.0


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("milliseconds", [0.0, 0.5, 16.0, 50.0])
def test_the_micro_delay_is_late_to_the_sample(milliseconds: float, rate: int) -> None:
    fx = effect("micro_delay", left=0.0, right=milliseconds, rate=rate)
    heard = through(fx, impulse(0.2, rate))
    assert np.abs(heard[0]).argmax() == fx.latency()
    wanted = milliseconds * rate / 1_000.0
    # Between samples: the centre of what comes.
    at = np.arange(heard.shape[1])
    centre = float(np.sum(at * heard[1]) / np.sum(heard[1]))
    assert centre - fx.latency() == pytest.approx(wanted, abs=0.01)


def test_16_ms_on_one_side_widen() -> None:
    """Common practice."""
    given = np.repeat(noise(2.0)[:1], 2, axis=0)
    assert np.corrcoef(given)[0, 1] > 0.999
    assert np.corrcoef(through(effect("micro_delay"), given))[0, 1] < 0.1


@pytest.mark.parametrize("length", [100, 2_048, LONG, LONG + 1, 60_001])
def test_partitions_are_scipys_convolution(length: int) -> None:
    """`scipy.signal.fftconvolve`, in blocks of awkward sizes."""
    rng = np.random.default_rng(3)
    response = (rng.standard_normal((2, length)) / math.sqrt(length)).astype(np.float32)
    given = noise(1.5)
    spectra = spectra_of(response)
    state = initial_state(spectra)
    pieces, at = [], 0
    for size in (64, 192, 8_192, 640, 2_048, given.shape[1]):
        piece = np.ascontiguousarray(given[:, at : at + size])
        pieces.append(convolve(piece, at, spectra, state))
        at += size
    heard = np.concatenate(pieces, axis=1)
    for c in range(2):
        wanted = scipy.signal.fftconvolve(given[c].astype(float), response[c].astype(float))
        late = heard[c, PARTITION:]
        assert np.abs(late - wanted[: len(late)]).max() < 2e-6


@pytest.mark.parametrize("reverse", [False, True])
@pytest.mark.parametrize("rate", [44_100, 48_000])
def test_noise_is_answered_as_loud_as_it_came(rate: int, reverse: bool) -> None:
    """The response's energy is one; the tail of the noise is as long as the response."""
    key = next(card.key for card in current().cards() if card.kind == "recording")
    fx = effect("convolution", recording=key, reverse=reverse, length=1.0, mix=100.0, rate=rate)
    given = noise(5.0, rate=rate)
    heard = through(fx, given)
    change = decibels(heard[:, 3 * rate :].std() / given.std())
    # The slower the rate, the more noise lies in each hertz; and the response is a tone: what
    # it makes of noise swells and falls.
    assert abs(change - decibels(np.sqrt(48_000 / rate))) < 2.0
    spectra = response_of(key, current().signature(key), rate, 0.0, 1.0, reverse, 12.0)
    assert spectra is not None
    partitions = spectra.late.shape[1] - 1
    assert LONG * partitions < 1.01 * rate - LONG <= LONG * (partitions + 1)


def test_without_a_recording_the_signal_is_only_late() -> None:
    given = noise(0.5)
    heard = through(effect("convolution"), given)
    assert np.array_equal(heard[:, PARTITION:], given[:, :-PARTITION])


@pytest.mark.parametrize("decay", [0.5, 3.0, 12.0])
@pytest.mark.parametrize(
    ("semitones", "rate"),
    [(-21.0, 48_000), (0.0, 44_100), (19.0, 48_000), (26.0, 96_000), (36.0, 48_000)],
)
def test_strings_ring_in_tune_and_as_long_as_they_say(
    semitones: float, rate: int, decay: float
) -> None:
    """Equal temperament over the root; 60 dB in the time set, by Schroeder's integration."""
    hertz = 110.0 * 2.0 ** (semitones / 12.0)
    fx = effect("resonators", chord=[semitones], root=110.0, decay=decay, damping=20_000.0,
                spread=0.0, mix=100.0, rate=rate)  # fmt: skip
    heard = through(fx, impulse(decay + 2.0, rate))[0].astype(float)
    lines = np.abs(np.fft.rfft(heard[: 2 * rate] * np.hanning(2 * rate), 32 * rate))
    around = lines[int(32 * hertz * 0.97) : int(32 * hertz * 1.03)]
    found = (around.argmax() + int(32 * hertz * 0.97)) / 32.0
    assert 1200.0 * abs(math.log2(found / hertz)) < 3.0
    band = scipy.signal.butter(2, [hertz / 1.2, hertz * 1.2], "bandpass", fs=rate, output="sos")
    energy = np.cumsum(scipy.signal.sosfilt(band, heard)[::-1] ** 2)[::-1]
    curve = 10.0 * np.log10(energy / energy[0] + 1e-12)
    a, b = np.argmax(curve < -5.0), np.argmax(curve < -25.0)
    assert (b - a) / rate * 3.0 == pytest.approx(decay, rel=0.1)
