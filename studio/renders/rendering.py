"""What a worker does to render a sound to a file."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from caligo.document import Score, Sound
from caligo.engine.render.offline import RenderRange, render_to_file
from studio.progress import with_progress


def render(
    sound: Sound,
    score: Score,
    path: Path,
    sample_format: str,
    rate: int,
    span: RenderRange,
    *,
    interrupted: Callable[[], bool],
) -> Iterator[float]:
    """Render to `path`, and give the fraction that is done from time to time.

    Raises
    ------
    RenderCancelled, OSError, AudioFormatError
        See `caligo.engine.render.offline.render_to_file`.
    """

    def work(progress: Callable[[float], None]) -> float:
        render_to_file(
            sound, score, path, sample_format=sample_format, rate=rate, threads=2, span=span,
            progress=progress, interrupted=interrupted,
        )  # fmt: skip
        return 1.0

    yield from with_progress(work)
