"""Reading documents: structure by pydantic, values by the catalogue, references by id."""

from __future__ import annotations

from collections import Counter
from typing import Any

from caligo.catalogue import Kind, Module, UnknownModule, module
from caligo.document.addresses import parts
from caligo.document.limits import DEEPEST_CHAIN
from caligo.document.problems import DocumentError, Problem
from caligo.document.references import check_ids, check_references
from caligo.document.score import Score
from caligo.document.sound import (
    EffectPart,
    InnerChainPart,
    ItemPart,
    Part,
    Sound,
    SourcePart,
    Value,
)
from caligo.document.structure import structure
from caligo.document.values import check_value, default_value


def _complete(part: Part, path: str) -> list[Problem]:
    """Fill in defaults and return what is wrong with the part's parameters."""
    try:
        spec = module(part.family, part.kind)
    except UnknownModule as error:
        return [Problem(f"{path}.kind", str(error), part.kind)]
    problems = [
        Problem(
            f"{path}.{key}",
            f"{spec.name} has no such parameter; remove it",
            allowed=", ".join(p.key for p in spec.parameters),
        )
        for key in part.params
        if spec.parameter(key) is None
    ]
    values: dict[str, Value] = {}
    for parameter in spec.parameters:
        value = part.params.get(parameter.key, default_value(parameter))
        problem = check_value(parameter, value, f"{path}.{parameter.key}")
        if problem:
            problems.append(problem)
            # So that what else is wrong with the document can be told as well.
            value = default_value(parameter)
        if parameter.kind is Kind.INTEGER and isinstance(value, float):
            value = int(value)
        values[parameter.key] = value
    part.params = values
    if isinstance(part, SourcePart):
        problems += _complete_items(part, spec, path)
    if isinstance(part, EffectPart):
        problems += _complete_chains(part, spec, path)
    return problems


def _complete_chains(effect: EffectPart, spec: Module, path: str) -> list[Problem]:
    """Add the chains that an effect holds, in their order; say which do not belong to it."""
    known = [chain.id for chain in spec.chains]
    given = {chain.id: chain for chain in effect.chains}
    problems = [
        Problem(
            f"{path}.{name}", f"{spec.name} has no such chain", name, ", ".join(known) or "none"
        )
        for name in given
        if name not in known
    ]
    if path.count(".") > 2 * DEEPEST_CHAIN and known:
        problems.append(Problem(path, "effects are nested too deep here; take this one out"))
    elif not problems:
        effect.chains = [given.get(name) or InnerChainPart(id=name) for name in known]
    return problems


def _complete_items(source: SourcePart, spec: Module, path: str) -> list[Problem]:
    """Add the items that a source cannot be without; say which do not belong to it."""
    problems = []
    for rule in spec.items:
        taken = {item.id for item in source.items}
        free = (f"{rule.kind}{n}" for n in range(1, 1000) if f"{rule.kind}{n}" not in taken)
        for _ in range(rule.fewest - len(source.of_kind(rule.kind))):
            source.items.append(ItemPart(id=next(free), kind=rule.kind))
        count = len(source.of_kind(rule.kind))
        if count > rule.most:
            problems.append(
                Problem(f"{path}.items", f"too many of {rule.kind}", count, f"at most {rule.most}")
            )
    known = {rule.kind for rule in spec.items}
    problems += [
        Problem(
            f"{path}.{item.id}.kind",
            f"{spec.name} is not made of these",
            item.kind,
            ", ".join(sorted(known)) or "no items",
        )
        for item in source.items
        if item.kind not in known
    ]
    return problems


def read_sound(data: Any) -> Sound:
    """A complete, valid sound from JSON data.

    Documents of older schemas are brought to the present one; missing parameters take defaults.

    Parameters
    ----------
    data : dict
        A sound as JSON has it.

    Returns
    -------
    Sound

    Raises
    ------
    DocumentError
        With every problem: its address, the value found and what is allowed.

    Examples
    --------
    >>> layer = {"id": "a", "name": "A", "source": {"kind": "noise", "params": {"tilt": -3}}}
    >>> read_sound({"name": "Wind", "layers": [layer]}).layers[0].source.params["tilt"]
    -3
    """
    sound, problems = structure(Sound, data)
    unknown = False
    for path, _, part in parts(sound):
        found = _complete(part, path)
        unknown |= any(problem.address == f"{path}.kind" for problem in found)
        problems += found
    problems += check_ids(sound)
    if not unknown:
        problems += check_references(sound)
    if problems:
        raise DocumentError(list({str(p): p for p in problems}.values()))
    return sound


def read_score(data: Any) -> Score:
    """A valid score from JSON data.

    Parameters
    ----------
    data : dict
        A score as JSON has it; times and lengths in seconds.

    Returns
    -------
    Score

    Raises
    ------
    DocumentError
        With every problem: its address, the value found and what is allowed.

    Examples
    --------
    >>> note = {"id": "n", "pitch": 57, "start": 0.5, "length": 3.0, "velocity": 90}
    >>> read_score({"length": 4.0, "notes": [note]}).notes[0].pitch
    57
    """
    score, problems = structure(Score, data)
    problems += [
        Problem(f"{field}.{name}", "this id is used twice; ids are unique", name)
        for field in ("notes", "lanes", "markers")
        for name, count in Counter(item.id for item in getattr(score, field)).items()
        if count > 1
    ]
    if problems:
        raise DocumentError(problems)
    return score
