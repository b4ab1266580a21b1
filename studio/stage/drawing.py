"""What a worker does to draw a sound: trajectories, the coarse view, the fine one, a summary."""

from __future__ import annotations

import json
import math
from collections import OrderedDict
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from caligo.document import Score, Sound
from caligo.document.sound import Layer
from caligo.engine.engine import DEFAULT_RATE
from caligo.engine.long_view import COLUMNS, Summary, Tile, coarse, fine
from caligo.engine.pictures import picture
from caligo.engine.stem_keys import stem_key
from caligo.engine.stems import StemStore
from caligo.engine.trajectories import Outline, trajectories
from caligo.measure.spectrogram import FLOOR, HIGHEST, LOWEST, ROWS
from studio.stage.frames import TILE, frame

MOST_PICTURES = 24
POINTS = 480
"""Points of a trajectory: more than two for each pixel of a strip."""


def _number(value: float) -> float | None:
    return round(value, 3) if math.isfinite(value) else None


def outline_json(outline: Outline) -> dict[str, list[float]]:
    """A trajectory as plain data, in six significant digits."""
    return {
        "value": [float(f"{v:.6g}") for v in outline.middle],
        "low": [float(f"{v:.6g}") for v in outline.low],
        "high": [float(f"{v:.6g}") for v in outline.high],
    }


def trajectories_json(
    sound: Sound, score: Score, points: int, hold_still: bool = False
) -> dict[str, Any]:
    """All trajectories as plain data."""
    found = trajectories(sound, score, points, hold_still=hold_still)
    return {
        "length": score.length,
        "points": points,
        "modulators": {k: outline_json(v) for k, v in found.modulators.items()},
        "parameters": {k: outline_json(v) for k, v in found.parameters.items()},
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


def summary_json(summary: Summary, revision: int) -> dict[str, Any]:
    """What is known of the whole, as plain data."""
    return {
        "type": "summary",
        "revision": revision,
        "integrated": _number(summary.integrated),
        "range": _number(summary.loudness_range),
        "true_peak": _number(summary.true_peak),
        "width": _number(summary.width),
        "correlation": _number(summary.correlation),
        "loudness": [_number(v) for v in summary.loudness],
        "stages": {k: [_number(v) for v in line] for k, line in summary.stages.items()},
        "peaks": {k: _number(v) for k, v in summary.peaks.items()},
    }


_pictures: OrderedDict[str, dict[str, Any]] = OrderedDict()
"""This worker's newest pictures, by all that their layer's stem depends on."""


def _picture(sound: Sound, score: Score, layer: Layer, hold_still: bool) -> dict[str, Any]:
    """A layer's picture; one that an edit has left alone is not made again."""
    key = stem_key(sound, layer, score, DEFAULT_RATE, hold_still)
    shown = _pictures.pop(key, None) or picture(sound, score, layer, hold_still=hold_still)
    _pictures[key] = shown
    while len(_pictures) > MOST_PICTURES:
        _pictures.popitem(last=False)
    return shown


def draw(
    sound: Sound,
    score: Score,
    revision: int,
    hold_still: bool,
    stems: tuple[Path, int],
    *,
    interrupted: Callable[[], bool],
) -> Iterator[str | bytes]:
    """Everything that there is to see of a sound: messages as they go to the browser.

    They are finished here, so that the process that plays only has to pass them on.

    `stems` is the folder of finished stems and its limit in bytes.
    """
    trajectories = trajectories_json(sound, score, POINTS, hold_still)
    yield json.dumps({"type": "trajectories", "revision": revision, **trajectories})
    for tile in coarse(sound, score, hold_still=hold_still, interrupted=interrupted):
        yield tile_frame(tile, revision)
    if interrupted():
        return
    for layer in sound.layers:
        if interrupted():
            return
        shown = _picture(sound, score, layer, hold_still)
        yield json.dumps({"type": "picture", "layer": layer.id, "revision": revision, **shown})
    store = StemStore(*stems)
    for part in fine(sound, score, hold_still=hold_still, store=store, interrupted=interrupted):
        if isinstance(part, Summary):
            yield json.dumps(summary_json(part, revision))
        else:
            yield tile_frame(part, revision)
