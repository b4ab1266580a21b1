"""A module: a source, filter, effect, modulator or fixed part, with its parameters."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from caligo.catalogue.parameter import Parameter


@dataclass(frozen=True, slots=True)
class Items:
    """How many items of a kind a source may hold, such as operators or zones."""

    kind: str
    fewest: int
    most: int


@dataclass(frozen=True, slots=True)
class InnerChain:
    """A chain of effects inside an effect, such as one band of several.

    `when` is what switches it on, as in `Parameter`: values of one of the effect's choices.
    """

    id: str
    name: str
    when: tuple[str, tuple[str, ...]] | None = None


@dataclass(frozen=True, slots=True)
class Added:
    """Groups of parameters that are added and removed one by one, such as an equalizer's bands.

    Parameters
    ----------
    name
        What one of them is called, such as ``band``.
    keys
        The choice in each group that says whether it is there.
    off, on
        The value of such a choice without the group, and with a new one.
    """

    name: str
    keys: tuple[str, ...]
    off: str
    on: str


@dataclass(frozen=True, slots=True)
class Module:
    """What a kind of module is called, what it is for, and its parameters in screen order.

    Parameters
    ----------
    items
        For a source: the kinds of items that it is made of; each is a module of family ``item``.
    editor
        For a modulator: what the page edits it with besides strips: ``handle`` (it stands among
        the macros), ``steps``, ``points``, or nothing.
    picture
        For a source: what its picture shows (see `caligo.engine.views.pictures`), or nothing.
    category
        The heading under which lists of kinds show it.
    seeded
        Whether chance has a part in all of it, so that a new seed changes it.
    chains
        For an effect that contains chains of effects: which ones.
    added
        Groups of its parameters that are added and removed.
    scope
        For a modulator: whether a new one is one for the whole ``sound``, or each ``note``'s own.
    groups
        Headings under which the screen lists the parameters, each with the keys that stand
        under it, separated by blanks; a parameter's own `group` goes before.
    """

    family: str
    kind: str
    name: str
    help: str
    parameters: tuple[Parameter, ...]
    items: tuple[Items, ...] = ()
    editor: str = ""
    picture: str = ""
    category: str = ""
    seeded: bool = False
    chains: tuple[InnerChain, ...] = ()
    groups: tuple[tuple[str, str], ...] = ()
    scope: str = "sound"
    added: Added | None = None
    _by_key: dict[str, Parameter] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        """Remember the parameters by their keys: a document asks for each of them.

        Raises
        ------
        ValueError
            If two have the same key.
        """
        object.__setattr__(self, "_by_key", {p.key: p for p in self.parameters})
        if len(self._by_key) < len(self.parameters):
            raise ValueError(f"{self.family} {self.kind!r} has two parameters of one key")

    def parameter(self, key: str) -> Parameter | None:
        """The parameter called `key`, or None."""
        return self._by_key.get(key)

    def group_of(self, parameter: Parameter) -> str:
        """The heading under which a parameter stands, or nothing."""
        named = (name for name, keys in self.groups if parameter.key in keys.split())
        return parameter.group or next(named, "")

    def as_json(self) -> dict[str, Any]:
        """The module as the catalogue's JSON shows it."""
        return {
            "family": self.family,
            "kind": self.kind,
            "name": self.name,
            "help": self.help,
            "parameters": [p.as_json() | {"group": self.group_of(p)} for p in self.parameters],
            "items": [{"kind": i.kind, "fewest": i.fewest, "most": i.most} for i in self.items],
            "editor": self.editor,
            "picture": self.picture,
            "category": self.category,
            "seeded": self.seeded or any(p.seeded for p in self.parameters),
            "scope": self.scope,
            "added": None
            if self.added is None
            else {
                "name": self.added.name,
                "keys": list(self.added.keys),
                "off": self.added.off,
                "on": self.added.on,
            },
            "chains": [
                {
                    "id": c.id,
                    "name": c.name,
                    "when": None if c.when is None else {"key": c.when[0], "is": list(c.when[1])},
                }
                for c in self.chains
            ],
        }
