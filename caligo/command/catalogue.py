"""``caligo catalogue``: all modules and their parameters, as JSON."""

from __future__ import annotations

import argparse

from caligo.catalogue import as_json
from caligo.command.output import print_json


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """In which form."""
    parser.add_argument("--json", action="store_true", help="the default and only form")


def run(_: argparse.Namespace) -> None:
    """Print the catalogue."""
    print_json(as_json())
