"""``caligo schema``: the JSON Schemas of documents."""

from __future__ import annotations

import argparse

from caligo.command.output import print_json
from caligo.formats.schema import json_schemas


def add_arguments(_: argparse.ArgumentParser) -> None:
    """None."""


def run(_: argparse.Namespace) -> None:
    """Print the schemas."""
    print_json(json_schemas())
