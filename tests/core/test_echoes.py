"""Delay, micro-delay, convolution and resonators: times to the sample, tails, energy."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import scipy.signal
import soundfile

from caligo.document import Sound
from caligo.document.upgrading import upgraded_sound
from caligo.effects.convolution import response_of
from caligo.engine.listening.live import Listening
from caligo.engine.render.engine import RATES
from caligo.material.store import VARIABLE, current
from caligo.processing.partitions import LONG, PARTITION, convolve, initial_state, spectra_of
from tests.core.builders import (
    RATE,
    decibels,
    heard_pitch,
    loudest_off,
    one_note,
    plain_layer,
    plain_sound,
)
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


def saw(hertz: float, length: float, rate: int) -> np.ndarray:
    """A saw without anything above 0.4 of the rate or 3 kHz, on both sides ``[2, samples]``."""
    t = np.arange(int(length * rate) // 64 * 64) / rate
    count = max(1, int(min(0.4 * rate, 3_000.0) / hertz))
    waves = [np.sin(2.0 * np.pi * k * hertz * t) / k for k in range(1, count + 1)]
    return np.repeat(0.2 * np.sum(waves, axis=0)[None], 2, axis=0).astype(np.float32)


@pytest.mark.parametrize("rate", [44_100, 96_000])
@pytest.mark.parametrize("cents", [-2_400.0, -1_200.0, -317.0, 700.0, 1_200.0, 1_901.0])
@pytest.mark.parametrize("key", [33, 48, 55.5, 69, 96])
def test_the_loop_shifts_by_its_interval(cents: float, key: float, rate: int) -> None:
    """The second echo of a note is an interval away, as Praat hears it, and as loud as the first.

    Between its partials there is 30 dB less than in the loudest of them.
    """
    hertz = 440.0 * 2.0 ** ((key - 69.0) / 12.0)
    tone = np.zeros((2, int(3.2 * rate) // 64 * 64), np.float32)
    note = saw(hertz, 1.0, rate)
    tone[:, : note.shape[1]] = note
    side = {"left": seconds(1.1), "right": seconds(1.1)}
    fx = effect("delay", rate=rate, pitch_left=cents, pitch_right=cents, pitched=100.0,
                **side, **PLAIN | {"feedback": 100.0})  # fmt: skip
    heard = through(fx, tone)[0]
    first = heard[int(1.3 * rate) : int(1.9 * rate)]
    second = heard[int(2.5 * rate) : int(3.1 * rate)]
    wanted = hertz * 2.0 ** (cents / 1_200.0)
    found = heard_pitch(second, rate, 0.7 * wanted, 1.4 * wanted)
    assert 1_200.0 * abs(math.log2(found / wanted)) < 2.0
    assert decibels(second.std() / first.std()) == pytest.approx(0.0, abs=0.5)
    lines = [k * wanted for k in range(int(0.5 * rate / wanted) + 1)]
    if wanted > 60.0:  # closer lines are not told apart in 0.6 s
        assert loudest_off(second, rate, lines, 0.4 * rate) < -30.0


def test_the_pitch_is_turned_while_it_plays() -> None:
    """From no interval and back: heard at once, and nothing of before once it is turned again."""

    def sound(cents: float) -> Sound:
        params = {"left": seconds(0.1), "right": seconds(0.1), "pitch_left": cents,
                  "pitch_right": cents, "pitched": 100.0, **PLAIN | {"feedback": 90.0}}  # fmt: skip
        echo = {"id": "echo", "kind": "delay", "params": params}
        return plain_sound(plain_layer(table="saw"), master={"effects": [echo]})

    def pitch_after(cents: list[float]) -> float:
        listening = Listening(sound(cents[0]), one_note(45, 30.0))
        for after in cents[1:]:
            for _ in range(24):
                listening.block()
            listening.edit(sound(after))
        made = [listening.block() for _ in range(48)]
        heard = np.concatenate(made, axis=1)[0, -RATE:]
        lines = np.abs(np.fft.rfft(heard * np.hanning(len(heard))))
        # An octave down lies halfway between the partials of the note.
        return float(decibels(lines[54:57].max() / lines[109:112].max()))

    assert pitch_after([0.0]) < -60.0
    assert pitch_after([0.0, -1_200.0]) > -20.0
    assert pitch_after([-1_200.0, 0.0, 0.0]) < pitch_after([-1_200.0]) - 6.0


def test_either_side_is_shifted_by_its_own_interval() -> None:
    tone = np.zeros((2, 3 * RATE), np.float32)
    tone[:, :RATE] = saw(220.0, 1.0, RATE)[:, :RATE]
    fx = effect("delay", left=seconds(1.1), right=seconds(1.1), pitch_left=-498.0,
                pitch_right=386.0, pitched=100.0, **PLAIN | {"feedback": 100.0})  # fmt: skip
    heard = through(fx, tone)[:, int(2.4 * RATE) : int(2.9 * RATE)]
    for side, cents in zip(heard, (-498.0, 386.0), strict=True):
        wanted = 220.0 * 2.0 ** (cents / 1_200.0)
        found = heard_pitch(side, RATE, 0.7 * wanted, 1.4 * wanted)
        assert 1_200.0 * abs(math.log2(found / wanted)) < 2.0


@pytest.mark.parametrize("rate", [44_100, 48_000, 96_000])
@pytest.mark.parametrize("place", [0.0, 0.25, 0.5, 0.93])
@pytest.mark.parametrize("moving", ["tape", "smooth"])
def test_an_echo_between_two_samples_keeps_its_highs(moving: str, place: float, rate: int) -> None:
    """16 kHz comes back as loud as 1 kHz, wherever between two samples the echo lies."""
    time = seconds((9_000.0 + place) / rate)
    levels = []
    for hertz in (1_000.0, 16_000.0):
        fx = effect("delay", rate=rate, left=time, right=time, moving=moving, **PLAIN)
        levels.append(through(fx, sine(hertz, 0.5, 0.3, rate))[0, -8_192:].std())
    assert decibels(levels[1] / levels[0]) == pytest.approx(0.0, abs=0.1)


@pytest.mark.parametrize("crossing", [0.0, 37.0, 100.0])
def test_the_first_echo_is_as_loud_however_far_it_crosses(crossing: float) -> None:
    """At equal power; summed plainly it was 3 dB louder from side to side."""
    burst = np.zeros((2, RATE), np.float32)
    burst[:, :4_800] = noise(0.1)[0, :4_800]
    fx = effect("delay", left=seconds(0.4), right=seconds(0.4), crossing=crossing, **PLAIN)
    heard = through(fx, burst)[:, int(0.39 * RATE) :]
    power = float((heard.astype(float) ** 2).sum() / (burst.astype(float) ** 2).sum())
    assert 0.5 * decibels(power) == pytest.approx(0.0, abs=1.0)


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


def struck(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> str:
    """A recording that falls by 60 dB in a quarter of a second, as a small room answers."""
    monkeypatch.setenv(VARIABLE, str(tmp_path / "shelf"))
    wave = np.random.default_rng(5).standard_normal((2, 72_000))
    wave *= 0.3 * 10.0 ** (-12.0 * np.arange(72_000) / 48_000.0)
    file = tmp_path / "struck.wav"
    soundfile.write(file, wave.T, 48_000, subtype="FLOAT")
    return current().add_recording(file, "struck")[0].key


def answered(**params: Any) -> float:
    """Decibels by which noise is louder behind a convolution."""
    given = noise(5.0)
    heard = through(effect("convolution", mix=100.0, **params), given)[:, 96_000:]
    return float(decibels(heard.std() / given.std()))


@pytest.mark.parametrize("reverse", [False, True])
@pytest.mark.parametrize("length", [0.15, 0.6, 1.2])
def test_a_space_is_as_loud_from_its_end(
    length: float, reverse: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Most of a reversed answer's energy lies in its last moments, which were left out."""
    key = struck(tmp_path, monkeypatch)
    params = {"recording": key, "reverse": reverse, "length": length, "decay": 0.0}
    change = answered(**params)
    assert abs(change) < 0.5
    louder = answered(law="early", **params) - change
    assert louder > (8.0 if reverse and length > 0.5 else -0.1)


def test_convolutions_of_older_documents_are_levelled_as_they_were() -> None:
    def law(schema: int, **params: Any) -> dict[str, Any]:
        part = {"id": "c", "kind": "convolution", "params": params}
        data = {"schema": schema, "name": "Old", "layers": [], "master": {"effects": [part]}}
        found: dict[str, Any] = upgraded_sound(data)["master"]["effects"][0]["params"]
        return found

    for schema in (1, 5, 11, 12):
        assert law(schema, mix=20.0) == {"law": "early", "mix": 20.0}
    assert law(13, mix=20.0) == {"mix": 20.0}


def test_without_a_recording_the_signal_is_only_late() -> None:
    given = noise(0.5)
    heard = through(effect("convolution"), given)
    assert np.array_equal(heard[:, PARTITION:], given[:, :-PARTITION])


@pytest.mark.parametrize("decay", [0.5, 3.0, 12.0])
@pytest.mark.parametrize(
    ("semitones", "rate"),
    [(-21.0, 48_000), (0.0, 44_100), (26.0, 96_000), (36.0, 48_000), (47.7, 44_100),
     (63.0, 44_100), (63.0, 96_000)],
)  # fmt: skip
@pytest.mark.parametrize("damping", [500.0, 6_000.0, 20_000.0])
def test_strings_ring_in_tune_and_as_long_as_they_say(
    semitones: float, rate: int, decay: float, damping: float
) -> None:
    """Equal temperament over the root; 60 dB in the time set, by Schroeder's integration."""
    hertz = 110.0 * 2.0 ** (semitones / 12.0)
    fx = effect("resonators", chord=[semitones - 3.0], root=110.0 * 2.0**0.25, decay=decay,
                damping=damping, spread=0.0, mix=100.0, rate=rate)  # fmt: skip
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


def test_overtones_fade_sooner_above_the_damping() -> None:
    """A string at 220 Hz: its tenth partial rings shorter at 1 kHz of damping than at 10 kHz."""
    left = []
    for damping in (1_000.0, 10_000.0):
        fx = effect("resonators", chord=[0.0], root=220.0, decay=4.0, damping=damping, spread=0.0,
                    mix=100.0)  # fmt: skip
        heard = through(fx, impulse(2.0))[0, RATE:].astype(float)
        lines = np.abs(np.fft.rfft(heard * np.hanning(len(heard))))
        left.append(decibels(lines[2_190:2_210].max() / lines[210:230].max()))
    assert left[0] < left[1] - 40.0


def test_older_strings_fade_as_they_did() -> None:
    part = {"id": "s", "kind": "resonators", "params": {"decay": 8.0}}
    old = {"schema": 9, "name": "Old", "layers": [], "master": {"effects": [part]}}
    found = upgraded_sound(old)["master"]["effects"][0]["params"]
    assert found == {"decay": 8.0, "slope": "6"}


def test_an_older_delay_has_its_interval_and_its_sum_of_both_sides() -> None:
    def upgraded(**params: Any) -> dict[str, Any]:
        master = {"effects": [{"id": "echo", "kind": "delay", "params": params}]}
        found = upgraded_sound({"schema": 9, "name": "Old", "layers": [], "master": master})
        made: dict[str, Any] = found["master"]["effects"][0]["params"]
        return made

    assert upgraded(mix=30) == {"mix": 30, "law": "linear"}
    assert upgraded(pitch="none", pitched=40) == {"pitched": 40, "law": "linear"}
    down = {"law": "linear", "pitch_left": -1_200.0, "pitch_right": -1_200.0}
    assert upgraded(pitch="octave_down") == down
    burst = np.zeros((2, RATE), np.float32)
    burst[:, :4_800] = noise(0.1)[0, :4_800]
    old = effect("delay", left=seconds(0.4), crossing=100.0, law="linear", **PLAIN)
    heard = through(old, burst)[0, int(0.39 * RATE) :]
    # Both sides alike, one on top of the other: twice as high, as it was.
    assert np.abs(heard).max() == pytest.approx(2.0 * np.abs(burst).max(), rel=0.05)
