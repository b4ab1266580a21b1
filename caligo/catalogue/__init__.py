"""The one description of every module and parameter that a document may hold."""

from caligo.catalogue.module import Added, InnerChain, Items, Module
from caligo.catalogue.parameter import (
    Choice,
    Display,
    Kind,
    Moves,
    Parameter,
    Scale,
    key_number,
    key_velocity,
)
from caligo.catalogue.registry import (
    UnknownModule,
    as_json,
    catalogue,
    implementation,
    module,
    register,
)

__all__ = [
    "Added",
    "Choice",
    "Display",
    "InnerChain",
    "Items",
    "Kind",
    "Module",
    "Moves",
    "Parameter",
    "Scale",
    "UnknownModule",
    "as_json",
    "catalogue",
    "implementation",
    "key_number",
    "key_velocity",
    "module",
    "register",
]
