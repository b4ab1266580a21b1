"""Listening while another thread of the same process computes: part of ``make bench``."""

from __future__ import annotations

import json
import sys
import threading
import time

from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.engine.listening.live import Listening
from caligo.engine.render.engine import DEFAULT_RATE, SMALL_BLOCK
from demo.pads import gelatin_choir
from studio.workers import TURN

BLOCKS = 100
LASTS = SMALL_BLOCK / DEFAULT_RATE
"""Seconds of sound in a block."""


def _compute(until: threading.Event) -> None:
    """Work as a request makes it, which holds on to its turn."""
    document = gelatin_choir()
    while not until.is_set():
        json.loads(json.dumps(document))


def beside_a_busy_thread(turn: float = TURN) -> tuple[float, float]:
    """Mean and longest time of a block of Gelatin Choir, as fractions of how long it lasts."""
    listening = Listening(read_sound(gelatin_choir()), held_chord("C2 G2 D3 A3", 240.0), start=20.0)
    done, before = threading.Event(), sys.getswitchinterval()
    sys.setswitchinterval(turn)
    threading.Thread(target=_compute, args=(done,), daemon=True).start()
    taken = []
    for _ in range(BLOCKS):
        began = time.perf_counter()
        listening.block()
        taken.append(time.perf_counter() - began)
    done.set()
    sys.setswitchinterval(before)
    return sum(taken) / len(taken) / LASTS, max(taken) / LASTS
