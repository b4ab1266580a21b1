"""Listening from the middle, against the whole rendered from its beginning."""

from __future__ import annotations

import tempfile
import time
from functools import cache
from pathlib import Path

import numpy as np

from caligo.document import Sound, read_sound
from caligo.document.held import held_chord
from caligo.engine.listening.live import Listening
from caligo.engine.render.engine import DEFAULT_RATE, SMALL_BLOCK, Engine
from caligo.engine.stems.store import StemStore
from caligo.engine.views.long_view import fine
from caligo.signal.ticks import TICK
from demo.sounds import SOUNDS
from tests.core.builders import decibels
from tests.figures.figure import Figure

START, SECONDS = 30.0, 10.0
"""Where it begins, and for how long it is listened to; longer than anything takes to come in."""
SCORE = held_chord("C2 G2 D3 A3", START + SECONDS + 1.0)
NEAR = -40.0


def _off(heard: np.ndarray, right: np.ndarray) -> float:
    return float(decibels((heard - right).std() / right.std() + 1e-9))


def _whole(sound: Sound) -> np.ndarray:
    """What is heard from `START` on, rendered from the beginning ``[2, samples]``."""
    engine = Engine(sound, SCORE, threads=2)
    engine.run(round(START * DEFAULT_RATE / TICK))
    return engine.render(round(SECONDS * DEFAULT_RATE / TICK))


def _played(listening: Listening, seconds: float) -> np.ndarray:
    """Blocks as a sound card asks for them ``[2, samples]``."""
    began, found = time.perf_counter(), []
    for k in range(int(seconds * DEFAULT_RATE / SMALL_BLOCK)):
        time.sleep(max(0.0, began + k * SMALL_BLOCK / DEFAULT_RATE - time.perf_counter()))
        found.append(listening.block())
    return np.concatenate(found, axis=1)


@cache
def unseen() -> float:
    """Where nothing has been drawn: seconds until a start is within `NEAR`, of the worst sound."""
    until, half = [], DEFAULT_RATE // 2
    for make in SOUNDS:
        sound = read_sound(make())
        right = _whole(sound)
        heard = _played(Listening(sound, SCORE, start=START), SECONDS)
        ends = range(half, heard.shape[1] + 1, SMALL_BLOCK)
        off = [_off(heard[:, e - half : e], right[:, e - half : e]) for e in ends]
        far = [i for i, one in enumerate(off) if one > NEAR]
        until.append((ends[far[-1]] if far else 0) / DEFAULT_RATE)
    return max(until)


def seen() -> float:
    """Where the picture has been drawn: dB off in the first tenth of a second, the worst."""
    found = []
    for make in SOUNDS:
        sound = read_sound(make())
        with tempfile.TemporaryDirectory() as folder:
            store = StemStore(Path(folder))
            for _ in fine(sound, SCORE, store=store, threads=2):
                pass
            listening = Listening(sound, SCORE, start=START, store=store)
            heard = np.concatenate([listening.block() for _ in range(3)], axis=1)
        found.append(_off(heard, _whole(sound)[:, : heard.shape[1]]))
    return max(found)


FIGURES = (
    Figure("middle-drawn", "Listening from the middle where it is drawn, off at once", -60.0,
           "dB", seen),
    Figure("caught-up", "Where nothing is drawn, until a start is within -40 dB", 3.0, "s", unseen),
)  # fmt: skip
