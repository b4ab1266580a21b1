"""``caligo warm``: compile all kernels ahead of their use."""

from __future__ import annotations

import argparse
import sys

from caligo.engine.precompile.precompile import warm


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """How many."""
    parser.add_argument("--first", action="store_true", help="only those of a first sound")


def run(arguments: argparse.Namespace) -> None:
    """Compile what is missing."""

    def progress(done: int, total: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{done} of {total} kernels", end="", file=sys.stderr, flush=True)

    warm(progress, first_only=arguments.first)
