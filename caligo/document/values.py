"""Values of parameters, judged by the catalogue and said in a line."""

from __future__ import annotations

from collections.abc import Collection

from caligo.catalogue import Kind, Parameter, module
from caligo.catalogue.parameter import numbers
from caligo.document.problems import Problem
from caligo.document.sound import Part, Value
from caligo.document.times import Time, time_range


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


WANTED = {
    Kind.SWITCH: "true or false is wanted here",
    Kind.CHOICE: "this is chosen by its name",
    Kind.TIME: "a time is written with its unit",
    Kind.REFERENCE: "the id of something is wanted here",
    Kind.NUMBERS: "a list of numbers is wanted here",
    Kind.INTEGER: "a whole number is wanted here",
    Kind.NUMBER: "a number is wanted here",
}


def _fits(parameter: Parameter, value: Value) -> bool:
    """Whether a value is of the kind that is wanted."""
    match parameter.kind:
        case Kind.SWITCH:
            return isinstance(value, bool)
        case Kind.CHOICE | Kind.REFERENCE:
            return isinstance(value, str)
        case Kind.TIME:
            return isinstance(value, Time)
        case Kind.NUMBERS:
            return isinstance(value, list)
    return isinstance(value, int | float) and not isinstance(value, bool)


def check_value(parameter: Parameter, value: Value, address: str) -> Problem | None:
    """The problem with a parameter's value, or None; a time is judged in its own unit."""
    shown = value.model_dump() if isinstance(value, Time) else value
    if not _fits(parameter, value):
        allowed = _allowed(parameter)
        if parameter.kind is Kind.TIME:
            allowed = '{"value": 4, "unit": "s"}, where the unit is s, beats or hold'
        return Problem(address, WANTED[parameter.kind], shown, allowed)
    wrong = Problem(address, "this value is not possible", shown, _allowed(parameter))
    if parameter.kind is Kind.SWITCH:
        return None if isinstance(value, bool) else wrong
    if parameter.kind is Kind.CHOICE:
        return None if value in {c.value for c in parameter.choices} else wrong
    if parameter.kind is Kind.TIME and isinstance(value, Time):
        low, high = time_range(value.unit, parameter.low, parameter.high)
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
    assert isinstance(value, int | float)
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


def is_on(parameter: Parameter, part: Part, moved: Collection[str] = ()) -> bool:
    """Whether a parameter of a complete part does something: what switches it on is set so.

    `moved` are the keys of the part that routes lead to: an amount that is moved is on.
    """
    if parameter.when is None:
        return True
    key, values = parameter.when
    value = part.params.get(key)
    if values:
        return str(value) in values
    switching = module(part.family, part.kind).parameter(key)
    return switching is None or value != switching.off or key in moved
