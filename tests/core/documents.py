"""Hypothesis strategies for sound documents: every module the catalogue has, at any value."""

from __future__ import annotations

from functools import cache
from typing import Any

from hypothesis import strategies as st

from caligo.catalogue import Kind, Module, Parameter, catalogue
from caligo.document.times import time_limit
from caligo.material.store import current

AUDIBLE = {
    "key_low": 0,
    "key_high": 127,
    "velocity_low": 0,
    "velocity_high": 127,
    "ring_layer": "",
    "phase_layer": "",
}


def values_of(parameter: Parameter) -> st.SearchStrategy[Any]:
    """Any allowed value of a parameter, the ends of its range more often."""
    if parameter.kind is Kind.CHOICE:
        return st.sampled_from([c.value for c in parameter.choices])
    if parameter.kind is Kind.SWITCH:
        return st.booleans()
    if parameter.kind is Kind.REFERENCE:
        return st.integers(0, 1_000).map(lambda number: reference(str(parameter.of), number))
    if parameter.kind is Kind.TIME:
        return st.sampled_from(["s", "beats", "hold"]).flatmap(
            lambda unit: st.floats(
                max(parameter.low, 0.001) if parameter.low else 0.0,
                time_limit(unit, parameter.high),
            ).map(lambda value: {"value": value, "unit": unit})
        )
    if parameter.kind is Kind.INTEGER:
        return st.integers(int(parameter.low), int(parameter.high))
    edges = st.sampled_from([parameter.low, parameter.high])
    number = st.one_of(edges, st.floats(parameter.low, parameter.high))
    return st.lists(number, max_size=4) if parameter.kind is Kind.NUMBERS else number


def reference(kind: str, number: int) -> str:
    """One of the things of a kind that are in the library as it is now, or none."""
    names = ["", *(c.key for c in current().cards() if c.kind == kind)]
    return names[number % len(names)]


# Strategies are made once: to make them takes longer than to draw from them.
@cache
def params_of(module: Module) -> st.SearchStrategy[dict[str, Any]]:
    """Any values for all parameters of a module."""
    return st.fixed_dictionaries({p.key: values_of(p) for p in module.parameters})


@cache
def module_of(family: str, id: str, kind: str | None = None) -> st.SearchStrategy[dict[str, Any]]:
    """A part of a document that holds any module of a family, or the one of this kind."""
    modules = [m for m in catalogue() if m.family == family and kind in (None, m.kind)]
    return st.sampled_from(modules).flatmap(
        lambda module: params_of(module).map(
            lambda params: {"id": id, "kind": module.kind, "params": params}
        )
    )


def movable(owner: str, family: str, kind: str) -> list[tuple[str, Parameter]]:
    """The addresses of a module's parameters that routes may lead to."""
    (module,) = [m for m in catalogue() if (m.family, m.kind) == (family, kind)]
    return [(f"{owner}.{p.key}", p) for p in module.parameters if p.moves != "no"]


def points_of(parameter: Parameter) -> st.SearchStrategy[list[dict[str, float]]]:
    """A few points of a lane, at any values, also several at one moment."""
    point = st.fixed_dictionaries({
        "time": st.floats(0.0, 4.0),
        "value": st.floats(parameter.low, parameter.high),
        "bend": st.floats(-100.0, 100.0),
    })  # fmt: skip
    return st.lists(point, max_size=4)


@st.composite
def any_source(draw: Any, id: str = "source") -> dict[str, Any]:
    """Any source, with up to three more of the items that it is made of."""
    source: dict[str, Any] = draw(module_of("source", id))
    if "unison" in source["params"]:
        source["params"]["unison"] = min(source["params"]["unison"], 6)
    (module,) = [m for m in catalogue() if (m.family, m.kind) == ("source", source["kind"])]
    source["items"] = [
        draw(module_of("item", f"{rule.kind}{n + 1}", rule.kind))
        for rule in module.items
        for n in range(rule.fewest + draw(st.integers(0, min(3, rule.most - rule.fewest))))
    ]
    return source


@st.composite
def any_effect(draw: Any, id: str) -> dict[str, Any]:
    """Any effect; one that holds chains has an effect in one of them."""
    effect: dict[str, Any] = draw(module_of("effect", id))
    (module,) = [m for m in catalogue() if (m.family, m.kind) == ("effect", effect["kind"])]
    if module.chains:
        chosen = draw(st.sampled_from(module.chains)).id
        inside = draw(module_of("effect", "inside"))
        effect["chains"] = [
            {"id": chain.id, "effects": [inside] if chain.id == chosen else []}
            for chain in module.chains
        ]
    return effect


@st.composite
def any_document(draw: Any, most: int = 1) -> dict[str, Any]:
    """A document of random modules at random, often extreme, values.

    At most `most` effects stand in each chain, and twice as many filters.
    """
    (layer,) = [m for m in catalogue() if (m.family, m.kind) == ("part", "layer")]
    parts = {m.kind: m for m in catalogue() if m.family == "part"}
    source = draw(any_source())
    more_sources = [draw(any_source(f"source{i + 2}")) for i in range(draw(st.integers(0, most)))]
    filters = [
        draw(module_of("filter", f"f{i}")) for i in range(draw(st.integers(0, min(4, 2 * most))))
    ]
    inserts = [draw(any_effect(f"i{i}")) for i in range(draw(st.integers(0, most)))]
    shared = [draw(any_effect(f"e{i}")) for i in range(draw(st.integers(1, most)))]
    last = [draw(any_effect(f"l{i}")) for i in range(draw(st.integers(0, most)))]
    targets = movable("ground", "part", "layer") + movable("b", "part", "bus")
    for one in (source, *more_sources):
        targets += movable(f"ground.{one['id']}", "source", one["kind"])
        for item in one["items"]:
            targets += movable(f"ground.{one['id']}.{item['id']}", "item", item["kind"])
    for owner, family, chain in (
        ("ground", "filter", filters), ("ground", "effect", inserts), ("b", "effect", shared),
        ("master", "effect", last),
    ):  # fmt: skip
        for part in chain:
            targets += movable(f"{owner}.{part['id']}", family, part["kind"])
    second = {
        "id": "second", "name": "Second", "source": draw(any_source()),
        "params": draw(params_of(layer)) | AUDIBLE,
    }  # fmt: skip
    routes = []
    for i in range(draw(st.integers(0, 4))):
        address, parameter = draw(st.sampled_from(targets))
        routes.append({
            "id": f"r{i}", "from": "m", "to": address,
            "depth": draw(st.floats(-parameter.depth_limit, parameter.depth_limit)),
            "curve": draw(st.floats(-100, 100)),
            "polarity": draw(st.sampled_from(["bipolar", "unipolar"])),
            "rule": draw(st.sampled_from(["newest", "loudest", "mean"])),
        })  # fmt: skip
    drawn: dict[str, Parameter] = dict(
        draw(st.lists(st.sampled_from(targets), max_size=2, unique_by=lambda x: x[0]))
    )
    lanes = [
        {
            "id": f"lane{i}",
            "to": address,
            "points": draw(points_of(parameter)),
            "unit": draw(st.sampled_from(["s", "beats"])),
        }
        for i, (address, parameter) in enumerate(drawn.items())
        if parameter.kind in (Kind.NUMBER, Kind.INTEGER)
    ]
    return {
        "name": "Any",
        "lanes": lanes,
        "params": draw(params_of(parts["sound"])),
        "layers": [{
            "id": "ground",
            "name": "Ground",
            "params": draw(params_of(layer)) | AUDIBLE,
            "source": source,
            "more_sources": more_sources,
            "filters": filters,
            "inserts": inserts,
            "envelope": {"params": draw(params_of(parts["amplitude"]))},
            "sends": [{"id": "s", "bus": "b", "params": {"level": draw(st.floats(-80, 12))}}],
        }, *([second] if draw(st.booleans()) else [])],
        "buses": [{"id": "b", "name": "B", "effects": shared}],
        "master": {"params": draw(params_of(parts["master"])), "effects": last},
        "modulators": [draw(module_of("modulator", "m")) | {
            "name": "M", "scope": draw(st.sampled_from(["note", "sound"]))}],
        "routes": routes,
    }  # fmt: skip
