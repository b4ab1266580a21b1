"""Memory that a recording of 20 minutes takes: brought in, looked at, searched, cut, played.

    python -m tests.robust.long_recording [minutes] [rate]

Each act runs in a process of its own, whose peak is told; wanted are at most 400 MB.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

MOST_MB = 400
SETTING = """
import sys
from pathlib import Path
from caligo.material.store import current
store = current()
key = next((c.key for c in store.cards() if c.name == "long"), "")
"""
PLAY = """
from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.engine.listening.live import Listening
from tests.core.builders import layer_of, plain_sound
from caligo.engine.precompile.precompile import warm
source = {source}
sound = read_sound(plain_sound(layer_of(**source)).as_document())
listening = Listening(sound, held_chord("C3 G3 D4 A5", 600.0), start=100.0)
for _ in range(200):
    listening.block()
"""
ACTS = {
    "bring in": "store.add_recording(Path(sys.argv[1]), 'long')",
    "outline": "from caligo.material.overview import outline\n"
    "r = store.recording(key); outline(r.samples, r.rate, 0.0, 1e9, 1200)",
    "spectrogram": "from caligo.material.overview import spectrogram\n"
    "r = store.recording(key); spectrogram(r.samples, r.rate, 0.0, r.frames / r.rate, 1200, 256)",
    "search loops": "from caligo.material.loops import find_loops\n"
    "r = store.recording(key); print(len(find_loops(r.samples, r.rate)), 'loops')",
    "cut": "from caligo.material.cutting import by_cycles\n"
    "r = store.recording(key); by_cycles(r.samples, r.rate, 110.0)",
    "play by the sampler": PLAY.format(
        source="dict(kind='sampler', items=[dict(id='z', kind='zone', params=dict(recording=key))])"
    ),
    "play again": PLAY.format(
        source="dict(kind='sampler', items=[dict(id='z', kind='zone', params=dict(recording=key))])"
    ),
    "play by grains": PLAY.format(source="dict(kind='grains', recording=key)"),
    "play by spectra": PLAY.format(source="dict(kind='spectral', recording=key)"),
}
PEAK = """
peak = Path("/proc/self/status").read_text().split("VmHWM:")[1].split()[0]
print("PEAK", int(peak) // 1024)
"""


def make(path: Path, minutes: float, rate: int) -> None:
    """A slow, noisy tone, written piece by piece."""
    r = np.random.default_rng(1)
    with soundfile.SoundFile(path, "w", rate, 2, "FLOAT", format="RF64") as file:
        for second in range(int(60 * minutes)):
            t = second + np.arange(rate) / rate
            tone = np.sin(2 * np.pi * 110.0 * t) * (0.3 + 0.2 * np.sin(0.1 * t))
            noise = 0.02 * r.standard_normal((rate, 2))
            file.write((tone[:, None] + noise).astype(np.float32))


def main() -> None:
    """Print the peaks."""
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 20.0
    rate = int(sys.argv[2]) if len(sys.argv) > 2 else 48_000
    worst = 0
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.wav"
        make(path, minutes, rate)
        env = os.environ | {"CALIGO_MATERIAL": f"{folder}/material"}
        for name, act in ACTS.items():
            began = time.perf_counter()
            done = subprocess.run(
                [sys.executable, "-c", SETTING + act + PEAK, str(path)],
                env=env, capture_output=True, text=True, check=False,
            )  # fmt: skip
            taken = time.perf_counter() - began
            if done.returncode:
                print(f"{name:<20} failed: {done.stderr[-300:]}")
                worst = 10**9
                continue
            peak = int(done.stdout.split("PEAK")[1])
            worst = max(worst, peak)
            share = 60.0 * minutes / taken
            print(f"{name:<20} {peak:>6} MB   {share:>7.1f} times real time", flush=True)
    print(f"at most {worst} MB (wanted: {MOST_MB})")
    raise SystemExit(1 if worst > MOST_MB else 0)


if __name__ == "__main__":
    main()
