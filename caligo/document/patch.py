"""Edits as JSON Patch (RFC 6902), with the inverse that takes an edit back."""

from __future__ import annotations

import copy
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

import jsonpatch
import jsonpointer

from caligo.document.bounds import MOST_VALUES, check_bounds
from caligo.document.problems import DocumentError, Problem

Document = TypeVar("Document")
Operations = list[dict[str, Any]]

LONGEST_REASON = 200
"""Characters of the reason why a patch does not fit."""


@dataclass(frozen=True, slots=True)
class Edited(Generic[Document]):
    """The outcome of an edit: the valid document, its JSON, and the JSON before."""

    document: Document
    data: dict[str, Any]
    before: dict[str, Any]

    @property
    def inverse(self) -> Operations:
        """The patch that takes the edit back."""
        found: Operations = jsonpatch.make_patch(self.data, self.before).patch
        return found


def _applied(data: dict[str, Any], operations: Operations) -> Any:
    """The data after the operations; copies of copies stay within `caligo.document.bounds`."""
    if not any(operation.get("op") == "copy" for operation in operations):
        return jsonpatch.JsonPatch(operations).apply(data)
    changed: Any = copy.deepcopy(data)
    count = check_bounds(changed)
    for operation in operations:
        if operation.get("op") == "copy":
            count += check_bounds(jsonpointer.resolve_pointer(changed, operation["from"]), "patch")
            if count > MOST_VALUES:
                raise DocumentError([Problem("patch", f"it makes more than {MOST_VALUES} values")])
        changed = jsonpatch.JsonPatch([operation]).apply(changed, in_place=True)
    return changed


def apply_patch(
    data: dict[str, Any],
    operations: Operations,
    read: Callable[[Any], Document],
    dump: Callable[[Document], dict[str, Any]],
) -> Edited[Document]:
    """Apply `operations` to `data` and validate the outcome with `read`; `data` stays as it is.

    Raises
    ------
    DocumentError
        If the patch does not fit the document, or the outcome breaks a rule.
    """
    check_bounds(operations, "patch")
    try:
        changed = _applied(data, operations)
    except (
        jsonpatch.JsonPatchException,
        jsonpointer.JsonPointerException,
        TypeError,
        KeyError,
        ValueError,
    ) as error:
        said = str(error)[:LONGEST_REASON]
        raise DocumentError([Problem("patch", f"the edit does not fit: {said}")]) from None
    document = read(changed)
    return Edited(document, dump(document), data)
