"""Reading documents: structure by pydantic, values by the catalogue, references by id."""

from __future__ import annotations

from collections import Counter
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from caligo.catalogue import Kind, Module, Moves, Parameter, UnknownModule, module
from caligo.catalogue.parameter import numbers
from caligo.document.addresses import find_parameter, parts
from caligo.document.bounds import check_bounds
from caligo.document.limits import DEEPEST_CHAIN
from caligo.document.problems import DocumentError, Problem
from caligo.document.score import Score
from caligo.document.signal_flow import circle_in, inputs_of_all
from caligo.document.sound import (
    Bus,
    EffectPart,
    InnerChainPart,
    ItemPart,
    Layer,
    Part,
    Sound,
    SourcePart,
    Value,
)
from caligo.document.times import Time, time_limit
from caligo.document.upgrading import KNOWN_SOUND_SCHEMAS, upgraded_sound

Model = TypeVar("Model", bound=BaseModel)

RESERVED_IDS = {"sound", "master"}


def _address_of(data: Any, location: tuple[int | str, ...]) -> str:
    """A pydantic location with list indexes replaced by the ids that stand there."""
    words: list[str] = []
    for step in location:
        if isinstance(step, int) and isinstance(data, list) and 0 <= step < len(data):
            data = data[step]
            name = data.get("id") if isinstance(data, dict) else None
            words.append(str(name) if isinstance(name, str) else str(step))
        else:
            data = data.get(step) if isinstance(data, dict) else None
            words.append(str(step))
    return ".".join(words)


def _structure_problem(data: Any, error: Any) -> Problem:
    found = error["input"]
    small = isinstance(found, bool | int | float | str) and len(str(found)) <= 80
    context = error.get("ctx") or {}
    limits = {"ge": "at least", "gt": "more than", "le": "at most", "lt": "less than"}
    allowed = " and ".join(f"{limits[k]} {v}" for k, v in context.items() if k in limits)
    message = {
        "extra_forbidden": "this field does not exist here; remove it",
        "missing": "this field is missing",
    }.get(error["type"], error["msg"][0].lower() + error["msg"][1:])
    return Problem(_address_of(data, error["loc"]), message, found if small else None, allowed)


def _structure(model: type[Model], data: Any) -> Model:
    if not isinstance(data, dict):
        raise DocumentError([Problem("", "a document is a JSON object", type(data).__name__)])
    if model is Sound:
        check_bounds(data)
    known = KNOWN_SOUND_SCHEMAS if model is Sound else (1,)
    if "schema" in data and data["schema"] not in known:
        said = " and ".join(str(number) for number in known)
        raise DocumentError(
            [Problem("schema", f"this version of Caligo reads schema {said}", data["schema"], said)]
        )
    if model is Sound:
        data = upgraded_sound(data)
    try:
        return model.model_validate(data)
    except ValidationError as error:
        raise DocumentError([_structure_problem(data, e) for e in error.errors()]) from None


def _allowed(parameter: Parameter) -> str:
    if parameter.kind is Kind.CHOICE:
        return ", ".join(c.value for c in parameter.choices)
    if parameter.kind is Kind.SWITCH:
        return "true or false"
    if parameter.kind is Kind.REFERENCE:
        return f"the id of a {parameter.of}, or nothing"
    if parameter.kind is Kind.NUMBERS:
        return f"up to {parameter.most} numbers from {parameter.low:g} to {parameter.high:g}"
    return f"{parameter.low:g} to {parameter.high:g} {parameter.unit}".strip()


def check_value(parameter: Parameter, value: Value, address: str) -> Problem | None:
    """The problem with a parameter's value, or None; a time is judged in its own unit."""
    wrong = Problem(
        address,
        "this value is not possible",
        value.model_dump() if isinstance(value, Time) else value,
        _allowed(parameter),
    )
    if parameter.kind is Kind.SWITCH:
        return None if isinstance(value, bool) else wrong
    if parameter.kind is Kind.CHOICE:
        known = isinstance(value, str) and value in {c.value for c in parameter.choices}
        return None if known else wrong
    if parameter.kind is Kind.TIME:
        if not isinstance(value, Time):
            return wrong
        low = parameter.low if value.unit == "s" else (0.0 if parameter.low == 0 else 0.001)
        high = time_limit(value.unit, parameter.high)
        if low <= value.value <= high:
            return None
        return Problem(
            address,
            "this time is not possible",
            value.model_dump(),
            f"{low:g} to {high:g} {value.unit}",
        )
    if parameter.kind is Kind.REFERENCE:
        return None if isinstance(value, str) and len(value) <= 80 else wrong
    if parameter.kind is Kind.NUMBERS:
        if not isinstance(value, list) or len(value) > parameter.most:
            return wrong
        return None if all(parameter.low <= v <= parameter.high for v in value) else wrong
    if isinstance(value, bool) or not isinstance(value, int | float):
        return wrong
    if parameter.kind is Kind.INTEGER and value != int(value):
        return Problem(address, "this is a whole number", value, _allowed(parameter))
    return None if parameter.low <= value <= parameter.high else wrong


def default_value(parameter: Parameter) -> Value:
    """A parameter's default as a document holds it."""
    if parameter.kind is Kind.TIME:
        return Time(value=float(parameter.default))
    if parameter.kind is Kind.INTEGER:
        return int(parameter.default)
    if parameter.kind is Kind.NUMBERS:
        return numbers(str(parameter.default))
    return parameter.default


def _complete(part: Part, path: str) -> list[Problem]:
    """Fill in defaults and return what is wrong with the part's parameters."""
    try:
        spec = module(part.family, part.kind)
    except UnknownModule as error:
        return [Problem(f"{path}.kind", str(error), part.kind)]
    problems = [
        Problem(
            f"{path}.{key}",
            f"{spec.name} has no such parameter; remove it",
            allowed=", ".join(p.key for p in spec.parameters),
        )
        for key in part.params
        if spec.parameter(key) is None
    ]
    values: dict[str, Value] = {}
    for parameter in spec.parameters:
        value = part.params.get(parameter.key, default_value(parameter))
        problem = check_value(parameter, value, f"{path}.{parameter.key}")
        if problem:
            problems.append(problem)
        if parameter.kind is Kind.INTEGER and isinstance(value, float) and not problem:
            value = int(value)
        values[parameter.key] = value
    if not problems:
        part.params = values
    if isinstance(part, SourcePart):
        problems += _complete_items(part, spec, path)
    if isinstance(part, EffectPart):
        problems += _complete_chains(part, spec, path)
    return problems


def _complete_chains(effect: EffectPart, spec: Module, path: str) -> list[Problem]:
    """Add the chains that an effect holds, in their order; say which do not belong to it."""
    known = [chain.id for chain in spec.chains]
    given = {chain.id: chain for chain in effect.chains}
    problems = [
        Problem(
            f"{path}.{name}", f"{spec.name} has no such chain", name, ", ".join(known) or "none"
        )
        for name in given
        if name not in known
    ]
    if path.count(".") > 2 * DEEPEST_CHAIN and known:
        problems.append(Problem(path, "effects are nested too deep here; take this one out"))
    elif not problems:
        effect.chains = [given.get(name) or InnerChainPart(id=name) for name in known]
    return problems


def _complete_items(source: SourcePart, spec: Module, path: str) -> list[Problem]:
    """Add the items that a source cannot be without; say which do not belong to it."""
    problems = []
    for rule in spec.items:
        taken = {item.id for item in source.items}
        free = (f"{rule.kind}{n}" for n in range(1, 1000) if f"{rule.kind}{n}" not in taken)
        for _ in range(rule.fewest - len(source.of_kind(rule.kind))):
            source.items.append(ItemPart(id=next(free), kind=rule.kind))
        count = len(source.of_kind(rule.kind))
        if count > rule.most:
            problems.append(
                Problem(f"{path}.items", f"too many of {rule.kind}", count, f"at most {rule.most}")
            )
    known = {rule.kind for rule in spec.items}
    problems += [
        Problem(
            f"{path}.{item.id}.kind",
            f"{spec.name} is not made of these",
            item.kind,
            ", ".join(sorted(known)) or "no items",
        )
        for item in source.items
        if item.kind not in known
    ]
    return problems


def _check_ids(sound: Sound) -> list[Problem]:
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
    route_ids = Counter(route.id for route in sound.routes)
    problems += [
        Problem(f"routes.{name}", "this id is used twice; ids are unique", name)
        for name, count in route_ids.items()
        if count > 1
    ]
    return problems


def _check_named(sound: Sound) -> list[Problem]:
    """References from parameters to layers, and to items of the same source."""
    problems: list[Problem] = []
    layers = {layer.id for layer in sound.layers}
    items: dict[str, dict[str, str]] = {
        f"{layer.id}.{layer.source.id}": {item.id: item.kind for item in layer.source.items}
        for layer in sound.layers
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
            layer.text(f"{way}_layer")
            for way in ("ring", "phase")
            if layer.text(f"{way}_by") == "layer"
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
    way = " to ".join(names[name] for name in circle)
    return [Problem(circle[0], f"the signal goes in a circle: {way}; take one of these sends out")]


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
    way = " moves ".join(modulators[name] for name in circle)
    return [Problem(circle[0], f"modulators move each other in a circle: {way}; remove a route")]


def _check_references(sound: Sound) -> list[Problem]:
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
    modulators = {m.id for m in sound.modulators}
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
        address = find_parameter(sound, route.target)
        if address is None:
            problems.append(Problem(f"{at}.to", "there is no such parameter", route.target))
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


def read_sound(data: Any) -> Sound:
    """A complete, valid sound from JSON data; missing parameters take their defaults.

    Raises
    ------
    DocumentError
        With every problem: its address, the value found and what is allowed.
    """
    sound = _structure(Sound, data)
    problems = [p for path, _, part in parts(sound) for p in _complete(part, path)]
    problems += _check_ids(sound)
    if not problems:
        problems = _check_references(sound)
    if problems:
        raise DocumentError(problems)
    return sound


def read_score(data: Any) -> Score:
    """A valid score from JSON data.

    Raises
    ------
    DocumentError
        With every problem: its address, the value found and what is allowed.
    """
    score = _structure(Score, data)
    problems = [
        Problem(f"{field}.{name}", "this id is used twice; ids are unique", name)
        for field in ("notes", "lanes", "markers")
        for name, count in Counter(item.id for item in getattr(score, field)).items()
        if count > 1
    ]
    if problems:
        raise DocumentError(problems)
    return score
