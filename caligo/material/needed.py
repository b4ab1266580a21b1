"""What material a sound draws on, and what of it is missing."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from caligo.catalogue import module
from caligo.document.addresses import parts
from caligo.document.sound import Part, Sound
from caligo.material.store import MaterialStore, current

MATERIAL = ("recording", "table")


def named(some: Iterable[Part]) -> Iterator[tuple[Part, str, str]]:
    """Every part's parameters that name material: the part, the parameter and the key."""
    for part in some:
        for parameter in module(part.family, part.kind).parameters:
            if parameter.of in MATERIAL:
                yield part, parameter.key, part.text(parameter.key)


def used(sound: Sound) -> set[str]:
    """The keys of all material that a sound names."""
    return {key for _, _, key in named(part for _, _, part in parts(sound)) if key}


def missing(sound: Sound, store: MaterialStore | None = None) -> list[str]:
    """The addresses of parameters that name material which is not in the material library."""
    held = store or current()
    found = []
    for path, _, part in parts(sound):
        for _, parameter, key in named([part]):
            card = held.card(key) if key else None
            if key and (card is None or held.path(card) is None):
                found.append(f"{path}.{parameter}")
    return found
