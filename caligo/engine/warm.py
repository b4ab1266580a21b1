"""Compile every kernel once and keep the outcome on disk, so that nobody waits for it later."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from caligo.catalogue import Kind, Module, Moves, Parameter, catalogue
from caligo.catalogue import module as catalogue_module
from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.document.limits import MOST_EFFECTS, MOST_FILTERS
from caligo.document.sound import Sound
from caligo.engine.live import Listening
from caligo.engine.long_view import fine
from caligo.engine.offline import RenderRange, render_array, render_to_file
from caligo.engine.pictures import close_up, picture
from caligo.engine.trajectories import trajectories
from caligo.material.shelf import current
from caligo.measure.report import Reporter

MODULATED: dict[str, Any] = {
    "arrangement": "parallel",
    "drift": 5,
    "ring_by": "sine",
    "ring_amount": 50,
    "phase_by": "layer",
    "phase_layer": "layer0",
    "phase_depth": 30,
}
"""A layer that is modulated in both ways."""
TRIED = ("source", "filter", "effect", "modulator")
"""Families whose modules are tried one by one."""
Document = dict[str, Any]


def everything() -> Sound:
    """A sound that holds every module of the catalogue once, with something moving in it."""
    modules = catalogue()

    def named(family: str) -> list[Document]:
        return [{"id": f"{family}_{m.kind}", "kind": m.kind} for m in modules if m.family == family]

    effects, filters, movers = named("effect"), named("filter"), named("modulator")
    layers = [
        {
            "id": f"layer{i}",
            "name": f"Layer {i}",
            "source": {"id": "source", "kind": source["kind"]},
            "filters": filters[:MOST_FILTERS],
            "params": MODULATED if i == 1 else {},
            "sends": [{"id": "send", "bus": "nave"}],
        }
        for i, source in enumerate((named("source") * 2)[: max(2, len(named("source")))])
    ]
    return read_sound(
        {
            "name": "Everything",
            "layers": layers,
            "buses": [{"id": "nave", "name": "Nave", "effects": effects[:MOST_EFFECTS]}],
            "modulators": [m | {"name": m["kind"], "scope": "note"} for m in movers],
            "routes": [
                {
                    "id": f"r{i}",
                    "from": m["id"],
                    "to": f"layer0.{'source.level' if i else filters[0]['id'] + '.cutoff'}",
                    "depth": 0.5,
                    "scaled_by": m["id"],
                    "curve": 10,
                }
                for i, m in enumerate(movers)
            ],
            "lanes": [
                {
                    "id": f"lane{i}",
                    "to": to,
                    "points": [
                        {"time": 0.0, "value": value, "bend": 0.2},
                        {"time": 1.0, "value": 2.0 * value},
                    ],
                }
                for i, (to, value) in enumerate((("sound.pace", 50.0), ("layer0.level", -9.0)))
            ],
        }
    )


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


def warm() -> None:
    """Run every kind of computation once, so that every kernel is compiled and kept on disk."""
    warm_modules()
    sound, score = everything(), held_chord("C2 G2", 2.0)
    signal = render_array(sound, score)
    with tempfile.TemporaryDirectory() as folder:
        render_to_file(
            sound,
            score,
            Path(folder) / "warm.wav",
            sample_format="pcm16",
            span=RenderRange(1.0, 1.5),
        )
    reporter = Reporter(48_000)
    reporter.add(signal)
    reporter.finish()
    warm_drawing()
    warm_listening()


def warm_modules() -> None:
    """Try every module of the catalogue in every way, in two processes.

    They are forked once what all sounds need has been compiled, and begin at both ends: modules of
    one family share kernels, and each should be compiled once.
    """
    routed = [{"to": "ground.source.level", "depth": 1.0}]
    plain = _alone("source", {"id": "source", "kind": "wavetable"}, routed)
    render_array(plain, held_chord("C2 G4", 1.0), length=0.1)
    tried = [n for n, module in enumerate(catalogue()) if module.family in TRIED]
    ends = [number for both in zip(tried, reversed(tried), strict=True) for number in both]
    with ProcessPoolExecutor(2, get_context("fork")) as pool:
        modulated = pool.submit(_try_modulated)
        for done in [modulated, *(pool.submit(_try_module, n) for n in ends[: len(tried)])]:
            done.result()


def _try_module(number: int) -> None:
    """Try a module of the catalogue in every way, briefly."""
    module, score = catalogue()[number], held_chord("C2 G4", 1.0)
    for sound in {s.model_dump_json(): s for s in trials(module.family, module)}.values():
        render_array(sound, score, length=0.1)
        render_array(sound, score, start=0.2, length=0.05, rate=44_100)
        trajectories(sound, score, 20)


def _try_modulated() -> None:
    """Modulate a layer by another in both ways, briefly."""
    source = {"id": "source", "kind": "wavetable"}
    layers = [
        {"id": f"layer{i}", "name": f"Layer {i}", "source": source, "params": params}
        for i, params in enumerate(({}, MODULATED))
    ]
    render_array(
        read_sound({"name": "Trial", "layers": layers}), held_chord("C2 G4", 1.0), length=0.1
    )


def warm_drawing() -> None:
    """Load from disk what drawing needs."""
    sound, score = everything(), held_chord("C2 G2", 30.0)
    trajectories(sound, score, 20)
    next(fine(sound, score))
    for layer in sound.layers:
        picture(sound, score, layer)
        close_up(sound, score, layer, 1.0, 1.2)


def warm_listening() -> None:
    """Load from disk what listening needs, so that the first time is as quick as the second."""
    sound = everything()
    listening = Listening(sound, held_chord("C2 G2", 2.0), start=1.0, most_roll=0.1)
    listening.press(60)
    listening.block()
    listening.edit(sound)
    listening.block()
    changed = sound.model_copy(deep=True)
    changed.layers[0].params["level"] = -20.0
    changed.layers[0].filters[0].bypass = True
    listening.edit(changed)
    listening.block()
    listening.panic()
    listening.block()
