"""Edits as JSON Patch (RFC 6902), with the inverse that takes an edit back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

import jsonpatch
import jsonpointer

from caligo.document.problems import DocumentError, Problem

Document = TypeVar("Document")
Operations = list[dict[str, Any]]


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
    try:
        changed = jsonpatch.JsonPatch(operations).apply(data)
    except (
        jsonpatch.JsonPatchException,
        jsonpointer.JsonPointerException,
        TypeError,
        KeyError,
        ValueError,
    ) as error:
        raise DocumentError([Problem("patch", f"the edit does not fit: {error}")]) from None
    document = read(changed)
    return Edited(document, dump(document), data)
