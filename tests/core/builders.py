"""Short ways to sounds, scores and spectra for the core's tests."""

from __future__ import annotations

from typing import Any

import numpy as np
import parselmouth
from numpy.typing import NDArray

from caligo.document import Note, Score, Sound, read_sound

RATE = 48_000


def plain_layer(**source: Any) -> dict[str, Any]:
    """A layer that starts at once and stays at full level, with nothing behind its source."""
    return {
        "id": "ground",
        "name": "Ground",
        "source": {"kind": "wavetable", "params": {"scatter": 0, **source}},
        "envelope": {
            "params": {
                "attack": {"value": 0, "unit": "s"},
                "decay": {"value": 0, "unit": "s"},
                "release": {"value": 0, "unit": "s"},
                "velocity": 0,
            }
        },
    }


def layer_of(kind: str, items: list[dict[str, Any]] | None = None, **params: Any) -> dict[str, Any]:
    """A plain layer with a source of another kind."""
    made = plain_layer()
    return {**made, "source": {"kind": kind, "params": params, "items": items or []}}


def plain_sound(layer: dict[str, Any] | None = None, **more: Any) -> Sound:
    """A sound of one layer."""
    return read_sound({"name": "Test", "layers": [layer or plain_layer()], **more})


def one_note(key: int = 69, length: float = 2.0, total: float | None = None) -> Score:
    """A score with one note from its start."""
    note = Note(id="n1", pitch=key, start=0.0, length=length, velocity=127)
    return Score(length=total or length, notes=[note])


def moving_sound() -> Sound:
    """A sound that uses every part of the engine: filters, movement, effects, ceiling."""
    layer = plain_layer(table="glass_plate", unison=3, position=40, scatter=100)
    layer["filters"] = [
        {"id": "filter1", "kind": "lowpass", "params": {"cutoff": 1500, "resonance": 20}},
        {"id": "filter2", "kind": "highpass", "params": {"cutoff": 80}},
    ]
    layer["envelope"] = {"params": {"attack": {"value": 0.3, "unit": "s"}}}
    layer["sends"] = [{"id": "send1", "bus": "space"}]
    return plain_sound(
        layer,
        buses=[
            {
                "id": "space",
                "name": "Space",
                "effects": [
                    {"id": "chorus1", "kind": "chorus"},
                    {"id": "reverb1", "kind": "reverb", "params": {"decay": 1.5}},
                ],
            }
        ],
        modulators=[
            {"id": "swell", "name": "Swell", "kind": "lfo", "params": {"period": {"value": 3}}},
            {
                "id": "weather",
                "name": "Weather",
                "kind": "random",
                "scope": "note",
                "params": {"period": {"value": 0.7}},
            },
        ],
        routes=[
            {"id": "r1", "from": "swell", "to": "ground.filter1.cutoff", "depth": 1.5},
            {"id": "r2", "from": "weather", "to": "ground.source.fine", "depth": 15},
            {"id": "r3", "from": "weather", "to": "ground.source.position", "depth": 40},
            {"id": "r4", "from": "swell", "to": "ground.source.detune", "depth": 5},
            {"id": "r5", "from": "weather", "to": "ground.level", "depth": 3},
            {"id": "r6", "from": "swell", "to": "space.reverb1.width", "depth": 40},
        ],
    )


def two_notes(length: float = 6.0) -> Score:
    """Two notes, the second beginning between two control ticks."""
    return Score(
        length=length,
        notes=[
            Note(id="n1", pitch=45, start=0.0, length=length - 1.0),
            Note(id="n2", pitch=52, start=1.23456, length=length - 2.5),
        ],
    )


def spectrum(signal: NDArray[np.float32]) -> NDArray[np.float64]:
    """Amplitudes of the sines in a signal, by bin; side lobes lie 98 dB down."""
    n = np.arange(len(signal))
    # The four-term Blackman-Harris family, minimum side lobes widened: Nuttall (1981), eq. 4c.
    terms = (0.3635819, -0.4891775, 0.1365995, -0.0106411)
    window = sum(a * np.cos(2 * np.pi * k * n / len(signal)) for k, a in enumerate(terms))
    found: NDArray[np.float64] = 2.0 * np.abs(np.fft.rfft(signal * window)) / window.sum()
    return found


def decibels(value: Any) -> Any:
    """A factor in decibels."""
    return 20.0 * np.log10(np.maximum(np.abs(value), 1e-15))


def transfer(response: NDArray[Any], hertz: NDArray[Any], rate: int) -> NDArray[Any]:
    """The transfer function at frequencies of an impulse response ``[samples]``, by definition.

    What `scipy.signal.freqz` finds sample by sample, in pieces: that takes a tenth of the time.
    """
    pieces = np.pad(response, (0, -len(response) % 512)).reshape(-1, 512)
    turns = -2j * np.pi * hertz / rate
    inside = pieces @ np.exp(np.arange(512)[:, None] * turns)
    found: NDArray[Any] = (inside * np.exp(512 * np.arange(len(pieces))[:, None] * turns)).sum(0)
    return found


def loudest_off(signal: NDArray[Any], rate: int, lines: list[float], top: float) -> float:
    """The loudest from 20 Hz to `top` that lies on none of the lines, in dB under the loudest."""
    length = len(signal)
    found = decibels(np.abs(np.fft.rfft(signal * np.kaiser(length, 20.0))))
    hertz = np.arange(len(found)) * rate / length
    off = (hertz > 20.0) & (hertz < top)
    for line in lines:
        off &= np.abs(hertz - abs(line)) > 14 * rate / length
    return float(found[off].max() - found.max())


def heard_pitch(signal: NDArray[Any], rate: int, low: float, high: float) -> float:
    """The median fundamental of a signal ``[samples]`` in Hz, as Praat hears it between limits.

    Boersma (1993), "Accurate short-term analysis of the fundamental frequency". An octave costs
    more than it does for speech, since partials need not be harmonic here: with the usual 0.01 a
    glass is heard an octave and a fifth below the note that it is tuned to.
    """
    sound = parselmouth.Sound(signal.astype(np.float64), rate)
    pitch = sound.to_pitch_ac(pitch_floor=low, pitch_ceiling=high, octave_cost=0.05)
    hertz = pitch.selected_array["frequency"]
    return float(np.median(hertz[hertz > 0.0]))


CENTERS = 62.5 * 2.0 ** np.arange(8)
"""Centres of the octaves that are compared, in hertz."""


def octaves(signal: np.ndarray) -> np.ndarray:
    """Levels of octaves in dB ``[octaves]``."""
    power = (np.abs(np.fft.rfft(signal, axis=1)) ** 2).sum(axis=0) * 2.0 / signal.shape[1] ** 2
    hertz = np.fft.rfftfreq(signal.shape[1], 1.0 / RATE)
    return np.array(
        [
            10.0 * np.log10(power[(hertz >= c / 2**0.5) & (hertz < c * 2**0.5)].sum() + 1e-20)
            for c in CENTERS
        ]
    )
