"""What a worker does to draw a sound: trajectories, the preview, the fine one, a summary."""

from __future__ import annotations

import math
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from caligo.document import Score, Sound
from caligo.document.sound import Layer, SourcePart
from caligo.engine.render.engine import DEFAULT_RATE, Engine
from caligo.engine.stems.keys import stem_key
from caligo.engine.stems.store import StemStore
from caligo.engine.views.gain_compensation import compensated_level
from caligo.engine.views.long_view import COLUMNS, DETAIL_COLUMNS, Summary, Tile, detail, fine
from caligo.engine.views.picture_store import (
    KEPT_PROBES,
    Drawn,
    PictureStore,
    Probe,
    family_of,
    picture_key,
)
from caligo.engine.views.pictures import picture
from caligo.engine.views.preview import Preview, probes, probes_for
from caligo.engine.views.trajectories import TrajectoryView
from caligo.measure.panorama import CENTRES, PLACES
from caligo.measure.spectrogram import FLOOR, HIGHEST, LOWEST, ROWS
from caligo.movement.hold_still import Frozen, HoldStill
from caligo.movement.readings import too_fast
from caligo.movement.returns import Return, Returns, returns_after
from studio.cleanup import PICTURES
from studio.live.messages import (
    CloserHeader,
    FindingOut,
    MakeUpNews,
    NotesNews,
    PictureNews,
    ReadingOut,
    ReturnOut,
    ReturnsOut,
    SummaryNews,
    TileHeader,
    TrajectoriesHeader,
)
from studio.live.packets import CLOSER, TILE, TRAJECTORIES, packet

Stretch = tuple[float, float]
MOST_PICTURES = 24
MOST_NOTES = 64
"""Notes whose trajectories are sent each for itself: more lines cannot be read in a row."""
THREADS = 2
"""Workers that make the preview."""
IN_A_ROW = 0.5
"""Seconds within which states that follow each other are taken for one gesture."""
PAUSE = 0.15
"""Seconds for which a gesture has to rest before the long view is drawn."""
GLANCE = 0.01
POINTS = 480
"""Points of a trajectory: more than two for each pixel of a strip."""


def _number(value: float) -> float | None:
    return round(value, 3) if math.isfinite(value) else None


def _return(found: Return) -> ReturnOut:
    exact = "" if found.seconds is None else str(found.seconds)
    return ReturnOut(
        seconds=None if found.seconds is None else float(found.seconds), exact=exact, why=found.why
    )


def _returns(found: Returns) -> ReturnsOut:
    soonest = found.soonest
    return ReturnsOut(
        whole=_return(found.whole),
        modulators={name: _return(one) for name, one in found.modulators.items()},
        soonest=None if soonest is None else (soonest[0], soonest[1], float(soonest[2])),
    )


def trajectories_packet(
    sound: Sound,
    score: Score,
    points: int,
    revision: int,
    hold_still: HoldStill = False,
    span: Stretch | None = None,
) -> bytes:
    """All trajectories of a sound, over the whole or a stretch, as a packet."""
    found = TrajectoryView(sound, score, points, hold_still=hold_still).probe(span)
    returns = returns_after(sound, score) if span is None else None
    header = TrajectoriesHeader(
        revision=revision,
        start=span[0] if span else 0.0,
        end=span[1] if span else score.length,
        points=points,
        modulators=list(found.modulators),
        parameters=list(found.parameters),
        spread=list(found.spread),
        depths={} if hold_still else {route.id: route.depth for route in sound.routes},
        two_sided=found.two_sided,
        readings={k: ReadingOut(**asdict(v)) for k, v in found.readings.items()},
        quick=too_fast(sound, returns.periods) if returns else {},
        returns=_returns(returns) if returns else None,
    )
    lines = [
        line
        for outline in (*found.modulators.values(), *found.parameters.values())
        for line in (outline.middle, outline.low, outline.high)
    ]
    lines += [line for pair in found.spread.values() for line in pair]
    data = np.array(lines, dtype="<f4").tobytes()
    return packet(TRAJECTORIES, header, data)


def send_notes(
    sound: Sound,
    score: Score,
    revision: int,
    hold_still: HoldStill,
    stems: tuple[Path, int],
    address: str,
    span: Stretch | None,
    *,
    interrupted: Callable[[], bool],
) -> Iterator[str]:
    """What a parameter does in each note."""
    found = TrajectoryView(sound, score, POINTS, hold_still=hold_still).notes(
        address, span, most=MOST_NOTES
    )
    yield NotesNews(
        revision=revision,
        address=address,
        start=span[0] if span else 0.0,
        end=span[1] if span else score.length,
        notes={
            name: [None if v is None else float(f"{v:.6g}") for v in line]
            for name, line in found.items()
        },
    ).model_dump_json()


def send_gain_compensation(
    sound: Sound,
    score: Score,
    revision: int,
    hold_still: HoldStill,
    stems: tuple[Path, int],
    address: str,
    *,
    interrupted: Callable[[], bool],
) -> Iterator[str]:
    """What an effect's output has to be so that it makes nothing louder or softer."""
    found = compensated_level(sound, score, address, hold_still=hold_still, interrupted=interrupted)
    if not interrupted():
        decibels = None if found is None else round(found, 2)
        yield MakeUpNews(revision=revision, address=address, decibels=decibels).model_dump_json()


def _stillness(hold_still: HoldStill) -> dict[str, Any]:
    """What of the movement was drawn, as the page holds it."""
    frozen = hold_still.at if isinstance(hold_still, Frozen) else None
    return {"still": bool(hold_still), "frozen": frozen}


def _header(tile: Tile, revision: int, hold_still: HoldStill, total: int) -> dict[str, Any]:
    """What the header of a tile says."""
    return {
        "revision": revision,
        **_stillness(hold_still),
        "first": tile.first,
        "span": tile.span,
        "fine": tile.fine,
        "columns": len(tile.levels),
        "rows": ROWS,
        "total": total,
        "low": LOWEST,
        "high": HIGHEST,
        "floor": FLOOR,
        "places": PLACES,
        "octaves": list(CENTRES),
        "loudness": [_number(v) for v in tile.loudness],
        "width": [_number(v) for v in tile.width],
    }


def _data(tile: Tile) -> bytes:
    """Levels by column, lowest row first, then images by column."""
    return tile.levels.tobytes() + tile.image.tobytes()


def tile_packet(tile: Tile, revision: int, hold_still: HoldStill) -> bytes:
    """A tile as a packet."""
    return packet(TILE, TileHeader(**_header(tile, revision, hold_still, COLUMNS)), _data(tile))


def summary_news(summary: Summary, revision: int, hold_still: HoldStill) -> SummaryNews:
    """What is known of the whole."""
    return SummaryNews(
        revision=revision,
        **_stillness(hold_still),
        integrated=_number(summary.integrated),
        range=_number(summary.loudness_range),
        true_peak=_number(summary.true_peak),
        width=_number(summary.width),
        correlation=_number(summary.correlation),
        loudness=[_number(v) for v in summary.loudness],
        slots={k: [_number(v) for v in line] for k, line in summary.slots.items()},
        peaks={k: _number(v) for k, v in summary.peaks.items()},
        findings=[FindingOut(**asdict(one)) for one in summary.findings],
    )


_pictures: OrderedDict[str, dict[str, Any]] = OrderedDict()
"""This worker's newest pictures, by all that their layer's stem depends on."""


def _alone(layer: Layer, source: SourcePart) -> Layer:
    """A layer with one of its sources; the filters' responses are drawn with the first."""
    alone = layer.with_source(source)
    return alone if source is layer.source else alone.model_copy(update={"filters": []})


def _picture(sound: Sound, score: Score, layer: Layer, hold_still: HoldStill) -> dict[str, Any]:
    """A layer's picture; one that an edit has left alone is not made again."""
    key = stem_key(sound, layer, score, DEFAULT_RATE, hold_still)
    shown = _pictures.pop(key, None) or picture(sound, score, layer, hold_still=hold_still)
    _pictures[key] = shown
    while len(_pictures) > MOST_PICTURES:
        _pictures.popitem(last=False)
    return shown


_asked_at = -math.inf
"""When this worker was last asked to draw."""


def _gesture_goes_on(interrupted: Callable[[], bool]) -> bool:
    """Whether a newer state comes at once, as while a value is dragged.

    Looks begun between two moves of a hand would never be finished, and would only take the cores
    from the page and from what plays.
    """
    global _asked_at
    before, _asked_at = _asked_at, time.monotonic()
    if _asked_at - before > IN_A_ROW:
        return False
    while time.monotonic() - _asked_at < PAUSE:
        if interrupted():
            return True
        time.sleep(GLANCE)
    return interrupted()


def draw(
    sound: Sound,
    score: Score,
    revision: int,
    hold_still: HoldStill,
    stems: tuple[Path, int],
    *,
    interrupted: Callable[[], bool],
) -> Iterator[str | bytes]:
    """Everything that there is to see of a sound: messages as they go to the browser.

    They are finished here, so that the process that plays only has to pass them on.

    `stems` is the folder of finished stems and its limit in bytes. A sound that was drawn before is
    shown at once; its stems are rendered again only where they are gone.
    """
    yield trajectories_packet(sound, score, POINTS, revision, hold_still)
    if _gesture_goes_on(interrupted):
        return
    store, pictures = StemStore(*stems), PictureStore(stems[0] / PICTURES)
    key = picture_key(sound, score, hold_still)
    drawn = pictures.read(key)
    view = None
    if drawn is None:
        family = family_of(sound, score, hold_still)
        view = Preview(pictures.newest(family))
        for probe in probes(
            sound,
            score,
            hold_still=hold_still,
            threads=THREADS,
            most=view.most_probes,
            interrupted=interrupted,
        ):
            for tile in view.add(probe):
                yield tile_packet(tile, revision, hold_still)
    else:
        yield tile_packet(drawn.tile(), revision, hold_still)
        yield summary_news(drawn.summary, revision, hold_still).model_dump_json()
    for layer in sound.layers:
        for source in layer.sources:
            if interrupted():
                return
            shown = _picture(sound, score, _alone(layer, source), hold_still)
            news = PictureNews(layer=layer.id, source=source.id, revision=revision, **shown)
            yield news.model_dump_json()
    if drawn is not None:
        engine = Engine(sound, score, hold_still=hold_still, stems=store, begins=False)
        if engine.kept_whole():
            return
    tiles: list[Tile] = []
    for part in fine(sound, score, hold_still=hold_still, store=store, interrupted=interrupted):
        if isinstance(part, Summary):
            if view is not None:
                pictures.write(key, family, Drawn.of(view.probes, tiles, part))
                yield summary_news(part, revision, hold_still).model_dump_json()
        elif view is not None:
            tiles.append(part)
            yield tile_packet(part, revision, hold_still)


def prerender_idle(
    sound: Sound,
    score: Score,
    stems: tuple[Path, int],
    *,
    interrupted: Callable[[], bool],
) -> Iterator[None]:
    """Draw a sound that nobody has open, and keep its picture; something is given at every step."""
    seen: dict[int, Probe] = {}
    tiles: list[Tile] = []
    most = min(KEPT_PROBES, probes_for(score.length))
    for probe in probes(sound, score, most=most, interrupted=interrupted):
        seen[probe.index] = probe
        yield
    for part in fine(sound, score, interrupted=interrupted):
        if isinstance(part, Summary):
            key, family = picture_key(sound, score), family_of(sound, score)
            PictureStore(stems[0] / PICTURES).write(key, family, Drawn.of(seen, tiles, part))
        else:
            tiles.append(part)
        yield


def draw_detail(
    sound: Sound,
    score: Score,
    revision: int,
    hold_still: HoldStill,
    stems: tuple[Path, int],
    span: Stretch,
    *,
    interrupted: Callable[[], bool],
) -> Iterator[str | bytes]:
    """A stretch in detail: its trajectories, and its part of the picture in finer columns."""
    yield trajectories_packet(sound, score, POINTS, revision, hold_still, span)
    store = StemStore(*stems)
    for tile in detail(
        sound, score, span, hold_still=hold_still, store=store, interrupted=interrupted
    ):
        header = CloserHeader(
            **_header(tile, revision, hold_still, DETAIL_COLUMNS), start=span[0], end=span[1]
        )
        yield packet(CLOSER, header, _data(tile))
