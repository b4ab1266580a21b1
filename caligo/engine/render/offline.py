"""Rendering to a file: streamed, so that memory does not grow with length."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.engine.render.engine import DEFAULT_RATE, LARGE_BLOCK, Engine, Interrupted
from caligo.engine.stems.store import StemStore
from caligo.formats.audio import AudioWriter
from caligo.movement.hold_still import HoldStill
from caligo.signal.ticks import TICK

Progress = Callable[[float], None]


class RenderCancelled(Exception):
    """The render was stopped on request; its file has been removed."""


@dataclass(frozen=True, slots=True)
class Rendered:
    """What a render made: seconds of sound, and seconds that it took."""

    length: float
    wall: float

    @property
    def ratio(self) -> float:
        """How many times faster than real time it was."""
        return self.length / self.wall if self.wall > 0 else math.inf


@dataclass(frozen=True, slots=True)
class RenderRange:
    """From where to where to render, in seconds; the end may lie after the score's."""

    start: float = 0.0
    end: float | None = None

    def samples(self, score: Score, rate: int) -> tuple[int, int]:
        """First sample and number of samples."""
        first = round(self.start * rate)
        last = round((score.length if self.end is None else self.end) * rate)
        return first, max(0, last - first)


def render_to_file(
    sound: Sound,
    score: Score,
    path: Path,
    *,
    sample_format: str = "pcm24",
    rate: int = DEFAULT_RATE,
    threads: int = 1,
    block: int = LARGE_BLOCK,
    span: RenderRange = RenderRange(),
    stems_directory: Path | None = None,
    store: StemStore | None = None,
    hold_still: HoldStill = False,
    progress: Progress = lambda _: None,
    interrupted: Interrupted = lambda: False,
) -> Rendered:
    """Render a sound over a score to a WAV or FLAC file, by the path's ending.

    The file appears under its name only when it is whole.

    Parameters
    ----------
    sound : Sound
    score : Score
    path : Path
        Ends in ``.wav`` or ``.flac``.
    sample_format : str, optional
        A key of `caligo.formats.audio.SAMPLE_FORMATS`.
    rate : int, optional
        Samples per second, one of `caligo.engine.render.engine.RATES`.
    threads, block : int, optional
        See `render_array`.
    span : RenderRange, optional
        From where to where, in seconds.
    stems_directory : Path, optional
        Where every layer's stem is written as well.
    store : StemStore, optional
        Where finished stems are kept, so that they are not rendered again.
    hold_still : bool or Frozen, optional
        Stop all movement: at rest, or as it is at a moment.
    progress : callable, optional
        Receives the fraction that is done.
    interrupted : callable, optional
        Asked now and then; once it gives True, nothing more is computed.

    Returns
    -------
    Rendered
        Seconds of sound, and how long they took.

    Raises
    ------
    RenderCancelled
        If `interrupted` said so.
    AudioFormatError
        The container does not hold such samples.
    OSError
        If the disk is full or the directory cannot be written to; nothing is left behind.

    Examples
    --------
    >>> from caligo.document import read_sound
    >>> from caligo.document.held import held_chord
    >>> layer = {"id": "a", "name": "A", "source": {"kind": "wavetable"}}
    >>> sound = read_sound({"name": "Plain", "layers": [layer]})
    >>> with __import__("tempfile").TemporaryDirectory() as directory:
    ...     rendered = render_to_file(sound, held_chord("A2", 1.0), Path(directory) / "a.wav")
    >>> rendered.length
    1.0
    """
    began = time.perf_counter()
    engine = Engine(sound, score, rate=rate, threads=threads, stems=store, hold_still=hold_still)
    first, count = span.samples(score, rate)
    first_tick, skip = divmod(first, TICK)
    ticks = math.ceil((skip + count) / TICK)
    writers: dict[str, AudioWriter] = {}
    try:
        writers["mix"] = AudioWriter(path, rate, sample_format, frames=count)
        if stems_directory is not None:
            stems_directory.mkdir(parents=True, exist_ok=True)
            for name in engine.layers:
                writers[name] = AudioWriter(
                    stems_directory / f"{name}{path.suffix}", rate, sample_format, frames=count
                )
        if first_tick > 0:
            engine.start(first_tick, interrupted=interrupted)
        done = -skip
        for signal, stems in engine.stream_with_stems(ticks, block):
            if interrupted():
                raise RenderCancelled
            for name, writer in writers.items():
                piece = signal if name == "mix" else stems[name]
                low, high = max(0, -done), min(piece.shape[1], count - done)
                writer.write(piece[:, low:high])
            done += signal.shape[1]
            progress(min(1.0, done / max(count, 1)))
        for writer in writers.values():
            writer.finish()
    except BaseException:
        for writer in writers.values():
            writer.discard()
        raise
    return Rendered(count / rate, time.perf_counter() - began)


def render_array(
    sound: Sound,
    score: Score,
    *,
    start: float = 0.0,
    length: float | None = None,
    rate: int = DEFAULT_RATE,
    threads: int = 1,
    block: int = LARGE_BLOCK,
    hold_still: HoldStill = False,
    ahead: bool = True,
) -> NDArray[np.float32]:
    """The sound as an array; for short stretches, tests and measurements.

    Parameters
    ----------
    sound : Sound
    score : Score
    start : float, optional
        Seconds; what was before it is as if it had been heard.
    length : float, optional
        Seconds; by default to the end of the score.
    rate : int, optional
        Samples per second, one of `caligo.engine.render.engine.RATES`.
    threads : int, optional
        Workers that render layers.
    block : int, optional
        Samples at once. Neither changes a sample.
    hold_still : bool or Frozen, optional
        Stop all movement: at rest, or as it is at a moment.
    ahead : bool, optional
        Whether layers may be rendered in longer stretches than blocks.

    Returns
    -------
    ndarray
        32-bit floats ``[2, samples]``.

    Examples
    --------
    >>> from caligo.document import read_sound
    >>> from caligo.document.held import held_chord
    >>> layer = {"id": "a", "name": "A", "source": {"kind": "wavetable"}}
    >>> sound = read_sound({"name": "Plain", "layers": [layer]})
    >>> render_array(sound, held_chord("A2", 2.0), start=1.0, length=0.25).shape
    (2, 12000)
    """
    engine = Engine(sound, score, rate=rate, threads=threads, hold_still=hold_still)
    first, count = RenderRange(
        start, start + (score.length - start if length is None else length)
    ).samples(score, rate)
    first_tick, skip = divmod(first, TICK)
    if first_tick > 0:
        engine.start(first_tick)
    ticks = math.ceil((skip + count) / TICK)
    joined = np.concatenate(list(engine.stream(ticks, block, ahead=ahead)), axis=1)
    return joined[:, skip : skip + count]
