"""Sounds that use a module of the catalogue in every way that its choices and routes allow."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from caligo.catalogue import Kind, Module, Moves, Parameter
from caligo.catalogue import module as catalogue_module
from caligo.document import read_sound
from caligo.document.sound import Sound
from caligo.material.store import current

Document = dict[str, Any]


def _alone(family: str, part: Document, routes: list[Document]) -> Sound:
    """A sound in which one module does its work; what moves is called ``mover``."""
    source = part if family == "source" else {"id": "source", "kind": "wavetable"}
    modulators = [{"id": "mover", "name": "Mover", "kind": "lfo", "scope": "note"}]
    if family == "modulator":
        modulators += [part | {"name": "Moved", "scope": scope, "id": f"part_{scope}"}
                       for scope in ("note", "sound")]  # fmt: skip
    return read_sound(
        {
            "name": "Trial",
            "layers": [
                {
                    "id": "ground",
                    "name": "Ground",
                    "source": source,
                    "filters": [part] if family == "filter" else [],
                    "inserts": [part] if family == "effect" else [],
                }
            ],
            "modulators": modulators,
            "routes": [{"id": f"r{i}", "from": "mover", **r} for i, r in enumerate(routes)],
        }
    )


def _items(module: Module) -> list[Document]:
    """Two of each kind of item that a source may be made of."""
    kinds = [rule.kind for rule in module.items for _ in range(min(2, rule.most))]
    recordings = [card.key for card in current().cards() if card.kind == "recording"][:1]
    made: list[Document] = []
    for number, kind in enumerate(kinds, start=1):
        params: Document = {}
        for parameter in catalogue_module("item", kind).parameters:
            if parameter.of == "recording":
                params[parameter.key] = (recordings or [""])[0]
            elif parameter.kind is Kind.REFERENCE:
                named = [i["id"] for i in made if i["kind"] == parameter.of]
                params[parameter.key] = (named or [""])[-1]
        made.append({"id": f"{kind}{number}", "kind": kind, "params": params})
    return made


def trials(family: str, module: Module) -> Iterator[Sound]:
    """Sounds that together use a module in every way that its choices and routes allow."""
    shelf = current().cards()

    def reference(parameter: Parameter) -> str:
        return next((card.key for card in shelf if card.kind == parameter.of), "")

    named = {p.key: reference(p) for p in module.parameters if p.kind is Kind.REFERENCE}
    part: Document = {"id": "source" if family == "source" else "part", "kind": module.kind}
    if family == "source":
        part["items"] = _items(module)
    movable = [p for p in module.parameters if p.moves is not Moves.NO]
    owner = {"source": "ground.source", "modulator": "part_note"}.get(family, "ground.part")
    moved = [{"to": f"{owner}.{p.key}", "depth": 0.3 * p.depth_limit} for p in movable]
    # Away from the middle, where two-sided amounts do nothing.
    acting = {p.key: 0.3 * p.low + 0.7 * p.high for p in movable if p.kind is Kind.NUMBER}
    several = {"unison": 3} if module.parameter("unison") else {}
    for params in ({}, several, acting, acting | several):
        yield _alone(family, part | {"params": named | params}, [])
        yield _alone(family, part | {"params": named | params}, moved)
    for parameter in module.parameters:
        values = [c.value for c in parameter.choices]
        if parameter.kind is Kind.SWITCH:
            values = [not parameter.default]  # type: ignore[list-item]
        for value in values:
            chosen = part | {"params": named | acting | {parameter.key: value}}
            yield _alone(family, chosen, [])
            yield _alone(family, chosen, moved)
