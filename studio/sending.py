"""Files sent piece by piece, so that a long one is never in memory whole."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from pathlib import Path

from django.http import StreamingHttpResponse
from django.utils.http import content_disposition_header

PIECE = 1 << 20


def sent(
    path: Path, content_type: str, name: str = "", *, passing: bool = False
) -> StreamingHttpResponse:
    """A file as an answer; one that is only `passing` is removed once it is sent.

    Parameters
    ----------
    name
        The name that it is downloaded under, if it is a download.
    """
    response = StreamingHttpResponse(_pieces(path, passing), content_type=content_type)
    response.headers["Content-Length"] = str(path.stat().st_size)
    if name:
        response.headers["Content-Disposition"] = content_disposition_header(True, name) or ""
    return response


async def _pieces(path: Path, passing: bool) -> AsyncIterator[bytes]:
    try:
        with path.open("rb") as file:
            while piece := await asyncio.to_thread(file.read, PIECE):
                yield piece
    finally:
        if passing:
            path.unlink(missing_ok=True)
