"""The subcommands, and how they end."""

from __future__ import annotations

import argparse
import errno
import gc
import os
import sys
from importlib import import_module

from caligo.errors import InputRefused

COMMANDS = {
    "render": ("render", "Render a sound to a WAV or FLAC file."),
    "trace": ("trace", "Every modulator and moved parameter over time, as JSON."),
    "measure": ("measure", "Loudness, true peak, stereo, spectrum, evolution."),
    "catalogue": ("catalogue", "All modules and parameters."),
    "schema": ("schema", "The documents' JSON Schemas."),
    "check": ("check", "Whether a file is a valid sound, and if not, why."),
    "reseed": ("reseed", "Another course of what moves at random, by a seed."),
    "material": ("material", "The material library: list, import recordings, cut tables."),
    "import": ("importing", "A score of a MIDI file, or a sound of an SFZ file."),
    "demo-sounds": ("demo_sounds", "The names of the demo sounds."),
    "warm": ("warm", "Compile all kernels now, so that nothing waits later."),
}
"""Modules and descriptions. A command imports its own module alone, so that it answers at once."""

UNCOLLECTED = 50_000
"""Objects that are made before those that have become unreachable are looked for."""


def _parser(chosen: str) -> argparse.ArgumentParser:
    """A parser that knows the arguments of one command, and of the others the names."""
    parser = argparse.ArgumentParser(prog="caligo", description="Sounds that change over minutes.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for name, (module, description) in COMMANDS.items():
        subparser = commands.add_parser(name, help=description, description=description)
        if name == chosen:
            command = import_module(f"caligo.command.{module}")
            command.add_arguments(subparser)
            subparser.set_defaults(run=command.run)
    return parser


def _said(error: OSError) -> str:
    """What is wrong with a file or the disk, and where; compiled kernels do not say their file."""
    if error.filename is None and error.errno in (errno.ENOSPC, errno.EDQUOT):
        from caligo.kernels.cache import directory

        return (
            f"{error.strerror}, most likely where compiled kernels are kept, in {directory()}; "
            "free some space there and do it again"
        )
    return str(error)


def main(arguments: list[str] | None = None) -> int:
    """Run the command; returns the exit status."""
    if arguments is None:  # as a program of its own
        # Most of what a short command makes are modules, which stay: collecting takes a tenth.
        gc.set_threshold(UNCOLLECTED)
    given = sys.argv[1:] if arguments is None else arguments
    chosen = next((word for word in given if not word.startswith("-")), "")
    parsed = _parser(chosen).parse_args(given)
    try:
        parsed.run(parsed)
    except InputRefused as error:
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
