"""The worker that draws an open sound: trajectories at once, then the long view."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable
from typing import Any

from caligo.document import Score, Sound
from caligo.engine.engine import DEFAULT_RATE
from caligo.engine.long_view import COLUMNS, Summary, Tile, coarse, fine
from caligo.engine.stems import StemStore
from caligo.engine.trajectories import Trajectory, trajectories
from caligo.measure.spectrogram import FLOOR, HIGHEST, LOWEST, ROWS
from studio.stage.frames import TILE, frame

SendJson = Callable[[dict[str, Any]], None]
SendBytes = Callable[[bytes], None]

POINTS = 480
"""Points of a trajectory: about one for each two pixels of the widest strip."""


def _number(value: float) -> float | None:
    return round(value, 3) if math.isfinite(value) else None


def course_json(course: Trajectory) -> dict[str, list[float]]:
    """A trajectory as plain data, in six significant digits."""
    return {
        "value": [float(f"{v:.6g}") for v in course.middle],
        "low": [float(f"{v:.6g}") for v in course.low],
        "high": [float(f"{v:.6g}") for v in course.high],
    }


def trajectories_json(
    sound: Sound, score: Score, points: int, hold_still: bool = False
) -> dict[str, Any]:
    """All trajectories as plain data."""
    found = trajectories(sound, score, points, hold_still=hold_still)
    return {
        "length": score.length,
        "points": points,
        "modulators": {k: course_json(v) for k, v in found.modulators.items()},
        "parameters": {k: course_json(v) for k, v in found.parameters.items()},
    }


def tile_frame(tile: Tile, revision: int) -> bytes:
    """A tile as a binary frame: levels by column, lowest row first."""
    header = {
        "revision": revision,
        "first": tile.first,
        "span": tile.span,
        "fine": tile.fine,
        "columns": len(tile.levels),
        "rows": ROWS,
        "total": COLUMNS,
        "low": LOWEST,
        "high": HIGHEST,
        "floor": FLOOR,
        "loudness": [_number(v) for v in tile.loudness],
        "width": [_number(v) for v in tile.width],
    }
    return frame(TILE, header, tile.levels.tobytes())


class Viewing:
    """Draws the newest state asked for; a newer one cancels what it makes stale."""

    def __init__(
        self,
        send_json: SendJson,
        send_bytes: SendBytes,
        store: StemStore,
        give_way: Callable[[], bool],
    ) -> None:
        self._send_json = send_json
        self._send_bytes = send_bytes
        self._store = store
        self._give_way = give_way
        self._wanted: tuple[Sound, Score, int, bool] | None = None
        self._generation = 0
        self._wake = threading.Condition()
        self._closed = False
        threading.Thread(target=self._work, name="long view", daemon=True).start()

    def show(self, sound: Sound, score: Score, revision: int, hold_still: bool) -> None:
        """Draw this state from now on."""
        with self._wake:
            self._wanted = (sound, score, revision, hold_still)
            self._generation += 1
            self._wake.notify()

    def close(self) -> None:
        """Stop for good."""
        with self._wake:
            self._closed = True
            self._generation += 1
            self._wake.notify()

    def _work(self) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: self._wanted is not None or self._closed)
                if self._closed or self._wanted is None:
                    return
                wanted, generation = self._wanted, self._generation
                self._wanted = None
            try:
                self._draw(*wanted, generation)
            except Exception as error:
                self._send_json(
                    {
                        "type": "problem",
                        "text": f"The long view could not be drawn: {error!r}. "
                        "The sound itself is safe; change something to try again.",
                    }
                )

    def _draw(
        self, sound: Sound, score: Score, revision: int, hold_still: bool, generation: int
    ) -> None:
        def stale() -> bool:
            # Listening comes first: while it needs the processor, drawing waits a little.
            for _ in range(50):
                if not self._give_way() or self._generation != generation:
                    break
                time.sleep(0.004)
            return self._generation != generation

        self._send_json(
            {
                "type": "trajectories",
                "revision": revision,
                **trajectories_json(sound, score, POINTS, hold_still),
            }
        )
        for tile in coarse(sound, score, hold_still=hold_still, interrupted=stale):
            self._send_bytes(tile_frame(tile, revision))
        if stale():
            return
        for part in fine(
            sound,
            score,
            rate=DEFAULT_RATE,
            hold_still=hold_still,
            store=self._store,
            interrupted=stale,
        ):
            if isinstance(part, Summary):
                self._send_json(
                    {
                        "type": "summary",
                        "revision": revision,
                        "integrated": _number(part.integrated),
                        "range": _number(part.loudness_range),
                        "true_peak": _number(part.true_peak),
                        "width": _number(part.width),
                        "correlation": _number(part.correlation),
                        "loudness": [_number(v) for v in part.loudness],
                        "layers": {
                            k: [_number(v) for v in levels] for k, levels in part.layers.items()
                        },
                    }
                )
            else:
                self._send_bytes(tile_frame(part, revision))
