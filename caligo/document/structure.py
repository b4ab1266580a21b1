"""Structure of documents by pydantic, with every problem said in one line."""

from __future__ import annotations

import copy
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from caligo.document.bounds import check_bounds
from caligo.document.problems import DocumentError, Problem
from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.document.upgrading import (
    KNOWN_SCORE_SCHEMAS,
    KNOWN_SOUND_SCHEMAS,
    upgraded_score,
    upgraded_sound,
)

Model = TypeVar("Model", bound=BaseModel)
Location = tuple[int | str, ...]

LIMITS = {"ge": "at least", "gt": "more than", "le": "at most", "lt": "less than",
          "max_length": "at most", "min_length": "at least", "expected": ""}  # fmt: skip
MESSAGES = {
    "extra_forbidden": "this field does not exist here; remove it",
    "missing": "this field is missing",
    "string_type": "a text is wanted here",
    "string_too_long": "this text is too long",
    "string_too_short": "this text is empty",
    "string_pattern_mismatch": "an id is made of small letters, digits and _, a letter first",
    "list_type": "a list is wanted here",
    "too_long": "there are too many of these",
    "dict_type": "an object is wanted here",
    "model_type": "an object is wanted here",
    "model_attributes_type": "an object is wanted here",
    "int_type": "a whole number is wanted here",
    "int_parsing": "a whole number is wanted here",
    "int_from_float": "a whole number is wanted here",
    "float_type": "a number is wanted here",
    "float_parsing": "a number is wanted here",
    "finite_number": "a number that is not infinite is wanted here",
    "bool_type": "true or false is wanted here",
    "bool_parsing": "true or false is wanted here",
    "literal_error": "this is not one of the choices",
    "greater_than": "this number is not possible",
    "greater_than_equal": "this number is not possible",
    "less_than": "this number is not possible",
    "less_than_equal": "this number is not possible",
}
PARTS = {"layers", "more_sources", "items", "filters", "inserts", "sends", "buses", "effects",
         "chains", "modulators"}  # fmt: skip
"""Lists that addresses leave out; see `caligo.document.addresses`."""
EXAMPLE = '{"value": 4, "unit": "s"}, where the unit is s, beats or hold'


def structure(model: type[Model], data: Any) -> tuple[Model, list[Problem]]:
    """A document of JSON data, and what of it had to be left out to read the rest.

    Raises
    ------
    DocumentError
        If there is nothing to be read even so.
    """
    if not isinstance(data, dict):
        raise DocumentError([Problem("", "a document is a JSON object", type(data).__name__)])
    if model is Sound:
        check_bounds(data)
    known = KNOWN_SOUND_SCHEMAS if model is Sound else KNOWN_SCORE_SCHEMAS
    if "schema" in data and data["schema"] not in known:
        said = " and ".join(str(number) for number in known)
        raise DocumentError(
            [Problem("schema", f"this version of Caligo reads schema {said}", data["schema"], said)]
        )
    if model is Sound:
        data = upgraded_sound(data)
    elif model is Score:
        data = upgraded_score(data)
    try:
        return model.model_validate(data), []
    except ValidationError as error:
        errors = error.errors()
        problems = _problems(data, errors)
    try:
        return model.model_validate(_without(data, errors)), problems
    except ValidationError:
        raise DocumentError(problems) from None


def _problems(data: Any, errors: list[Any]) -> list[Problem]:
    """One problem for each place; a parameter's value has one however many kinds it is not."""
    found: dict[Location, Problem] = {}
    for error in errors:
        place = _place(error["loc"])
        if place in found:
            continue
        if place != error["loc"]:
            found[place] = _of_parameter(data, place)
        else:
            found[place] = _of_field(data, error)
    return list(found.values())


def _place(location: Location) -> Location:
    """Where a problem lies; inside a parameter's value it is the parameter."""
    if "params" in location:
        return location[: location.index("params") + 2]
    return location


def _of_parameter(data: Any, place: Location) -> Problem:
    value = _at(data, place)
    if isinstance(value, dict):
        return Problem(address_of(data, place), "a time is a value with its unit", value, EXAMPLE)
    return Problem(address_of(data, place), "this value is not possible", value)


def _of_field(data: Any, error: Any) -> Problem:
    found = error["input"]
    small = isinstance(found, bool | int | float | str) and len(str(found)) <= 80
    context = error.get("ctx") or {}
    allowed = " and ".join(f"{LIMITS[k]} {v}".strip() for k, v in context.items() if k in LIMITS)
    message = MESSAGES.get(error["type"], "this is not possible here")
    return Problem(address_of(data, error["loc"]), message, found if small else None, allowed)


def _at(data: Any, place: Location) -> Any:
    for step in place:
        try:
            data = data[step]
        except (KeyError, IndexError, TypeError):
            return None
    return data


def _without(data: Any, errors: list[Any]) -> Any:
    """The data without the fields that are wrong, so that the rest can be judged as well."""
    left = copy.deepcopy(data)
    for error in errors:
        place = _place(error["loc"])
        owner = _at(left, place[:-1])
        if isinstance(owner, dict) and error["type"] != "missing":
            owner.pop(place[-1], None)
    return left


def address_of(data: Any, location: Location) -> str:
    """A pydantic location with list indexes replaced by the ids that stand there.

    Examples
    --------
    >>> address_of({"layers": [{"id": "ground"}]}, ("layers", 0, "params", "level"))
    'ground.level'
    """
    words: list[str] = []
    for step in location:
        if isinstance(step, int) and isinstance(data, list) and 0 <= step < len(data):
            data = data[step]
            name = data.get("id") if isinstance(data, dict) else None
            if isinstance(name, str) and words and words[-1] in PARTS:
                words[-1] = name
            else:
                words.append(name if isinstance(name, str) else str(step))
        else:
            data = data.get(step) if isinstance(data, dict) else None
            if step != "params":
                words.append(str(step))
    return ".".join(words)
