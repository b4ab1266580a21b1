"""Level, direct current, the reverb, and what is the same at every rate."""

from __future__ import annotations

import tempfile
from functools import cache
from itertools import product
from pathlib import Path

import numpy as np
import pyloudnorm
import pytest
from scipy.signal import welch

from caligo.document import Sound, read_score, read_sound
from caligo.engine.render.offline import render_array
from caligo.measure.loudness import LoudnessMeter
from demo.scores import CUES
from demo.sounds import SOUNDS
from tests.core.builders import RATE, decibels, layer_of, one_note, plain_layer, plain_sound
from tests.core.effects import effect, impulse, pink_noise, through
from tests.core.test_echoes import answered, struck
from tests.core.test_effects import echo_density, highest, reverb_time
from tests.core.test_measure import stepped
from tests.core.test_sources_of_material import NAMES, SUSTAINED, loudness_of, zone
from tests.core.test_unison_drift import KINDS, best_repeat, in_unison
from tests.figures.figure import Figure

RATES = (44_100, 48_000, 96_000)
SIZES = (40.0, 100.0, 200.0)
TAKES = 4
"""How often a demo sound is taken for each rate."""


def standing() -> float:
    """Direct current of a saw in ring modulation by its own pitch, against all of it."""
    params = {"ring_by": "sine", "ring_ratio": 1.0, "ring_amount": 100.0}
    heard = render_array(plain_sound(plain_layer(table="saw") | {"params": params}),
                         one_note(48, 6.0))  # fmt: skip
    window = np.hanning(3 * RATE)
    middle = heard[:, 2 * RATE : 5 * RATE].astype(np.float64)
    return float(decibels(np.abs(middle @ window).max() / window.sum() / middle.std()))


def start_levels() -> float:
    """LU between the loudest and the softest shipped recording that sustains, at C4."""
    return float(np.ptp([
        loudness_of(layer_of("sampler", [zone(NAMES[name])]), 60) for name in SUSTAINED
    ]))  # fmt: skip


def wet_level() -> float:
    """How far pink noise through the reverb is from as loud as it was, 1 to 30 s, any size."""
    found = []
    for decay, size in product((1.0, 3.0, 30.0), SIZES):
        given = pink_noise(1.2 * decay + 12.0)
        heard = through(effect("reverb", decay=decay, size=size), given)
        last = slice(-10 * RATE, None)
        found.append(abs(float(decibels(heard[:, last].std() / given[:, last].std()))))
    return max(found)


@cache
def response(decay: float, size: float, seconds: float) -> np.ndarray:
    """The impulse response of the reverb, undamped ``[2, samples]``."""
    fx = effect("reverb", decay=decay, size=size, damping=20_000, low_cut=20, pre_delay=0)
    return through(fx, impulse(seconds)).astype(np.float64)


def modes() -> float:
    """By how much a mode stands out more than a line of noise does, late in the tail."""
    middles = 1_000.0 * 2.0 ** (np.arange(-12, 10) / 3.0)
    noise = np.random.default_rng(3).standard_normal((6, 8 * RATE))
    chance = np.mean([highest(one, middles) for one in noise], axis=0)
    found = []
    for decay, size in product((12.0, 30.0), SIZES):
        late = response(decay, size, 13.0)[:, 5 * RATE :].copy()
        late *= 10.0 ** (3.0 * np.arange(late.shape[1]) / RATE / decay)
        found.append((np.mean([highest(x, middles) for x in late], axis=0) - chance).max())
    return float(max(found))


def dense_from() -> float:
    """Milliseconds after a click from which on echoes are as dense as noise (0.9 of it)."""
    width, found = round(0.02 * RATE), []
    for size in SIZES:
        for side in response(12.0, size, 1.0):
            starts = np.arange(round(0.03 * RATE), round(0.6 * RATE), RATE // 200)
            dense = np.array([echo_density(side[at : at + width]) > 0.85 for at in starts])
            last = starts[np.flatnonzero(~dense)[-1]] if (~dense).any() else starts[0]
            found.append(1_000.0 * (last + width / 2) / RATE)
    return max(found)


def decays() -> float:
    """Per cent by which T30 is off in octaves from 125 Hz to 4 kHz, from 1 to 30 s."""
    found = []
    for decay, size in product((1.0, 3.0, 30.0), SIZES):
        side = response(decay, size, decay * 0.85 + 0.8)[0]
        for middle in 125.0 * 2.0 ** np.arange(6):
            seconds = reverb_time(side, middle / np.sqrt(2), middle * np.sqrt(2))
            found.append(100.0 * abs(seconds / decay - 1.0))
    return float(max(found))


def repeats() -> float:
    """The best repeat of the level of a unison within 30 s, over all sources."""
    found = []
    for kind in KINDS:
        heard = render_array(plain_sound(in_unison(kind)), one_note(72, 64.0)).astype(float)
        cells = (heard[:, : 64 * RATE] ** 2).reshape(2, -1, RATE // 20).mean(axis=(0, 2))
        found.append(best_repeat(np.sqrt(cells[40:-40])))
    return float(max(found))


@cache
def at_rates(name: str) -> tuple[float, float]:
    """LU and per cent of the centre by which a sound differs between rates.

    What is drawn by chance is drawn anew at each rate, as control ticks are of another length: so
    spectra and loudness are means of several takes, whose notes have other names.
    """
    made: dict[str, Sound] = {sound.name: sound for sound in map(read_sound, (m() for m in SOUNDS))}
    takes = [one_note(60, 20.0)]
    if name in made:
        cue = next(c for c in CUES if name in c.sounds)
        sound, takes = made[name], []
        for take in range(TAKES):
            takes.append(read_score(cue.score.model_dump(mode="json")))
            for note in takes[-1].notes:
                note.id += f"-{take}"
    else:
        source = {"noise": {"tilt": -6}, "dust": {"dust": 100},
                  "spectral": {"recording": NAMES["glass_harmonic"]}}[name]  # fmt: skip
        kind = "spectral" if name == "spectral" else "noise"
        sound = plain_sound(layer_of(kind, **source))
    loudness, centres = [], []
    for rate in RATES:
        total, loud = np.zeros(rate // 40 + 1), []
        for score in takes:
            heard = render_array(sound, score, length=20.0, rate=rate, threads=2)
            hertz, power = welch(heard.astype(np.float64), rate, nperseg=rate // 20)
            total += power.mean(axis=0)
            loud.append(pyloudnorm.Meter(rate).integrated_loudness(heard.T.astype(np.float64)))
        audible = (hertz > 30.0) & (hertz < 16_000.0)
        centres.append((total * hertz)[audible].sum() / total[audible].sum())
        loudness.append(float(np.mean(loud)))
    return float(np.ptp(loudness)), float(100.0 * (max(centres) / min(centres) - 1.0))


def rates_of(number: int, names: tuple[str, ...]) -> float:
    """The worst of several sounds."""
    return max(at_rates(name)[number] for name in names)


def momentary() -> float:
    """LU by which a burst of 0.4 s reads wrong, wherever it begins (Tech 3341, case 13)."""
    found = []
    for number in range(20):
        meter = LoudnessMeter(RATE)
        meter.add(stepped((-200.0, 0.02 * number + 0.007), (-23.0, 0.4), (-200.0, 1.0)))
        found.append(abs(meter.loudest_momentary() + 23.0))
    return max(found)


NOISES = ("noise", "dust", "spectral")
DEMOS = tuple(make()["name"] for make in SOUNDS)


def small_rooms() -> float:
    """LU by which reflections of pink noise are off what goes in, wide and in mono."""
    wide = np.vstack([pink_noise(6.0, seed=seed)[0] for seed in (1, 2)])
    worst = 0.0
    for noise, size, distance in product(
        (wide, np.repeat(wide[:1], 2, axis=0)), (2.0, 3.0, 5.7, 21.0), (7.0, 55.0, 93.0)
    ):
        fx = effect("reflections", size=size, distance=distance, damping=20_000, mix=100)
        before, after = (
            pyloudnorm.Meter(RATE).integrated_loudness(s[:, RATE:].T.astype(float))
            for s in (noise, through(fx, noise))
        )
        worst = max(worst, abs(float(after - before)))
    return worst


def answers() -> float:
    """The answer of a small room from its beginning and from its end, cut off at any place."""
    found = []
    with tempfile.TemporaryDirectory() as folder, pytest.MonkeyPatch.context() as patch:
        key = struck(Path(folder), patch)
        for length, reverse, decay in product((0.1, 0.33, 1.0, 1.4), (False, True), (0.0, 30.0)):
            params = {"recording": key, "length": length, "reverse": reverse, "decay": decay}
            found.append(abs(answered(**params)))
    return max(found)


FIGURES = (
    Figure("standing", "Direct current of a layer, against the layer", -40.0, "dB", standing),
    Figure("start-levels", "Shipped recordings at C4, loudest against softest", 3.0, "LU",
           start_levels),
    Figure("wet", "Reverb: off from as loud as what goes in, 1 to 30 s, size 40 to 200", 2.0, "dB",
           wet_level),
    Figure("small-rooms", "Early reflections: pink noise off from what goes in, 2 to 21 m", 2.0,
           "LU", small_rooms),
    Figure("answers", "Convolution: noise off from what goes in, both ways, 0.1 to 1.4 s", 1.0,
           "dB", answers),
    Figure("modes", "Reverb: modes above what noise shows", 6.0, "dB", modes),
    Figure("dense", "Reverb: as dense as noise from", 100.0, "ms", dense_from),
    Figure("decays", "Reverb: decay off in octaves from 125 Hz to 4 kHz", 10.0, "%", decays),
    Figure("repeats", "Best repeat of a unison's level within 30 s", 0.8, "", repeats),
    Figure("noise-loudness", "Noise, dust, spectral: loudness between rates", 0.5, "LU",
           lambda: rates_of(0, NOISES)),
    Figure("noise-centre", "Noise, dust, spectral: centroid between rates", 3.0, "%",
           lambda: rates_of(1, NOISES)),
    Figure("demo-loudness", "Demo sounds: loudness between rates", 0.5, "LU",
           lambda: rates_of(0, DEMOS)),
    Figure("demo-centre", "Demo sounds: centroid between rates", 3.0, "%",
           lambda: rates_of(1, DEMOS)),
    Figure("momentary", "Greatest momentary loudness of a burst, off by", 0.1, "LU", momentary),
)  # fmt: skip
