"""Whether everything that a sound names is there, once, and goes in no circle."""

from __future__ import annotations

from collections import Counter

from caligo.catalogue import Kind, Moves, module
from caligo.document.addresses import find_parameters, near_addresses, parts
from caligo.document.lanes import check_lanes
from caligo.document.problems import Problem
from caligo.document.signal_flow import circle_in, inputs_of_all
from caligo.document.sound import Bus, Layer, Sound
from caligo.document.values import is_on

RESERVED_IDS = {"sound", "master"}


def check_ids(sound: Sound) -> list[Problem]:
    """Ids that are used twice or are reserved."""
    top = [x.id for x in (*sound.layers, *sound.buses, *sound.modulators)]
    problems = [
        Problem(name, "this id is used twice; ids are unique", name)
        for name, count in Counter(top).items()
        if count > 1
    ]
    problems += [Problem(name, "this id is reserved", name) for name in top if name in RESERVED_IDS]
    for path, count in Counter(path for path, _, _ in parts(sound)).items():
        if count > 1 and "." in path:
            problems.append(Problem(path, "this id is used twice in one place", path))
    for field, movers in (("routes", sound.routes), ("lanes", sound.lanes)):
        ids = Counter(mover.id for mover in movers)
        problems += [
            Problem(f"{field}.{name}", "this id is used twice; ids are unique", name)
            for name, count in ids.items()
            if count > 1
        ]
    return problems


def _check_envelope_circles(sound: Sound) -> list[Problem]:
    """No item may follow itself by way of the items that it names; see `Parameter.of`."""
    problems = []
    sources = [(layer.id, source) for layer in sound.layers for source in layer.sources]
    for owner, source in sources:
        at = f"{owner}.{source.id}"
        follows: dict[str, set[str]] = {}
        for item in source.items:
            follows[item.id] = {
                item.text(parameter.key)
                for parameter in module(item.family, item.kind).parameters
                if parameter.kind is Kind.REFERENCE
                and parameter.of == item.kind
                and is_on(parameter, item)
                and item.text(parameter.key) in {other.id for other in source.items}
            }
        circle = circle_in(follows)
        if circle:
            path = " follows ".join(circle)
            problems.append(
                Problem(f"{at}.{circle[0]}", f"these go in a circle: {path}; choose another there")
            )
    return problems


def _check_named(sound: Sound) -> list[Problem]:
    """References from parameters to layers, and to items of the same source."""
    problems: list[Problem] = []
    layers = {layer.id for layer in sound.layers}
    items: dict[str, dict[str, str]] = {
        f"{layer.id}.{source.id}": {item.id: item.kind for item in source.items}
        for layer in sound.layers
        for source in layer.sources
    }
    for path, _, part in parts(sound):
        for parameter in module(part.family, part.kind).parameters:
            if parameter.kind is not Kind.REFERENCE or parameter.of in ("recording", "table"):
                continue
            name = part.text(parameter.key)
            if parameter.of == "layer":
                known = layers
            elif parameter.of == "signal":
                known = layers | {bus.id for bus in sound.buses}
            else:
                around = items.get(path.rpartition(".")[0], {})
                known = {i for i, kind in around.items() if kind == parameter.of}
            if name and name not in known:
                problems.append(
                    Problem(
                        f"{path}.{parameter.key}",
                        f"there is no such {parameter.of}",
                        name,
                        ", ".join(sorted(known)) or "none exists",
                    )
                )
    return problems


def _check_circles(sound: Sound) -> list[Problem]:
    """No layer may modulate itself, not even by way of others."""
    by = {
        layer.id: {
            layer.text(f"{kind}_layer")
            for kind in ("ring", "phase")
            if layer.text(f"{kind}_by") == "layer"
        }
        for layer in sound.layers
    }
    problems = []
    for layer in sound.layers:
        reached: set[str] = set()
        waiting = set(by[layer.id])
        while waiting:
            name = waiting.pop()
            if name not in reached:
                reached.add(name)
                waiting |= by.get(name, set())
        if layer.id in reached:
            problems.append(
                Problem(
                    layer.id,
                    "this layer would modulate itself, by way of others; choose another layer",
                    layer.id,
                )
            )
    return problems


def _check_flow(sound: Sound) -> list[Problem]:
    """No signal may come round to where it came from."""
    circle = circle_in(inputs_of_all(sound))
    if not circle:
        return []
    names = {x.id: x.name for x in sound.layers} | {x.id: x.name for x in sound.buses}
    names["master"] = "Master"
    path = " to ".join(names[name] for name in circle)
    return [Problem(circle[0], f"the signal goes in a circle: {path}; take one of these sends out")]


def _check_modulator_circles(sound: Sound) -> list[Problem]:
    """No modulator may move itself, not even by way of others."""
    modulators = {m.id: m.name for m in sound.modulators}
    needed: dict[str, set[str]] = {name: set() for name in modulators}
    for route in sound.routes:
        owner = route.target.partition(".")[0]
        if owner in modulators:
            needed[owner] |= route.modulators
    circle = circle_in(needed)
    if not circle:
        return []
    path = " moves ".join(modulators[name] for name in circle)
    return [Problem(circle[0], f"modulators move each other in a circle: {path}; remove a route")]


def check_references(sound: Sound) -> list[Problem]:
    """What is named and not there, or goes in a circle."""
    problems: list[Problem] = []
    buses = {bus.id for bus in sound.buses}
    senders: list[Layer | Bus] = [*sound.layers, *sound.buses]
    for sender in senders:
        for send in sender.sends:
            if send.bus not in buses:
                problems.append(
                    Problem(
                        f"{sender.id}.{send.id}.bus",
                        "there is no such bus",
                        send.bus,
                        ", ".join(sorted(buses)) or "no bus exists",
                    )
                )
    problems += _check_named(sound)
    problems += _check_circles(sound)
    problems += _check_flow(sound)
    problems += _check_modulator_circles(sound)
    problems += _check_envelope_circles(sound)
    problems += check_lanes(sound)
    modulators = {m.id for m in sound.modulators}
    addresses = find_parameters(sound, (route.target for route in sound.routes))
    for route in sound.routes:
        at = f"routes.{route.id}"
        for field, name in (("from", route.source), ("scaled_by", route.scaled_by)):
            if name is not None and name not in modulators:
                problems.append(
                    Problem(
                        f"{at}.{field}",
                        "there is no such modulator",
                        name,
                        ", ".join(sorted(modulators)) or "no modulator exists",
                    )
                )
        address = addresses[route.target]
        if address is None:
            problems.append(
                Problem(
                    f"{at}.to",
                    "there is no such parameter",
                    route.target,
                    near_addresses(sound, route.target),
                )
            )
        elif address.parameter.moves is Moves.NO:
            problems.append(
                Problem(f"{at}.to", f"{address.parameter.name} cannot be moved", route.target)
            )
        elif abs(route.depth) > address.parameter.depth_limit:
            limit = address.parameter.depth_limit
            problems.append(
                Problem(
                    f"{at}.depth",
                    "this depth is not possible",
                    route.depth,
                    f"-{limit:g} to {limit:g} {address.parameter.depth_unit}".strip(),
                )
            )
    return problems
