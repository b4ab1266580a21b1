"""Speed of each kind of source on one core, as ratios to real time."""

from __future__ import annotations

from typing import Any

from caligo.document import Sound, read_sound
from demo.build import Document, acts, by_name, layer, nave, operator, part, seconds, source


def _bare(made: Document) -> Document:
    """A layer with nothing behind its source, soft enough to stay under the ceiling."""
    return layer(
        "ground", "Ground", made, filters=[], envelope={"attack": seconds(0.1)}, sends={},
        params={"level": -12},
    )  # fmt: skip


def _alone(name: str, made: Document) -> Sound:
    return read_sound({"name": name, "layers": [_bare(made)]})


def _operators() -> Document:
    """Eight operators: four carriers, each with one that acts on it."""
    ratios = (1, 2, 3, 1, 5, 1, 7, 1.5)
    items = [
        operator(n, ratio=ratio, level=-80 if n % 2 == 0 else -6)
        for n, ratio in enumerate(ratios, start=1)
    ]
    return source("operators", *items, *(acts(n + 1, n, 1.5) for n in (1, 3, 5, 7)))


def four_layers() -> Sound:
    """Four different sources, filters, and one reverb."""
    shelf = by_name()
    made: dict[str, Any] = {
        "harmonic": source("harmonic", count=48),
        "operators": source("operators", operator(1), operator(2, ratio=2, level=-80),
                            acts(2, 1, 1.0)),
        "grains": source("grains", recording=shelf["bowed_wire"]),
        "spectral": source("spectral", recording=shelf["hummed_vowel"]),
    }  # fmt: skip
    layers = [
        layer(name, name.title(), what, filters=[part("filter1", "lowpass", cutoff=2400)],
              envelope={"attack": seconds(1)}, sends={"nave": -6}, params={"level": -10})
        for name, what in made.items()
    ]  # fmt: skip
    return read_sound({"name": "Four layers", "layers": layers, "buses": [nave(9.0)]})


def cases() -> list[tuple[str, Sound, float]]:
    """What is measured, and how many times real time each is wanted at least."""
    wire = by_name()["bowed_wire"]
    return [
        ("4 notes of 256 partials, placed in stereo",
         _alone("Partials", source("harmonic", count=256, place="fan", width=100)), 30),
        ("8 operators, 4 notes", _alone("Operators", _operators()), 40),
        ("4 notes of 40 overlapping grains",
         _alone("Grains", source("grains", recording=wire, density=160, size=0.25,
                                 size_scatter=0)), 10),
        ("Spectral, 4 notes", _alone("Spectral", source("spectral", recording=wire)), 30),
        ("Four layers of four sources, with reverb", four_layers(), 8),
    ]  # fmt: skip


TEN_NOTES = "C2 G2 D3 A3 C4 E4 G4 B4 D5 F5"


def thick_cases() -> list[tuple[str, Sound, str, float]]:
    """Thick ones, which workers share the voices of: each with its chord."""
    wire = by_name()["bowed_wire"]
    pairs = [operator(n, ratio=n, level=-80 if n % 2 == 0 else -6) for n in range(1, 6)]
    four = "C2 G2 D3 A3"
    return [
        ("10 notes, unison 24, 5 operators",
         _alone("Thick operators", source("operators", *pairs, acts(2, 1, 1.5), acts(4, 3, 1.0),
                                          acts(5, 3, 0.5), unison=24)), TEN_NOTES, 2),
        ("4 notes, unison 7, spectral",
         _alone("Thick spectral", source("spectral", recording=wire, unison=7)), four, 4),
        ("4 notes, unison 24, grains",
         _alone("Thick grains", source("grains", recording=wire, unison=24)), four, 1),
    ]  # fmt: skip
