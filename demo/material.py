"""Make the demo's material from our own models: ``python -m demo.material``.

Every piece is a small physical or spectral model of something at the observatory. The files
are kept in the repository, since models may differ in the last bit from machine to machine and
sounds name their material by its samples.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from numba import njit
from numpy.typing import NDArray
from scipy.signal import butter, fftconvolve, lfilter, sosfilt

from caligo.document.pitch import frequency
from caligo.material.cards import Loop
from caligo.material.cutting import by_cycles
from caligo.material.loops import find_loops
from caligo.material.store import SHIPPED, MaterialStore

RATE = 44_100
Wave = NDArray[np.float64]


def _time(seconds: float) -> Wave:
    return np.arange(round(seconds * RATE)) / RATE


def _noise(count: int, seed: int) -> Wave:
    return np.random.default_rng(seed).standard_normal(count)


def _slow(count: int, hertz: float, seed: int) -> Wave:
    """A smooth random wave of about this frequency, in [-1, 1]."""
    points = max(4, math.ceil(count / RATE * hertz) + 3)
    values = np.random.default_rng(seed).uniform(-1.0, 1.0, points)
    at = np.arange(count) / RATE * hertz
    index = at.astype(int)
    x = at - index
    x = x * x * x * (x * (6.0 * x - 15.0) + 10.0)
    found: Wave = values[index] + (values[index + 1] - values[index]) * x
    return found


def _band(wave: Wave, low: float, high: float) -> Wave:
    found: Wave = sosfilt(butter(2, [low, high], "bandpass", fs=RATE, output="sos"), wave)
    return found


def _resonance(wave: Wave, hertz: float, width: float) -> Wave:
    """A two-pole resonance with a bandwidth in Hz."""
    r = math.exp(-math.pi * width / RATE)
    a = [1.0, -2.0 * r * math.cos(2.0 * math.pi * hertz / RATE), r * r]
    found: Wave = lfilter([(1.0 - r * r) * 0.5, 0.0, -(1.0 - r * r) * 0.5], a, wave)
    return found


def _modes(
    time: Wave, hertz: list[float], decays: list[float], levels: list[float], seed: int
) -> Wave:
    """A sum of modes that were struck at the start."""
    phases = np.random.default_rng(seed).uniform(0.0, 2.0 * np.pi, len(hertz))
    out = np.zeros_like(time)
    for f, decay, level, phase in zip(hertz, decays, levels, phases, strict=True):
        out += level * np.exp(-6.9 * time / decay) * np.sin(2.0 * np.pi * f * time + phase)
    return out


def _ends(wave: Wave, rise: float = 0.005, fall: float = 0.02) -> Wave:
    """Short fades, so that nothing begins or ends with a step."""
    out = wave.copy()
    for seconds, side in ((rise, slice(None)), (fall, slice(None, None, -1))):
        count = round(seconds * RATE)
        out[side][:count] *= 0.5 - 0.5 * np.cos(np.pi * np.arange(count) / count)
    return out


@njit(cache=True)
def _bowed(speed: np.ndarray, nut: int, bridge: int, out: np.ndarray) -> None:
    """A string bowed at a point: two delay lines that meet at a friction curve.

    The waveguide of J. O. Smith, "Efficient simulation of the reed-bore and bow-string
    mechanisms" (ICMC 1986); the curve is his hyperbola, from memory.
    """
    to_nut, to_bridge = np.zeros(nut), np.zeros(bridge)
    softened = 0.0
    for n in range(len(speed)):
        i, j = n % nut, n % bridge
        from_nut = -to_nut[i]
        softened = 0.62 * -0.985 * to_bridge[j] + 0.38 * softened
        difference = speed[n] - (from_nut + softened)
        grip = (abs(difference * 3.2) + 0.75) ** -4.0
        moved = difference * min(grip, 1.0)
        to_nut[i] = softened + moved
        to_bridge[j] = from_nut + moved
        out[n] = softened


def bowed_wire() -> Wave:
    """A long wire, bowed slowly."""
    time = _time(7.0)
    speed = 0.22 * np.minimum(1.0, time / 1.2) * np.minimum(1.0, (7.0 - time) / 1.0)
    speed *= 1.0 + 0.12 * _slow(len(time), 0.9, 3) + 0.01 * _noise(len(time), 4)
    out = np.zeros_like(time)
    _bowed(speed, 396, 54, out)
    body = out + 0.8 * _resonance(out, 210.0, 40.0) + 0.5 * _resonance(out, 680.0, 90.0)
    return _ends(body, 0.3, 0.4)


def struck_plate() -> Wave:
    """A glass plate, struck near its rim: modes of a free plate, f ~ (m² + 1.3 n²)."""
    time = _time(6.0)
    pairs = [(m, n) for m in range(0, 7) for n in range(0, 7) if m + n > 1]
    hertz = sorted(92.0 * (m * m + 1.31 * n * n) for m, n in pairs)[:30]
    decays = [5.5 / (1.0 + (f / 1500.0) ** 1.1) for f in hertz]
    levels = [(1.0 + 0.7 * math.sin(3.1 * i)) / (1.0 + f / 900.0) for i, f in enumerate(hertz)]
    tap = _band(_noise(len(time), 7), 1500.0, 9000.0) * np.exp(-time * 180.0)
    return _ends(_modes(time, hertz, decays, levels, 5) + 0.5 * tap, 0.0005, 0.3)


def motor() -> Wave:
    """The tracking motor: teeth that pass a pawl, hum, and a housing."""
    time = _time(6.0)
    speed = 23.0 * (1.0 + 0.015 * _slow(len(time), 1.4, 9))
    turns = np.cumsum(speed) / RATE
    teeth = (turns * 1.0) % 1.0
    pulse = np.exp(-teeth * 26.0) * (1.0 + 0.25 * _slow(len(time), 11.0, 10))
    hum = 0.2 * np.sin(2 * np.pi * 50.0 * time) + 0.1 * np.sin(2 * np.pi * 150.0 * time + 0.4)
    clatter = pulse * (0.35 + 0.2 * _noise(len(time), 11))
    wave = hum + clatter
    housing = 0.5 * wave
    for f, width, level in ((118.0, 18.0, 1.0), (342.0, 30.0, 0.8), (905.0, 60.0, 0.5)):
        housing += level * _resonance(wave, f, width)
    return _ends(housing, 0.05, 0.05)


def wind_slit() -> Wave:
    """Wind at the slit of the dome: noise through resonances that wander."""
    time = _time(9.0)
    count = len(time)
    noise = _noise(count, 13)
    gust = 0.55 + 0.45 * _slow(count, 0.35, 14)
    out = 0.35 * _band(noise, 60.0, 400.0)
    for seed, (f, depth) in enumerate(((420.0, 0.5), (760.0, 0.4), (1650.0, 0.3))):
        # A whistling band: narrow noise, carried to where the gust has blown it.
        frequency_line = f * 2.0 ** (depth * _slow(count, 0.5, 20 + seed))
        narrow = sosfilt(
            butter(2, 14.0 * (seed + 1), fs=RATE, output="sos"), _noise(count, 30 + seed)
        )
        out += (9.0 / (seed + 1.5)) * narrow * np.cos(2 * np.pi * np.cumsum(frequency_line) / RATE)
    return _ends(out * gust, 0.2, 0.4)  # fmt: skip


def hummed_vowel() -> Wave:
    """Somebody hums "ah" on C3: pulses of the glottis through formants.

    Formants of a man's vowel in "hod", 730, 1090 and 2440 Hz (Peterson and Barney 1952).
    """
    time = _time(5.0)
    vibrato = 1.0 + 0.006 * np.sin(2 * np.pi * 4.6 * time) * np.minimum(1.0, time / 1.5)
    pitch = 130.81 * vibrato * (1.0 + 0.002 * _slow(len(time), 3.0, 41))
    phase = (np.cumsum(pitch) / RATE) % 1.0
    # Rosenberg's pulse: opens over 40 % and closes over 16 % of a period; its slope is heard.
    flow = np.where(
        phase < 0.4,
        0.5 - 0.5 * np.cos(np.pi * phase / 0.4),
        np.where(phase < 0.56, np.cos(0.5 * np.pi * (phase - 0.4) / 0.16), 0.0),
    )
    wave = np.diff(flow, prepend=0.0) + 0.0006 * _noise(len(time), 43)
    out = np.zeros_like(time)
    for f, width, level in ((730.0, 70.0, 1.0), (1090.0, 90.0, 0.6), (2440.0, 120.0, 0.25)):
        out += level * _resonance(wave, f, width)
    return _ends(out * np.minimum(1.0, time / 0.4), 0.05, 0.5)


def glass_harmonic() -> Wave:
    """A wet finger on the rim of a glass: one mode, its beats, a breath of rubbing."""
    time = _time(7.0)
    swell = np.minimum(1.0, time / 1.8) * np.minimum(1.0, (7.0 - time) / 1.8)
    out = np.zeros_like(time)
    for n, level in ((1.0, 1.0), (2.32, 0.12), (4.25, 0.05)):
        for side in (-1.0, 1.0):
            f = 659.26 * n * (1.0 + side * 0.0006)
            out += 0.5 * level * np.sin(2 * np.pi * f * time + side)
    rub = _band(_noise(len(time), 47), 1200.0, 5000.0) * (1.0 + 0.6 * _slow(len(time), 5.5, 48))
    return _ends((out * (1.0 + 0.1 * _slow(len(time), 2.0, 49)) + 0.02 * rub) * swell, 0.2, 0.5)


def _far(wave: Wave, seconds: float, high: float, seed: int) -> Wave:
    """Heard from far away: dull, and answered by the slopes."""
    time = _time(seconds)
    echo = _noise(len(time), seed) * np.exp(-6.9 * time / seconds)
    dull = sosfilt(butter(2, high, fs=RATE, output="sos"), wave)
    wet = fftconvolve(dull, echo)[: len(wave)]
    found: Wave = dull + 0.05 * sosfilt(butter(1, high, fs=RATE, output="sos"), wet)
    return found


def distant_horn() -> Wave:
    """A horn in the valley: partials that open as it gets louder."""
    time = _time(6.5)
    loud = np.clip(time / 0.7, 0.0, 1.0) * np.clip((4.2 - time) / 1.2, 0.0, 1.0)
    phase = 2 * np.pi * np.cumsum(146.83 * (1.0 + 0.0015 * _slow(len(time), 4.0, 51))) / RATE
    out = np.zeros_like(time)
    for n in range(1, 15):
        out += loud ** (1.0 + 0.35 * n) / n**0.6 * np.sin(n * phase + 0.3 * n)
    return _ends(_far(out, 2.4, 1400.0, 52), 0.05, 0.6)


def radio_static() -> Wave:
    """Between two stations: hiss, crackle, a whistle that drifts through."""
    time = _time(7.0)
    count = len(time)
    hiss = 0.25 * _band(_noise(count, 61), 300.0, 4200.0) * (0.7 + 0.3 * _slow(count, 1.7, 62))
    rng = np.random.default_rng(63)
    crackle = np.zeros(count)
    at = rng.integers(0, count, 160)
    crackle[at] = rng.standard_normal(160) * rng.uniform(0.5, 6.0, 160)
    crackle = _band(crackle, 500.0, 3800.0)
    whistle = np.abs(900.0 * _slow(count, 0.4, 64)) + 120.0
    tone = (
        0.08 * np.sin(2 * np.pi * np.cumsum(whistle) / RATE) * (0.6 + 0.4 * _slow(count, 0.9, 65))
    )
    return _ends(hiss + crackle + tone, 0.05, 0.1)


def plate_ticks() -> Wave:
    """Plates counted into a crate: small knocks, none like the other."""
    time = _time(5.0)
    out = np.zeros_like(time)
    rng = np.random.default_rng(71)
    for at in np.cumsum(rng.uniform(0.18, 0.5, 14)):
        first = round(at * RATE)
        if first + RATE // 2 > len(out):
            break
        local = _time(0.5)
        f = 1900.0 * 2.0 ** rng.uniform(-0.3, 0.3)
        modes = _modes(
            local,
            [f, 2.71 * f, 4.9 * f, 0.21 * f],
            [0.18, 0.09, 0.05, 0.12],
            [1.0, 0.6, 0.3, 0.8],
            int(first),
        )
        out[first : first + len(local)] += rng.uniform(0.4, 1.0) * modes
    return _ends(out, 0.001, 0.05)  # fmt: skip


def snow_steps() -> Wave:
    """Steps on frozen snow: crystals that break one by one under a boot."""
    time = _time(6.0)
    out = np.zeros_like(time)
    rng = np.random.default_rng(81)
    for step in range(7):
        begin = 0.25 + 0.8 * step
        for at in begin + rng.beta(1.6, 2.6, 260) * 0.42:
            first = round(at * RATE)
            length = rng.integers(60, 420)
            if first + length < len(out):
                grain = rng.standard_normal(length) * np.exp(-np.arange(length) / length * 5.0)
                out[first : first + length] += rng.uniform(0.05, 1.0) ** 2 * grain
    return _ends(_band(out, 260.0, 6500.0) + 0.6 * _band(out, 120.0, 420.0), 0.01, 0.1)


def dome_rail() -> Wave:
    """The dome turns on its rail: rumble, and wheels that pass the joints."""
    time = _time(8.0)
    count = len(time)
    rumble = sosfilt(butter(4, 130.0, fs=RATE, output="sos"), _noise(count, 91)) * 3.0
    joints = np.exp(-((time * 1.37) % 1.0) * 30.0) * _band(_noise(count, 92), 80.0, 900.0)
    moan = 0.25 * np.sin(2 * np.pi * np.cumsum(61.0 * 2 ** (0.1 * _slow(count, 0.6, 93))) / RATE)
    return _ends(rumble * (0.8 + 0.2 * _slow(count, 0.8, 94)) + joints + moan, 0.1, 0.2)


def far_bell() -> Wave:
    """A bell down in the village: modes in pairs that beat."""
    time = _time(8.0)
    ratios = (0.5, 1.0, 1.183, 1.506, 2.0, 2.514, 2.662, 3.011, 4.166, 5.433)
    hertz, decays, levels = [], [], []
    for i, ratio in enumerate(ratios):
        for side in (-1.0, 1.0):
            hertz.append(311.13 * ratio * (1.0 + side * 0.0009))
            decays.append(7.5 / (0.6 + ratio))
            levels.append(0.5 / (1.0 + 0.35 * i))
    return _ends(_far(_modes(time, hertz, decays, levels, 97), 1.8, 2600.0, 98), 0.003, 1.0)


PIECES: tuple[Callable[[], Wave], ...] = (
    bowed_wire, struck_plate, motor, wind_slit, hummed_vowel, glass_harmonic, distant_horn,
    radio_static, plate_ticks, snow_steps, dome_rail, far_bell,
)  # fmt: skip
LOOPED = ("bowed_wire", "hummed_vowel", "glass_harmonic", "motor")


def title(piece: Callable[[], Wave]) -> str:
    """A piece's name for people."""
    name = piece.__name__.replace("_", " ")
    return name[0].upper() + name[1:]


def samples(piece: Callable[[], Wave]) -> Wave:
    """A piece at its level: its highest sample lies 3 dB below full scale."""
    wave = piece()
    wave = wave - wave.mean()
    found: Wave = wave / np.abs(wave).max() * 10.0 ** (-3.0 / 20.0)
    return found


def _cut_vowel(shelf: MaterialStore) -> None:
    """The table that the choir's layers share."""
    vowel = next(card for card in shelf.cards() if card.name == title(hummed_vowel))
    recording = shelf.recording(vowel.key)
    assert recording is not None
    spectra = by_cycles(recording.samples, recording.rate, frequency(recording.root), 24)
    shelf.add_table(
        spectra,
        f"{vowel.name} table",
        f"cut from {vowel.name} by cycles at {frequency(recording.root):.1f} Hz",
        source=vowel.key,
        cut={"way": "cycles", "frames": 24},
    )


def main(folder: Path = SHIPPED) -> None:
    """Make every piece anew."""
    folder.mkdir(parents=True, exist_ok=True)
    shelf = MaterialStore([folder])
    for card in shelf.cards():
        shelf.remove(card.key)
    for piece in PIECES:
        path = folder / f"{piece.__name__}.flac"
        soundfile.write(path, samples(piece), RATE, subtype="PCM_16", format="FLAC")
        about: Any = piece.__doc__ or ""
        card, _ = shelf.add_recording(path, title(piece), about.strip().splitlines()[0])
        (folder / card.file).unlink()
        update: dict[str, Any] = {"file": path.name}
        found = find_loops(samples(piece)[None].astype(np.float32), RATE)
        if piece.__name__ in LOOPED and found:
            start, end = found[0].start, found[0].end
            update["loop"] = Loop(start=round(start, 6), end=round(end, 6), fade=0.15)
        shelf.write(card.model_copy(update=update))
    _cut_vowel(shelf)


if __name__ == "__main__":
    main()
