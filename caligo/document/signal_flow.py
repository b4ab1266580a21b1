"""How signals flow in a sound: from layers through buses to the master, and to what listens."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from caligo.document.addresses import effect_parts
from caligo.document.sound import Bus, EffectPart, Layer, Sound


def sidechain_inputs(effects: Sequence[EffectPart]) -> set[str]:
    """The layers and buses that effects listen to besides their input (sidechains)."""
    parts = [part for _, _, part in effect_parts(effects, "", "")]
    named = {part.params.get("side") for part in parts}
    return {name for name in named if isinstance(name, str)} - {""}


def inputs_of_all(sound: Sound) -> dict[str, set[str]]:
    """What each layer, bus and the master needs to be there before it, by id.

    Layers and buses stand in the order of the document, the master last.
    """
    needed: dict[str, set[str]] = {
        **{layer.id: sidechain_inputs(layer.inserts) for layer in sound.layers},
        **{bus.id: sidechain_inputs(bus.effects) for bus in sound.buses},
        "master": sidechain_inputs(sound.master.effects)
        | {part.id for part in (*sound.layers, *sound.buses)},
    }
    senders: list[Layer | Bus] = [*sound.layers, *sound.buses]
    for part in senders:
        for send in part.sends:
            if send.bus in needed:
                needed[send.bus].add(part.id)
    return needed


def topological_order(needed: Mapping[str, set[str]]) -> list[str]:
    """An order in which everything comes behind what it needs; else as it stands.

    What stands in a circle, or behind one, is left out.

    Examples
    --------
    >>> topological_order({"a": {"b"}, "b": set(), "c": {"a"}})
    ['b', 'a', 'c']
    """
    order: list[str] = []
    waiting = list(needed)
    while waiting:
        ready = next((x for x in waiting if not (needed[x] & needed.keys()) - set(order)), None)
        if ready is None:
            break
        waiting.remove(ready)
        order.append(ready)
    return order


def circle_in(needed: Mapping[str, set[str]]) -> list[str]:
    """A circle of things that need each other, from one back to itself; empty if there is none.

    Examples
    --------
    >>> circle_in({"a": {"b"}, "b": {"c"}, "c": {"b"}})
    ['b', 'c', 'b']
    """
    order = set(topological_order(needed))
    stuck = next((name for name in needed if name not in order), None)
    if stuck is None:
        return []
    path = [stuck]
    while True:
        # Each of what is stuck needs another that is stuck: going on must lead back.
        before = next(n for n in sorted(needed[path[-1]]) if n in needed and n not in order)
        if before in path:
            return [*path[path.index(before) :], before][::-1]
        path.append(before)
