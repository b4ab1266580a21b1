"""A start from the middle: as long a run-in as there is time for."""

from __future__ import annotations

import time

from caligo.engine.render.engine import Engine
from caligo.engine.stems.store import ticks_in
from caligo.signal.ticks import TICK

SHORTEST_PREROLL = 0.1
"""Seconds of run-in at least: enough for filters."""
PROBE_TICKS = 48
"""Ticks by which a start finds out how fast the sound is rendered here."""


def run_in(engine: Engine, tick: int, until: float, most: float) -> None:
    """Bring an engine to a tick.

    Parameters
    ----------
    until
        The `time.perf_counter` at which it should be there; where the machine is slower, the
        run-in is shorter.
    most
        Seconds of run-in at most.
    """
    roll = ticks_in(min(engine.preroll(), most), engine.rate, tick)
    if engine.knows(tick) or roll <= 2 * PROBE_TICKS:
        engine.start(tick, most=most)
        return
    engine.start(tick - roll, most=0.0)
    probed, affordable = time.perf_counter(), 0
    # To add up what runs on since notes began may have taken all the time there was.
    if probed < until:
        engine.run(PROBE_TICKS)
        now = time.perf_counter()
        affordable = int(PROBE_TICKS * (until - now) / (now - probed))
    if affordable >= roll - PROBE_TICKS:
        engine.run(roll - PROBE_TICKS)
    else:
        engine.start(tick, most=max(SHORTEST_PREROLL, affordable * TICK / engine.rate))
