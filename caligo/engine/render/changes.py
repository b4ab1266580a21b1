"""What an edit changed, where it can be taken up without building a new engine."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from caligo.catalogue import Kind, Moves, Parameter, module
from caligo.document.addresses import parts
from caligo.document.sound import ANNOTATIONS, ProcessorPart, Sound, Value
from caligo.document.times import Time


@dataclass(slots=True)
class Changes:
    """Numbers, depths and bypasses that an edit changed.

    Parameters
    ----------
    values
        New resting values by address.
    depths
        New depths by the ids of routes.
    bypass
        By the addresses of filters and effects.
    """

    values: dict[str, float] = field(default_factory=dict)
    depths: dict[str, float] = field(default_factory=dict)
    bypass: dict[str, bool] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.values or self.depths or self.bypass)

    @property
    def addresses(self) -> list[str]:
        """The addresses of all that changed; routes excepted."""
        return [*self.values, *self.bypass]


def _skeleton(sound: Sound) -> dict[str, Any]:
    """A sound without what can be taken up while listening, and without what nobody hears."""

    def stripped(node: Any) -> Any:
        if isinstance(node, dict):
            kept = {k: stripped(v) for k, v in node.items() if k not in ANNOTATIONS}
            kept.pop("params", None)
            if "effects" in kept or "source" in kept or "kind" in kept:
                kept.pop("bypass", None)
            return kept
        return [stripped(x) for x in node] if isinstance(node, list) else node

    data = sound.model_dump(mode="json")
    routes = [{k: v for k, v in route.items() if k != "depth"} for route in data.pop("routes")]
    found: dict[str, Any] = stripped(data)
    found["routes"] = routes
    return found


def _wakes(parameter: Parameter, before: Value, after: Value) -> bool:
    """Whether a number leaves the value up to which nothing is computed for it, or comes back.

    Or whatever else about it needs a new engine.
    """
    if parameter.rebuilds:
        return True
    if parameter.idle is None or not isinstance(before, float | int):
        return False
    old, new = float(before), float(after)  # type: ignore[arg-type]
    if parameter.two_sided:
        old, new = abs(old), abs(new)
    return (old <= parameter.idle) != (new <= parameter.idle)


def changes_between(before: Sound, after: Sound) -> Changes | None:
    """What changed from one state of a sound to the next, or None where its structure did.

    A number, a whole number or a time can be taken up if routes may move it; all else, such as
    another table or one more layer, needs a new engine.
    """
    if _skeleton(before) != _skeleton(after):
        return None
    found = Changes()
    for (path, _, old), (_, _, new) in zip(parts(before), parts(after), strict=True):
        if isinstance(new, ProcessorPart) and new.bypass != getattr(old, "bypass", None):
            found.bypass[path] = new.bypass
        spec = module(old.family, old.kind)
        for key, value in new.params.items():
            was = old.params[key]
            if was == value:
                continue
            parameter = spec.parameter(key)
            if parameter is None or parameter.moves is Moves.NO or _wakes(parameter, was, value):
                return None
            if isinstance(value, Time) and isinstance(was, Time):
                if value.unit != was.unit:
                    return None
                found.values[f"{path}.{key}"] = value.value
            elif parameter.kind in (Kind.NUMBER, Kind.INTEGER):
                found.values[f"{path}.{key}"] = float(value)  # type: ignore[arg-type]
            else:
                return None
    for route, other in zip(before.routes, after.routes, strict=True):
        if (route.depth == 0.0) != (other.depth == 0.0):
            return None
        if route.depth != other.depth:
            found.depths[route.id] = other.depth
    return found
