"""The first, coarse picture of the whole length, from looks at a few moments of it.

A look begins in the middle of the sound: it fades in, so that its beginning does not splash over
all rows, and effects with long tails make up for what they have not heard.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from queue import SimpleQueue

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.engine.engine import DEFAULT_RATE, Engine, Interrupted
from caligo.engine.long_view import COLUMNS, Tile
from caligo.measure.loudness import lufs
from caligo.measure.spectrogram import mean_column
from caligo.measure.stereo import stereo_image
from caligo.movement.stillness import Stillness
from caligo.signal.ticks import TICK

LOOKS = 32
"""Looks at the length that the coarse picture is made from."""
FIRST_LOOKS = 16
"""Looks after which it is shown as a whole, before as many again go between them."""
LOOK_TICKS = 256
"""Ticks of a look: 341 ms at 48 kHz, as long as the longest window of the spectrogram."""
ROLL = 0.15
"""Seconds of run-in for a look, two thirds of which it fades in."""
JOINED_SPAN = 5
"""Columns that each of the joined picture covers."""
QUIET = -90.0


@dataclass(frozen=True, slots=True)
class _Look:
    """What is seen at one moment: levels ``[ROWS]`` as bytes, loudness in LUFS, width."""

    index: int
    levels: NDArray[np.uint8]
    loudness: float
    width: float


def evenly(count: int) -> list[int]:
    """All numbers below `count`, a power of two, in an order that spreads from the first on.

    Examples
    --------
    >>> evenly(8)
    [0, 4, 2, 6, 1, 5, 3, 7]
    """
    bits = count.bit_length() - 1
    return [int(f"{i:0{bits}b}"[::-1], 2) for i in range(count)]


def coarse(
    sound: Sound,
    score: Score,
    *,
    rate: int = DEFAULT_RATE,
    hold_still: Stillness = False,
    threads: int = 1,
    interrupted: Interrupted = lambda: False,
) -> Iterator[Tile]:
    """A first picture from looks at the length, so that it is there at once.

    Looks come in an order that covers the whole from the first on. The first ones come each as a
    tile of its own, then as one that joins them; the last tile joins all.

    Parameters
    ----------
    threads
        Workers that look at the same time, each with an engine of its own.
    """
    engines: SimpleQueue[Engine] = SimpleQueue()

    def look(index: int) -> _Look | None:
        if interrupted():
            return None
        if engines.empty():
            engines.put(Engine(sound, score, rate=rate, hold_still=hold_still, rough=True))
        engine = engines.get()
        found = _look_at(engine, index)
        engines.put(engine)
        return found

    found: dict[int, _Look] = {}
    pool = ThreadPoolExecutor(threads)
    try:
        looks: list[Future[_Look | None]] = [pool.submit(look, index) for index in evenly(LOOKS)]
        for future in looks:
            seen = future.result()
            if seen is None:
                return
            found[seen.index] = seen
            if len(found) <= FIRST_LOOKS:
                yield _tile_of(seen)
            if len(found) in (FIRST_LOOKS, LOOKS):
                yield _joined([found[i] for i in sorted(found)])
    finally:
        pool.shutdown(cancel_futures=True)


def _look_at(engine: Engine, index: int) -> _Look:
    centre = (index + 0.5) / LOOKS * engine.score.length
    first = max(0, int(centre * engine.rate / TICK) - LOOK_TICKS // 2)
    signal = engine.glance(first, LOOK_TICKS, ROLL)
    # Both filters of K-weighting are left out: a first picture needs no more.
    loudness = lufs(2.0 * float(np.mean(signal.astype(np.float64) ** 2)))
    return _Look(index, mean_column(signal, engine.rate), loudness, stereo_image(signal).width)


def _tile_of(look: _Look) -> Tile:
    span = COLUMNS // FIRST_LOOKS
    first = look.index * FIRST_LOOKS // LOOKS * span
    levels = look.levels[None, :]
    return Tile(first, span, False, levels, [look.loudness], [look.width])


def _joined(looks: list[_Look]) -> Tile:
    """One tile over the whole length, in which neighbouring looks go over into each other."""
    count = COLUMNS // JOINED_SPAN
    places = np.array([look.index for look in looks])
    at = np.interp((np.arange(count) + 0.5) * LOOKS / count - 0.5, places, np.arange(len(places)))

    def between(values: NDArray[np.float64]) -> NDArray[np.float64]:
        first = np.clip(at.astype(int), 0, len(looks) - 2)
        share = (at - first).reshape(-1, *[1] * (values.ndim - 1))
        joined: NDArray[np.float64] = values[first] + share * (values[first + 1] - values[first])
        return joined

    loudness = between(np.array([max(look.loudness, QUIET) for look in looks]))
    return Tile(
        0,
        JOINED_SPAN,
        False,
        between(np.array([look.levels for look in looks], dtype=np.float64)).astype(np.uint8),
        [float(v) if v > QUIET else -math.inf for v in loudness],
        between(np.array([look.width for look in looks])).tolist(),
    )
