"""A module: a source, filter, effect, modulator or fixed part, with its parameters."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from caligo.catalogue.parameter import Parameter


@dataclass(frozen=True, slots=True)
class Module:
    """What a kind of module is called, what it is for, and its parameters in screen order."""

    family: str
    kind: str
    name: str
    help: str
    parameters: tuple[Parameter, ...]

    def parameter(self, key: str) -> Parameter | None:
        """The parameter called `key`, or None."""
        return next((p for p in self.parameters if p.key == key), None)

    def as_json(self) -> dict[str, Any]:
        """The module as the catalogue's JSON shows it."""
        return {
            "family": self.family,
            "kind": self.kind,
            "name": self.name,
            "help": self.help,
            "parameters": [p.as_json() for p in self.parameters],
        }
