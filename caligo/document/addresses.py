"""Addresses: paths of ids that name a parameter, whatever the order of things."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from difflib import get_close_matches

from caligo.catalogue import Module, Moves, Parameter, UnknownModule, module
from caligo.document.sound import EffectPart, Part, Sound


@dataclass(frozen=True, slots=True)
class Address:
    """A parameter found in a sound: the part that holds it and its description."""

    path: str
    part: Part
    module: Module
    parameter: Parameter


def effect_parts(
    effects: Sequence[EffectPart], owner: str, pointer: str
) -> Iterator[tuple[str, str, Part]]:
    """The effects of a chain, and of all chains inside them, like `parts`."""
    for k, effect in enumerate(effects):
        path, at = f"{owner}.{effect.id}", f"{pointer}/{k}"
        yield path, at, effect
        for c, chain in enumerate(effect.chains):
            inner = f"{at}/chains/{c}/effects"
            yield from effect_parts(chain.effects, f"{path}.{chain.id}", inner)


def parts(sound: Sound) -> Iterator[tuple[str, str, Part]]:
    """Every part of a sound as (id path, JSON pointer, part), in signal order."""
    yield "sound", "", sound
    for i, layer in enumerate(sound.layers):
        at = f"/layers/{i}"
        yield layer.id, at, layer
        for k, source in enumerate(layer.sources):
            path = f"{layer.id}.{source.id}"
            pointer = f"{at}/source" if k == 0 else f"{at}/more_sources/{k - 1}"
            yield path, pointer, source
            for n, item in enumerate(source.items):
                yield f"{path}.{item.id}", f"{pointer}/items/{n}", item
        for k, filter_ in enumerate(layer.filters):
            yield f"{layer.id}.{filter_.id}", f"{at}/filters/{k}", filter_
        yield f"{layer.id}.{layer.envelope.id}", f"{at}/envelope", layer.envelope
        yield from effect_parts(layer.inserts, layer.id, f"{at}/inserts")
        for k, send in enumerate(layer.sends):
            yield f"{layer.id}.{send.id}", f"{at}/sends/{k}", send
    for i, bus in enumerate(sound.buses):
        yield bus.id, f"/buses/{i}", bus
        yield from effect_parts(bus.effects, bus.id, f"/buses/{i}/effects")
        for k, send in enumerate(bus.sends):
            yield f"{bus.id}.{send.id}", f"/buses/{i}/sends/{k}", send
    yield "master", "/master", sound.master
    yield from effect_parts(sound.master.effects, "master", "/master/effects")
    for i, modulator in enumerate(sound.modulators):
        yield modulator.id, f"/modulators/{i}", modulator


def find_parameter(sound: Sound, path: str) -> Address | None:
    """The parameter at an address such as ``ground.filter1.cutoff``, or None."""
    return find_parameters(sound, [path])[path]


def find_parameters(sound: Sound, paths: Iterable[str]) -> dict[str, Address | None]:
    """The parameters at several addresses, by address; None where there is none."""
    known = {path: part for path, _, part in parts(sound)}
    return {path: _find(known, path) for path in paths}


def _find(known: dict[str, Part], path: str) -> Address | None:
    part_path, _, key = path.rpartition(".")
    part = known.get(part_path)
    if part is None:
        return None
    try:
        spec = module(part.family, part.kind)
    except UnknownModule:
        return None
    parameter = spec.parameter(key)
    return None if parameter is None else Address(path, part, spec, parameter)


def moved_parameters(sound: Sound) -> list[Address]:
    """Every parameter that a route or a lane moves, in the order of the routes and lanes."""
    moved = [x.target for x in sound.routes if not x.muted]
    moved += [x.target for x in sound.lanes if x.points and not x.muted]
    found = find_parameters(sound, moved).values()
    return [address for address in found if address and address.parameter.moves is not Moves.NO]


def near_addresses(sound: Sound, target: str) -> str:
    """The addresses of movable parameters that may have been meant by one that does not exist."""
    known = [
        f"{path}.{parameter.key}"
        for path, _, part in parts(sound)
        for parameter in module(part.family, part.kind).parameters
        if parameter.moves is not Moves.NO
    ]
    near = get_close_matches(target, known, n=3, cutoff=0.3)
    return ", ".join(near or known[:3]) + ", …"
