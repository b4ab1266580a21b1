"""The subcommands, from render to warm, and how they end."""

from __future__ import annotations

import argparse
import errno
import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from caligo.catalogue import as_json
from caligo.command.importing import import_file
from caligo.command.inputs import (
    InputError,
    add_score_arguments,
    demo_sounds,
    score_from,
    seconds,
    sound_from,
    whole,
)
from caligo.command.material import add_material_commands
from caligo.document import DocumentError, Sound
from caligo.document.meaning import warnings
from caligo.engine.engine import DEFAULT_RATE, LARGE_BLOCK, RATES
from caligo.engine.offline import RenderRange, render_to_file
from caligo.engine.trajectories import Outline, trajectories
from caligo.engine.warm import warm
from caligo.formats.audio import SUBTYPES, AudioFormatError
from caligo.formats.midi import MidiError
from caligo.formats.schema import json_schemas
from caligo.formats.sfz import SfzError
from caligo.kernels.cache import directory
from caligo.material.needed import missing
from caligo.material.reading import MaterialError
from caligo.material.shelf import VARIABLE
from caligo.measure.report import UnreadableAudio, measure_file
from caligo.signal.ticks import TICK

UNREADABLE = (MidiError, SfzError, DocumentError)
LONGEST_TAIL = 60.0
"""Seconds after the score's end that may be rendered."""
Handler = Callable[[argparse.Namespace], None]


def _print(data: Any) -> None:
    json.dump(data, sys.stdout, indent=2)
    print()


def _tell_missing(sound: Sound) -> None:
    for address in missing(sound):
        print(
            f"{address}: this material is not on the shelf, and is silent; "
            f"name its folder in {VARIABLE}",
            file=sys.stderr,
        )


def _render(arguments: argparse.Namespace) -> None:
    sound, score = sound_from(arguments.sound), score_from(arguments)
    _tell_missing(sound)
    end = score.length if arguments.end is None else arguments.end
    longest = score.length + LONGEST_TAIL
    if end > longest:
        raise InputError(
            f"--to {end:g} s lies past the end; the score lasts {score.length:g} s, and up to "
            f"{LONGEST_TAIL:g} s may follow"
        )
    if arguments.start >= end:
        raise InputError(f"--from {arguments.start:g} s does not lie before the end, {end:g} s")

    def progress(share: float) -> None:
        if sys.stderr.isatty():
            print(f"\r{100 * share:5.1f} %", end="", file=sys.stderr, flush=True)

    rendered = render_to_file(
        sound,
        score,
        Path(arguments.output),
        sample_format=arguments.format,
        rate=arguments.rate,
        threads=arguments.threads,
        block=arguments.block,
        span=RenderRange(arguments.start, end),
        stems_folder=Path(arguments.stems) if arguments.stems else None,
        hold_still=arguments.hold_still,
        progress=progress,
    )
    print(
        f"{arguments.output}: {rendered.length:.1f} s in {rendered.wall:.2f} s, "
        f"{rendered.ratio:.1f} times real time"
    )


def _trace(arguments: argparse.Namespace) -> None:
    found = trajectories(
        sound_from(arguments.sound), score_from(arguments), arguments.points, each_note=True
    )

    def as_data(named: dict[str, Outline]) -> dict[str, Any]:
        return {
            name: {"value": t.middle.tolist(), "low": t.low.tolist(), "high": t.high.tolist()}
            for name, t in named.items()
        }

    _print(
        {
            "times": found.times.tolist(),
            "modulators": as_data(found.modulators),
            "parameters": as_data(found.parameters),
            "notes": found.notes,
        }
    )


def _measure(arguments: argparse.Namespace) -> None:
    report = measure_file(Path(arguments.file)).as_json()
    if arguments.json:
        _print(report)
        return
    units = {
        "length": "s",
        "rate": "Hz",
        "integrated": "LUFS",
        "momentary": "LUFS",
        "short_term": "LUFS",
        "loudness_range": "LU",
        "true_peak": "dBTP",
        "evolution": "dB",
        "evolution_seconds": "dB",
        "evolution_tens": "dB",
        "evolution_minutes": "dB",
        "centroid": "Hz",
        "centroid_range": "oct",
        "harshness": "%",
    }
    for key, value in report.items():
        shown = "silent" if value is None else f"{value:.2f} {units.get(key, '')}".rstrip()
        print(f"{key.replace('_', ' '):>18}  {shown}")


def _check(arguments: argparse.Namespace) -> None:
    sound = sound_from(arguments.sound)
    _tell_missing(sound)
    found = warnings(sound)
    for warning in found:
        print(f"warning: {warning}")
    more = f", and {len(found)} warnings" if found else ""
    print(
        f"{sound.name}: a valid sound with {len(sound.layers)} layers, "
        f"{len(sound.modulators)} modulators and {len(sound.routes)} routes{more}"
    )


def _warm(arguments: argparse.Namespace) -> None:
    def progress(done: int, total: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{done} of {total} kernels", end="", file=sys.stderr, flush=True)

    warm(progress, first_only=arguments.first)


def _demo_sounds(_: argparse.Namespace) -> None:
    for name in demo_sounds():
        print(name)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="caligo", description="Sounds that change over minutes.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    def command(name: str, handler: Handler, help: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=help, description=help)
        sub.set_defaults(handler=handler)
        return sub

    render = command("render", _render, "Render a sound to a WAV or FLAC file.")
    render.add_argument("sound", help="a sound as JSON, or the name of a demo sound")
    add_score_arguments(render)
    render.add_argument("--from", dest="start", type=seconds, default=0.0, metavar="T")
    render.add_argument("--to", dest="end", type=seconds, metavar="T")
    render.add_argument(
        "--block",
        type=whole(TICK, 1 << 20),
        default=LARGE_BLOCK,
        metavar="N",
        help="samples rendered at once; the outcome does not depend on it",
    )
    render.add_argument("--threads", type=whole(1, 64), default=1, metavar="N")
    render.add_argument("--rate", type=int, choices=RATES, default=DEFAULT_RATE)
    render.add_argument("--format", choices=sorted(SUBTYPES), default="pcm24")
    render.add_argument("--stems", metavar="DIR", help="also write every layer on its own")
    render.add_argument("--hold-still", action="store_true", help="stop all movement")
    render.add_argument("-o", dest="output", required=True, metavar="OUT.wav|OUT.flac")

    trace = command("trace", _trace, "Every modulator and moved parameter over time, as JSON.")
    trace.add_argument("sound")
    add_score_arguments(trace)
    trace.add_argument("--points", type=whole(2, 100_000), default=600)
    trace.add_argument("--json", action="store_true", help="the default and only form")

    measure = command("measure", _measure, "Loudness, true peak, stereo, spectrum, evolution.")
    measure.add_argument("file")
    measure.add_argument("--json", action="store_true")

    catalogue = command("catalogue", lambda _: _print(as_json()), "All modules and parameters.")
    catalogue.add_argument("--json", action="store_true", help="the default and only form")
    command("schema", lambda _: _print(json_schemas()), "The documents' JSON Schemas.")
    check = command("check", _check, "Whether a file is a valid sound, and if not, why.")
    check.add_argument("sound")
    add_material_commands(
        commands.add_parser("material", help="The shelf: list, take recordings in, cut tables.")
    )
    importing = command("import", import_file, "A score of a MIDI file, or a sound of an SFZ file.")
    importing.add_argument("file", help="a .mid or .sfz file")
    importing.add_argument("-o", dest="output", metavar="OUT.json")
    command("demo-sounds", _demo_sounds, "The names of the demo sounds.")
    warming = command("warm", _warm, "Compile all kernels now, so that nothing waits later.")
    warming.add_argument("--first", action="store_true", help="only those of a first sound")
    return parser


def _said(error: OSError) -> str:
    """What is wrong with a file or the disk, and where; compiled kernels do not say their file."""
    if error.filename is None and error.errno in (errno.ENOSPC, errno.EDQUOT):
        return (
            f"{error.strerror}, most likely where compiled kernels are kept, in {directory()}; "
            "free some space there and do it again"
        )
    return str(error)


def main(arguments: list[str] | None = None) -> int:
    """Run the command; returns the exit status."""
    given = _parser().parse_args(arguments)
    try:
        given.handler(given)
    except (InputError, AudioFormatError, UnreadableAudio, MaterialError, *UNREADABLE) as error:
        print(f"caligo: {error}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        # Whoever read is gone; what is still held back would only complain of that at the end.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 1
    except OSError as error:
        print(f"caligo: {_said(error)}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130
    return 0
