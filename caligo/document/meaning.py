"""What of a valid sound does nothing, though it was meant to: said as warnings."""

from __future__ import annotations

from collections.abc import Iterator

from caligo.catalogue import Kind, Moves, implementation, module
from caligo.catalogue.placement import ALL
from caligo.document.addresses import find_parameter, parts
from caligo.document.problems import Problem
from caligo.document.sound import AutomationLane, Part, ProcessorPart, Route, Sound
from caligo.document.values import is_on


def warnings(sound: Sound) -> list[Problem]:
    """What a composer would want to know of a complete sound, in signal order.

    Parameters
    ----------
    sound : Sound

    Returns
    -------
    list of Problem
        Each with an address, what is found there and what to do; empty where all makes sense.

    Examples
    --------
    >>> from caligo.document import read_sound
    >>> layer = {"id": "a", "name": "A", "source": {"kind": "noise"}}
    >>> warnings(read_sound({"name": "Plain", "layers": [layer]}))
    []
    """
    here = {path: part for path, _, part in parts(sound)}
    moved: dict[str, set[str]] = {path: set() for path in here}
    movers: list[Route | AutomationLane] = [*sound.routes, *_drawn(sound)]
    for mover in movers:
        path, _, key = mover.target.rpartition(".")
        if not mover.muted and path in moved:
            moved[path].add(key)
    found: list[Problem] = []
    for path, part in here.items():
        found += _empty(path, part, moved[path])
        found += _upside_down(path, part)
    found += _routes(sound, here, moved)
    found += _ruled_by_the_newest(sound)
    found += _idle_modulators(sound)
    found += _missing_entries(sound)
    if all(layer.mute for layer in sound.layers):
        found.append(Problem("layers", "every layer is muted, so nothing is heard"))
    return found


def names_of(sound: Sound) -> dict[str, str]:
    """What layers, buses and modulators are called, by their ids."""
    return (
        {layer.id: layer.name for layer in sound.layers}
        | {bus.id: bus.name for bus in sound.buses}
        | {modulator.id: modulator.name for modulator in sound.modulators}
        | {"master": "Master"}
    )


def in_words(sound: Sound, problem: Problem) -> str:
    """A warning as the screen says it: with names instead of addresses."""
    address = find_parameter(sound, problem.address)
    if address is None:
        return problem.message[:1].upper() + problem.message[1:]
    owner = names_of(sound).get(problem.address.partition(".")[0], sound.name)
    return f"{owner}, {address.parameter.name.lower()}: {problem.message}"


def _empty(path: str, part: Part, moved: set[str]) -> Iterator[Problem]:
    """Parameters that name nothing, or hold an empty list, where something depends on them."""
    for parameter in module(part.family, part.kind).parameters:
        if not is_on(parameter, part, moved):
            continue
        value = part.params[parameter.key]
        at = f"{path}.{parameter.key}"
        if parameter.kind is Kind.REFERENCE and value == "":
            if parameter.of == "recording":
                yield Problem(at, "no recording is chosen, so this is silent; choose one")
            elif parameter.needed or parameter.when is not None:
                yield Problem(at, f"no {parameter.of} is chosen here; choose one")
        elif (
            parameter.kind is Kind.NUMBERS
            and value == []
            and parameter.default != ""
            and _is_used(parameter.key, part)
        ):
            yield Problem(at, "this list is empty; write some numbers")


def _is_used(key: str, part: Part) -> bool:
    """Whether another parameter of the part asks for a list; without a choice it is used."""
    choices = [
        parameter.key
        for parameter in module(part.family, part.kind).parameters
        if key in {choice.value for choice in parameter.choices}
    ]
    return not choices or any(part.params[choice] == key for choice in choices)


def _upside_down(path: str, part: Part) -> Iterator[Problem]:
    """Ranges whose lower end lies above the upper."""
    for key, low in part.params.items():
        high = part.params.get(f"{key[:-4]}_high") if key.endswith("_low") else None
        if isinstance(low, int | float) and isinstance(high, int | float) and low > high:
            yield Problem(
                f"{path}.{key}", "the lower end lies above the upper, so no note is in between", low
            )


def _ruled_by_the_newest(sound: Sound) -> Iterator[Problem]:
    """Routes from modulators of each note to what all notes share."""
    each = {
        m.id
        for m in sound.modulators
        if m.scope == "note" or implementation("modulator", m.kind).always_per_note
    }
    inside = {m.id for m in sound.modulators}
    names = names_of(sound)
    for route in sound.routes:
        address = find_parameter(sound, route.target)
        owner = route.target.partition(".")[0]
        own = sorted(route.modulators & each)
        if route.muted or route.depth == 0.0 or not own or address is None or owner in inside:
            continue
        if route.rule == "newest" and address.parameter.moves is not Moves.PER_NOTE:
            what = f"{names.get(owner, 'the sound')}'s {address.parameter.name.lower()}"
            yield Problem(
                f"routes.{route.id}",
                f"{names[own[0]]} moves each note by itself, but {what} is one for all notes, "
                "so the newest note rules; the route may say otherwise",
            )


def _idle_modulators(sound: Sound) -> Iterator[Problem]:
    """Modulators and macros that no route begins at."""
    used = {name for route in sound.routes for name in route.modulators}
    for modulator in sound.modulators:
        if modulator.id not in used:
            yield Problem(modulator.id, f"{modulator.name} moves nothing; add a target")


def _missing_entries(sound: Sound) -> Iterator[Problem]:
    """Sources that enter at a filter that is not there."""
    for layer in sound.layers:
        for source in layer.sources:
            entry = source.text("entry")
            if layer.filters and entry != ALL and int(entry) > len(layer.filters):
                yield Problem(
                    f"{layer.id}.{source.id}.entry",
                    f"there is no filter {entry}, so this source goes around all of them",
                    entry,
                    f"up to {len(layer.filters)}",
                )


def _drawn(sound: Sound) -> list[AutomationLane]:
    """The lanes that have something drawn on them."""
    return [lane for lane in sound.lanes if lane.points]


def _routes(sound: Sound, here: dict[str, Part], moved: dict[str, set[str]]) -> Iterator[Problem]:
    """Routes and lanes that move nothing.

    `here` are the parts by their paths, `moved` their moved keys.
    """
    names = names_of(sound)
    movers: list[tuple[str, str, bool, Route | AutomationLane]] = [
        (f"routes.{r.id}", names[r.source], r.depth != 0.0, r) for r in sound.routes
    ]
    movers += [(f"lanes.{x.id}", "A lane", True, x) for x in _drawn(sound)]
    for at, who, acts, mover in movers:
        path, _, key = mover.target.rpartition(".")
        part = here.get(path)
        if mover.muted or part is None:
            continue
        spec = module(part.family, part.kind)
        parameter = spec.parameter(key)
        if parameter is None:
            continue
        owner = names.get(path.partition(".")[0], "the sound")
        what = f"{who} moves {owner}'s {spec.name} {parameter.name.lower()}"
        if isinstance(part, ProcessorPart) and part.bypass:
            yield Problem(at, f"{what}, which is bypassed")
        elif not is_on(parameter, part, moved[path] - {key}):
            yield Problem(at, f"{what}, which is switched off")
        elif not acts:
            yield Problem(at, f"{what} by nothing; its depth is 0")
