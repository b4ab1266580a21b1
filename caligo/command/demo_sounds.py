"""``caligo demo-sounds``: the names of the demo sounds."""

from __future__ import annotations

import argparse

from caligo.command.inputs import demo_sounds


def add_arguments(_: argparse.ArgumentParser) -> None:
    """None."""


def run(_: argparse.Namespace) -> None:
    """Print the names."""
    for name in demo_sounds():
        print(name)
