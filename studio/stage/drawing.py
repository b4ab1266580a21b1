"""What a worker does to draw a sound: trajectories, the coarse view, the fine one, a summary."""

from __future__ import annotations

import math
from collections import OrderedDict
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from caligo.document import Score, Sound
from caligo.document.sound import Layer
from caligo.engine.coarse_view import coarse
from caligo.engine.engine import DEFAULT_RATE
from caligo.engine.long_view import COLUMNS, Summary, Tile, fine
from caligo.engine.pictures import picture
from caligo.engine.stem_keys import stem_key
from caligo.engine.stems import StemStore
from caligo.engine.trajectories import Outline, trajectories
from caligo.measure.spectrogram import FLOOR, HIGHEST, LOWEST, ROWS
from studio.stage.messages import (
    PictureNews,
    SummaryNews,
    TileHeader,
    TrajectoriesNews,
    TrajectoryOut,
)
from studio.stage.packets import TILE, packet

MOST_PICTURES = 24
THREADS = 2
"""Workers that make the coarse picture."""
POINTS = 480
"""Points of a trajectory: more than two for each pixel of a strip."""


def _number(value: float) -> float | None:
    return round(value, 3) if math.isfinite(value) else None


def outline(found: Outline) -> TrajectoryOut:
    """A trajectory in short, in six significant digits."""
    return TrajectoryOut(
        value=[float(f"{v:.6g}") for v in found.middle],
        low=[float(f"{v:.6g}") for v in found.low],
        high=[float(f"{v:.6g}") for v in found.high],
    )


def trajectories_news(
    sound: Sound, score: Score, points: int, revision: int, hold_still: bool = False
) -> TrajectoriesNews:
    """All trajectories of a sound."""
    found = trajectories(sound, score, points, hold_still=hold_still)
    return TrajectoriesNews(
        revision=revision,
        length=score.length,
        points=points,
        modulators={k: outline(v) for k, v in found.modulators.items()},
        parameters={k: outline(v) for k, v in found.parameters.items()},
    )


def tile_packet(tile: Tile, revision: int) -> bytes:
    """A tile as a packet: levels by column, lowest row first."""
    header = TileHeader(
        revision=revision,
        first=tile.first,
        span=tile.span,
        fine=tile.fine,
        columns=len(tile.levels),
        rows=ROWS,
        total=COLUMNS,
        low=LOWEST,
        high=HIGHEST,
        floor=FLOOR,
        loudness=[_number(v) for v in tile.loudness],
        width=[_number(v) for v in tile.width],
    )
    return packet(TILE, header, tile.levels.tobytes())


def summary_news(summary: Summary, revision: int) -> SummaryNews:
    """What is known of the whole."""
    return SummaryNews(
        revision=revision,
        integrated=_number(summary.integrated),
        range=_number(summary.loudness_range),
        true_peak=_number(summary.true_peak),
        width=_number(summary.width),
        correlation=_number(summary.correlation),
        loudness=[_number(v) for v in summary.loudness],
        stages={k: [_number(v) for v in line] for k, line in summary.stages.items()},
        peaks={k: _number(v) for k, v in summary.peaks.items()},
    )


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
    yield trajectories_news(sound, score, POINTS, revision, hold_still).model_dump_json()
    first = coarse(sound, score, hold_still=hold_still, threads=THREADS, interrupted=interrupted)
    for tile in first:
        yield tile_packet(tile, revision)
    if interrupted():
        return
    for layer in sound.layers:
        if interrupted():
            return
        shown = _picture(sound, score, layer, hold_still)
        yield PictureNews(layer=layer.id, revision=revision, **shown).model_dump_json()
    store = StemStore(*stems)
    for part in fine(sound, score, hold_still=hold_still, store=store, interrupted=interrupted):
        if isinstance(part, Summary):
            yield summary_news(part, revision).model_dump_json()
        else:
            yield tile_packet(part, revision)
