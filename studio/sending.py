"""Files sent piece by piece, so that a long one is never in memory whole."""

from __future__ import annotations

import asyncio
import os
from collections.abc import AsyncIterator
from pathlib import Path
from typing import BinaryIO

from django.http import StreamingHttpResponse
from django.utils.http import content_disposition_header

PIECE = 1 << 20


def sent(
    path: Path, content_type: str, name: str = "", *, passing: bool = False
) -> StreamingHttpResponse:
    """A file as an answer; one that is only `passing` is deleted whatever becomes of the answer.

    Parameters
    ----------
    name
        The name that it is downloaded under, if it is a download.
    """
    file = path.open("rb")
    if passing:
        # Whether the answer is read, dropped or never begun: what is open is sent, and then gone.
        path.unlink()
    response = StreamingHttpResponse(_pieces(file), content_type=content_type)
    response._resource_closers.append(file.close)  # type: ignore[attr-defined]
    response.headers["Content-Length"] = str(os.fstat(file.fileno()).st_size)
    if name:
        response.headers["Content-Disposition"] = content_disposition_header(True, name) or ""
    return response


async def _pieces(file: BinaryIO) -> AsyncIterator[bytes]:
    while piece := await asyncio.to_thread(file.read, PIECE):
        yield piece
