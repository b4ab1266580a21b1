"""Documents as they were read last: what an edit has read, nobody who follows it reads again."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Any, Generic, TypeVar

from caligo.document import read_score, read_sound

Document = TypeVar("Document")

MOST_KEPT = 32


class RecentDocuments(Generic[Document]):
    """The documents of some rows as the core read them; used from any thread.

    What was read counts as long as the row holds the same data, whichever way that came there.

    Parameters
    ----------
    read
        Reads a document from its data.
    """

    def __init__(self, read: Callable[[Any], Document]) -> None:
        self._read = read
        self._lock = threading.Lock()
        self._kept: OrderedDict[int, tuple[Any, Document]] = OrderedDict()

    def keep(self, row: int, data: Any, document: Document) -> None:
        """Remember what a row's data was read as; neither may be written to afterwards."""
        with self._lock:
            self._kept[row] = data, document
            self._kept.move_to_end(row)
            if len(self._kept) > MOST_KEPT:
                self._kept.popitem(last=False)

    def of(self, row: int, data: Any) -> Document:
        """The document of a row that holds `data`.

        Raises
        ------
        caligo.document.DocumentError
        """
        with self._lock:
            kept = self._kept.get(row)
        if kept is not None and kept[0] == data:
            return kept[1]
        document = self._read(data)
        self.keep(row, data, document)
        return document


sounds = RecentDocuments(read_sound)
scores = RecentDocuments(read_score)
