"""The documents' JSON Schemas, with every parameter of the catalogue spelled out."""

from __future__ import annotations

from typing import Any

from caligo.catalogue import Kind, Module, Parameter, catalogue
from caligo.document.score import Score
from caligo.document.sound import (
    Bus,
    EffectPart,
    EnvelopePart,
    FilterPart,
    ItemPart,
    Layer,
    Master,
    Modulator,
    Send,
    Sound,
    SourcePart,
)

FAMILY_MODELS = {
    "source": SourcePart,
    "item": ItemPart,
    "filter": FilterPart,
    "effect": EffectPart,
    "modulator": Modulator,
}
PART_MODELS = {
    "sound": Sound,
    "layer": Layer,
    "amplitude": EnvelopePart,
    "send": Send,
    "bus": Bus,
    "master": Master,
}


def parameter_schema(parameter: Parameter) -> dict[str, Any]:
    """The JSON Schema of one parameter's value."""
    about = {"title": parameter.name, "description": parameter.help}
    if parameter.kind is Kind.CHOICE:
        return about | {"enum": [c.value for c in parameter.choices]}
    if parameter.kind is Kind.SWITCH:
        return about | {"type": "boolean"}
    if parameter.kind is Kind.REFERENCE:
        return about | {"type": "string", "maxLength": 80}
    if parameter.kind is Kind.NUMBERS:
        number = {"type": "number", "minimum": parameter.low, "maximum": parameter.high}
        return about | {"type": "array", "items": number, "maxItems": parameter.most}
    if parameter.kind is Kind.TIME:
        return about | {"$ref": "#/$defs/Time"}
    kind = "integer" if parameter.kind is Kind.INTEGER else "number"
    return about | {"type": kind, "minimum": parameter.low, "maximum": parameter.high}


def _params_schema(module: Module) -> dict[str, Any]:
    return {
        "type": "object",
        "additionalProperties": False,
        "properties": {p.key: parameter_schema(p) for p in module.parameters},
    }


def sound_schema() -> dict[str, Any]:
    """The JSON Schema of a sound document."""
    schema = Sound.model_json_schema(by_alias=True)
    definitions: dict[str, Any] = schema["$defs"]
    modules = catalogue()
    for family, model in FAMILY_MODELS.items():
        kinds = [m for m in modules if m.family == family]
        definition = definitions[model.__name__]
        definition["properties"]["kind"] = {"enum": [m.kind for m in kinds]}
        definition["allOf"] = [
            {
                "if": {"properties": {"kind": {"const": m.kind}}},
                "then": {"properties": {"params": _params_schema(m)}},
            }
            for m in kinds
        ]
    for kind, model in PART_MODELS.items():
        module = next(m for m in modules if m.family == "part" and m.kind == kind)
        target = schema if model is Sound else definitions[model.__name__]
        target["properties"]["params"] = _params_schema(module)
    return schema


def json_schemas() -> dict[str, Any]:
    """The JSON Schemas of both documents.

    Returns
    -------
    dict
        By the documents' names.

    Examples
    --------
    >>> sorted(json_schemas())
    ['score', 'sound']
    """
    return {"sound": sound_schema(), "score": Score.model_json_schema(by_alias=True)}
