"""``caligo render``: a sound as an audio file."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from caligo.command.inputs import (
    InputError,
    add_score_arguments,
    print_missing,
    score_from,
    seconds,
    sound_from,
    whole,
)
from caligo.engine.render.engine import DEFAULT_RATE, LARGE_BLOCK, RATES
from caligo.engine.render.offline import RenderRange, render_to_file
from caligo.formats.audio import SAMPLE_FORMATS
from caligo.signal.ticks import TICK

LONGEST_TAIL = 60.0
"""Seconds after the score's end that may be rendered."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """What to render, where to, and how."""
    parser.add_argument("sound", help="a sound as JSON, or the name of a demo sound")
    add_score_arguments(parser)
    parser.add_argument("--from", dest="start", type=seconds, default=0.0, metavar="T")
    parser.add_argument("--to", dest="end", type=seconds, metavar="T")
    parser.add_argument(
        "--block",
        type=whole(TICK, 1 << 20),
        default=LARGE_BLOCK,
        metavar="N",
        help="samples rendered at once; the outcome does not depend on it",
    )
    parser.add_argument("--threads", type=whole(1, 64), default=1, metavar="N")
    parser.add_argument("--rate", type=int, choices=RATES, default=DEFAULT_RATE)
    parser.add_argument("--format", choices=sorted(SAMPLE_FORMATS), default="pcm24")
    parser.add_argument("--stems", metavar="DIR", help="also write every layer on its own")
    parser.add_argument("--hold-still", action="store_true", help="stop all movement")
    parser.add_argument("-o", dest="output", required=True, metavar="OUT.wav|OUT.flac")


def run(arguments: argparse.Namespace) -> None:
    """Render to a file, and say how long it took."""
    sound, score = sound_from(arguments.sound), score_from(arguments)
    print_missing(sound)
    end = score.length if arguments.end is None else arguments.end
    longest = score.length + LONGEST_TAIL
    if end > longest:
        raise InputError(
            f"--to {end:g} s lies past the end; the score lasts {score.length:g} s, and up to "
            f"{LONGEST_TAIL:g} s may follow"
        )
    if arguments.start >= end:
        raise InputError(f"--from {arguments.start:g} s does not lie before the end, {end:g} s")

    def progress(done: float) -> None:
        if sys.stderr.isatty():
            print(f"\r{100 * done:5.1f} %", end="", file=sys.stderr, flush=True)

    rendered = render_to_file(
        sound,
        score,
        Path(arguments.output),
        sample_format=arguments.format,
        rate=arguments.rate,
        threads=arguments.threads,
        block=arguments.block,
        span=RenderRange(arguments.start, end),
        stems_directory=Path(arguments.stems) if arguments.stems else None,
        hold_still=arguments.hold_still,
        progress=progress,
    )
    print(
        f"{arguments.output}: {rendered.length:.1f} s in {rendered.wall:.2f} s, "
        f"{rendered.ratio:.1f} times real time"
    )
