"""Folding, images and ticks: what is heard beside the partials that there should be."""

from __future__ import annotations

import tempfile
from itertools import product
from pathlib import Path

import numpy as np
import pytest

from caligo.document import read_sound
from caligo.document.pitch import frequency
from caligo.engine.render.offline import render_array
from caligo.material.store import VARIABLE, current
from tests.core.builders import (
    RATE,
    decibels,
    layer_of,
    loudest_off,
    one_note,
    plain_layer,
    plain_sound,
)
from tests.core.effects import effect, sine, through
from tests.core.test_between_layers import layer, modulated, worst_fold
from tests.core.test_operators import acts, operator, operators, worst_alias
from tests.core.test_reading_material import beside_the_tone, transposed
from tests.core.test_sources_of_material import taken
from tests.core.test_sweeping import folded
from tests.core.test_wavetable import GLIDES, between_partials, glided, worst_stretch
from tests.figures.figure import Figure

RATES = (44_100, 48_000, 96_000)


def between_copies(kind: str) -> float:
    """A recorded tone moved by semitones that lie between the copies of the material."""
    seconds = np.arange(8 * RATE) / RATE
    found = []
    with tempfile.TemporaryDirectory() as folder, pytest.MonkeyPatch.context() as patch:
        patch.setenv(VARIABLE, f"{folder}/shelf")
        for hertz in (997.0, 5_021.0, 9_007.0):
            wave = 0.5 * np.sin(2 * np.pi * hertz * seconds)[None]
            key = taken(current(), Path(folder), wave, name=f"{hertz:g}")
            for semitones, rate in product((7, 23, 26), RATES):
                there = hertz * 2.0 ** (semitones / 12.0)
                found.append(beside_the_tone(transposed(kind, key, semitones, rate), there, rate))
    return max(found)


def side_bands() -> float:
    """Two operators: C6 up to an index of 8, C7 up to 3."""
    cases = product(((84, 1), (84, 8), (96, 3)), (2.37, 7.0), RATES)
    return max(
        worst_alias(
            operators(operator(1), operator(2, ratio=ratio, level=-80), acts(2, 1, index)),
            key, rate, ratio,
        )
        for (key, index), ratio, rate in cases
    )  # fmt: skip


def feedback() -> float:
    """An operator that modulates itself by 1 to 3 rad at C6."""
    return max(
        worst_alias(operators(operator(1), acts(1, 1, index)), 84, rate)
        for index, rate in product((1.0, 2.0, 3.0), RATES)
    )


def feedback_in_a_row() -> float:
    """Two that modulate themselves, one of which acts on the other, by 1 rad, from D3 to G5."""
    sound = operators(
        operator(1, level=-80), operator(2), acts(1, 1, 1.0), acts(2, 2, 1.0), acts(1, 2, 1.0)
    )
    return max(
        worst_alias(sound, key, rate, side_bands=320) for key, rate in product((50, 61, 79), RATES)
    )


def looped_saw() -> float:
    """A saw that modulates itself by 0.3 and 1 rad, from C3 to C5."""
    return max(
        worst_alias(operators(operator(1, wave="saw"), acts(1, 1, index)), key, 48_000,
                    side_bands=320)
        for index, key in product((0.3, 1.0), (48, 60, 72))
    )  # fmt: skip


def nothing_reduced() -> float:
    """Strangers beside tones in the reduction at 16 bits and 96,000 samples a second."""
    found = []
    for hertz, rate in product((997.0, 5_501.0, 11_003.0, 17_011.0), RATES):
        fx = effect("reduction", rate=rate, bits=16.0, samples=96_000.0, mix=100.0)
        heard = through(fx, sine(hertz, 3.0, 0.3, rate))[0]
        found.append(loudest_off(heard[rate // 2 :][: 2**16], rate, [hertz], 20_000))
    return max(found)


def phase_modulation() -> float:
    """A layer shifted by a sine, a whole turn each way, from C2 to C6."""
    found = []
    for key, ratio, rate in product((36, 60, 84), (0.37, 4.3), RATES):
        sound = modulated("phase", {"phase_ratio": ratio, "phase_depth": 360})
        lines = [frequency(key) * (1 + k * ratio) for k in range(-80, 81)]
        found.append(worst_fold(sound, key, rate, lines))
    return max(found)


def ring_modulation() -> float:
    """A saw times a saw an octave higher, from C2 to C6."""
    params = {"ring_by": "layer", "ring_layer": "other", "ring_amount": 100}
    upper = layer("other", {"octave": 1, "level": -80}, table="saw")
    sound = read_sound({"name": "X", "layers": [layer("ground", params, table="saw"), upper]})
    return max(
        worst_fold(sound, key, rate, [k * frequency(key) for k in range(700)])
        for key, rate in product((36, 60, 84), RATES)
    )


def ring_of_tones() -> float:
    """Tones of 14 to 18.8 kHz times sines of 4 to 8 kHz in the effect."""
    tones, sines = (14_100.0, 16_700.0, 18_800.0), (4_321.0, 6_543.0, 7_400.0, 8_000.0)
    return max(folded(*case) for case in product(tones, sines, RATES))


def warps() -> float:
    """All warps of a saw at C4, half and whole."""
    kinds = ("bend", "pulse", "sync", "self")
    return max(
        between_partials(60, rate, table="saw", warp=kind, warp_amount=amount)
        for kind, amount, rate in product(kinds, (50, 100), RATES)
    )


def tables() -> float:
    """The saw and the narrowest pulse of the built-in tables, at C1, C4 and C7."""
    return max(
        between_partials(key, rate, table=table, position=100)
        for key, table, rate in product((24, 60, 96), ("saw", "aperture"), RATES)
    )


def above_the_rate() -> float:
    """What is left of pitches above 0.45 of the rate, against what they are at 10 kHz."""
    found = []
    for kind, params in (("wavetable", {"table": "sine"}), ("harmonic", {"count": 1})):
        levels = []
        for octave in (0, 1):
            sound = plain_sound(layer_of(kind, **params) | {"params": {"octave": octave}})
            levels.append(render_array(sound, one_note(127, 1.0))[0, RATE // 2 :].std() + 1e-9)
        found.append(float(decibels(levels[1] / levels[0])))
    return max(found)


def begins() -> float:
    """How much sharper a note without attack begins on a tick than between two, in dB."""

    def sharpness(start: float) -> float:
        made = plain_layer(table="sine", scatter=0) | {"envelope": {"params": {
            "attack": {"value": 0.0, "unit": "s"}}}}  # fmt: skip
        score = one_note(60, 2.0)
        score.notes[0].start = start
        wave = render_array(plain_sound(made), score, length=1.5)[0].astype(float)
        return float(np.abs(np.diff(wave, 2)).max())

    between = sharpness(0.5 + 0.4 * 64 / RATE)
    return max(float(decibels(sharpness(at) / between)) for at in (0.5, 0.5 + 64 / RATE))


def glides() -> float:
    """What lies on no partial of a saw that glides, in the worst 10 ms, up to 8.5 kHz."""
    found = []
    for low, high in GLIDES:
        whole, left = glided(low, high)
        found.append(float(decibels(worst_stretch(left) / whole.std())))
    return max(found)


def driven_ladder() -> float:
    """A saw at C6 through the ladder, driven by 12 and 24 dB."""
    found = []
    for drive, rate in product((12.0, 24.0), RATES):
        params = {"cutoff": 8_000.0, "drive": drive, "driven": "fixed"}
        made = plain_layer(table="saw")
        made["filters"] = [{"id": "f", "kind": "ladder", "params": params}]
        wave = render_array(plain_sound(made), one_note(84, 2.0), rate=rate)[0][-(2**16) :]
        lines = [k * frequency(84) for k in range(60)]
        found.append(loudest_off(wave, rate, lines, min(20_000, 0.41 * rate)))
    return max(found)


FIGURES = (
    Figure("sampler", "Sampler at +7, +23, +26 semitones", -90.0, "dB",
           lambda: between_copies("sampler")),
    Figure("grains", "Grains at +7, +23, +26 semitones", -90.0, "dB",
           lambda: between_copies("grains")),
    Figure("side-bands", "Operators, ratio 2.37 and 7, C6 to index 8, C7 to index 3", -80.0, "dB",
           side_bands),
    Figure("feedback", "Self-modulation of 1 to 3 rad at C6", -80.0, "dB", feedback),
    Figure("feedback-row", "Two in a row that modulate themselves by 1 rad, D3 to G5", -80.0,
           "dB", feedback_in_a_row),
    Figure("feedback-saw", "A saw that modulates itself by 0.3 and 1 rad, C3 to C5", -60.0, "dB",
           looped_saw),
    Figure("phase", "Phase modulation of a layer by a sine, C2 to C6", -80.0, "dB",
           phase_modulation),
    Figure("ring", "Ring modulation of saws, C2 to C6", -80.0, "dB", ring_modulation),
    Figure("ring-tones", "Ring modulator: tones up to 18.8 kHz, below 18 kHz beside the difference",
           -60.0, "dB", ring_of_tones),
    Figure("nothing-reduced", "Reduction where nothing is asked for: strangers beside tones", -80.0,
           "dB", nothing_reduced),
    Figure("warps", "Warps of a saw at C4", -90.0, "dB", warps),
    Figure("tables", "Saw and narrow pulse, C1 to C7", -100.0, "dB", tables),
    Figure("above", "What is left of a pitch above 0.45 of the rate", -60.0, "dB", above_the_rate),
    Figure("glides", "A saw that glides through its copies in 0.2 s, worst 10 ms", -90.0, "dB",
           glides),
    Figure("begins", "A note without attack on a control tick, against between two", 0.5, "dB",
           begins),
    Figure("ladder", "A saw at C6 through a ladder driven by 12 and 24 dB", -80.0, "dB",
           driven_ladder),
)  # fmt: skip
