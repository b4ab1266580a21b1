"""Where modules register, and where everybody else finds them.

A module file registers itself when it is imported. The families' packages are imported by
name on first use, so the catalogue depends on none of them: a new file in
``caligo/effects/`` is in the catalogue without another line anywhere.
"""

from __future__ import annotations

import importlib
import pkgutil
import threading
from collections.abc import Callable
from typing import Any, TypeVar

from caligo.catalogue.module import Module
from caligo.catalogue.output import with_output
from caligo.catalogue.placement import with_placement

FAMILY_PACKAGES = {
    "part": "caligo.catalogue.parts",
    "modulator": "caligo.modulators",
    "source": "caligo.sources",
    "item": "caligo.sources",
    "filter": "caligo.filters",
    "effect": "caligo.effects",
}

DERIVED = ("caligo.processing.filter_effect",)
"""Files whose `derived` makes modules of those that are known, as effects of filters."""

T = TypeVar("T")

_modules: dict[tuple[str, str], Module] = {}
_implementations: dict[tuple[str, str], Any] = {}
_lock = threading.RLock()
_discovered = False


class UnknownModule(LookupError):
    """No module of this kind is in the catalogue."""


def register(spec: Module) -> Callable[[T], T]:
    """Enter `spec` in the catalogue, with the decorated class as its implementation."""
    if spec.family in ("filter", "effect"):
        spec = with_output(spec)
    if spec.family == "source":
        spec = with_placement(spec)

    def enter(implementation: T) -> T:
        key = (spec.family, spec.kind)
        if spec.family not in FAMILY_PACKAGES:
            raise ValueError(f"unknown family {spec.family!r}")
        if key in _modules and _modules[key] != spec:
            raise ValueError(f"{spec.family} {spec.kind!r} is registered twice")
        _modules[key] = spec
        _implementations[key] = implementation
        return implementation

    return enter


def _discover() -> None:
    """Import every file of every family's package, once."""
    global _discovered
    with _lock:
        if _discovered:
            return
        for package_name in FAMILY_PACKAGES.values():
            package = importlib.import_module(package_name)
            for info in sorted(pkgutil.iter_modules(package.__path__), key=lambda i: i.name):
                importlib.import_module(f"{package_name}.{info.name}")
        for name in DERIVED:
            known = [(spec, _implementations[key]) for key, spec in _modules.items()]
            for spec, made in importlib.import_module(name).derived(known):
                register(spec)(made)
        _discovered = True


def catalogue() -> tuple[Module, ...]:
    """Every module, by family in signal order and then by name.

    Returns
    -------
    tuple of Module

    Examples
    --------
    >>> sorted({module.family for module in catalogue()})
    ['effect', 'filter', 'item', 'modulator', 'part', 'source']
    """
    _discover()
    order = list(FAMILY_PACKAGES)
    return tuple(sorted(_modules.values(), key=lambda m: (order.index(m.family), m.name)))


def module(family: str, kind: str) -> Module:
    """The module of this family and kind.

    Parameters
    ----------
    family, kind : str
        As documents have them.

    Returns
    -------
    Module

    Raises
    ------
    UnknownModule
        With the kinds that do exist in the message.

    Examples
    --------
    >>> module("effect", "reverb").name
    'Reverb'
    """
    _discover()
    try:
        return _modules[family, kind]
    except KeyError:
        kinds = ", ".join(sorted(k for f, k in _modules if f == family)) or "none"
        raise UnknownModule(f"there is no {family} {kind!r}; there are: {kinds}") from None


def implementation(family: str, kind: str) -> Any:
    """The class that a module's file registered for it."""
    module(family, kind)
    return _implementations[family, kind]


def as_json() -> dict[str, Any]:
    """The whole catalogue as plain data, for the API, the screen and the docs."""
    return {
        "schema": 1,
        "modules": [
            m.as_json()
            | {
                "always_per_note": bool(
                    getattr(_implementations[m.family, m.kind], "always_per_note", False)
                )
            }
            for m in catalogue()
        ],
    }
