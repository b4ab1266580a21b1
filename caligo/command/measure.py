"""``caligo measure``: what a file sounds like, as numbers."""

from __future__ import annotations

import argparse
from pathlib import Path

from caligo.command.output import print_json
from caligo.measure.report import measure_file

UNITS = {
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


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Of which file, and in which form."""
    parser.add_argument("file")
    parser.add_argument("--json", action="store_true")


def run(arguments: argparse.Namespace) -> None:
    """Print what is measured."""
    report = measure_file(Path(arguments.file)).as_json()
    if arguments.json:
        print_json(report)
        return
    for key, value in report.items():
        shown = "silent" if value is None else f"{value:.2f} {UNITS.get(key, '')}".rstrip()
        print(f"{key.replace('_', ' '):>18}  {shown}")
