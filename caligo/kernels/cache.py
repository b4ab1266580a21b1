"""Machine code of kernels on disk, by the hash of all that it depends on.

It lies in the user's cache directory, so that all checkouts share it: a kernel that has not changed
is compiled once for a machine. A file is written under another name and then renamed, so processes
may read and write the same one at any time.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import pickle
import time
from pathlib import Path
from typing import Any

from platformdirs import user_cache_path

VARIABLE = "CALIGO_CACHE"
"""Names another cache directory."""
ENDING = ".kernel"
DIGEST_BYTES = 32
MOST_BYTES = 512 << 20
"""Bytes of kernels that are kept; the complete set takes some 20 MB."""
UNUSED_SECONDS = 30 * 86_400
"""Seconds after which a kernel that was not loaded is deleted."""
TOUCH_SECONDS = 86_400
"""Seconds between marks that a kernel was loaded."""


def directory() -> Path:
    """Where kernels are kept."""
    given = os.environ.get(VARIABLE)
    return (Path(given) if given else user_cache_path("caligo", appauthor=False)) / "kernels"


def _path(key: str) -> Path:
    return directory() / f"{key}{ENDING}"


def has(key: str) -> bool:
    """Whether a kernel is kept."""
    return _path(key).exists()


def load(key: str, context: Any) -> Any:
    """Load a kernel into this process.

    Parameters
    ----------
    key : str
        See `caligo.kernels.fingerprint`.
    context : numba.core.cpu.CPUContext

    Returns
    -------
    CompileResult or None
        None if it is not kept, or its file is damaged, which is then deleted.
    """
    from numba.core.compiler import CompileResult

    path = _path(key)
    try:
        content = path.read_bytes()
    except OSError:
        return None
    data = content[DIGEST_BYTES:]
    if hashlib.sha256(data).digest() != content[:DIGEST_BYTES]:
        with contextlib.suppress(OSError):
            path.unlink()
        return None
    with contextlib.suppress(OSError):
        if time.time() - path.stat().st_mtime > TOUCH_SECONDS:
            os.utime(path)
    return CompileResult._rebuild(context, *pickle.loads(data))


def save(key: str, result: Any) -> None:
    """Keep a kernel.

    Raises
    ------
    OSError
        The disk is full, or the directory cannot be written to.
    """
    from numba.core.serialize import dumps

    data = dumps(result._reduce())
    path = _path(key)
    path.parent.mkdir(parents=True, exist_ok=True)
    unfinished = path.with_suffix(f".{os.getpid()}.part")
    try:
        unfinished.write_bytes(hashlib.sha256(data).digest() + data)
        unfinished.replace(path)
    except OSError:
        unfinished.unlink(missing_ok=True)
        raise


def prune(most_bytes: int = MOST_BYTES, unused_seconds: float = UNUSED_SECONDS) -> int:
    """Delete kernels that were not loaded for long, and the oldest beyond a size; how many.

    Examples
    --------
    >>> prune(most_bytes=1 << 40, unused_seconds=1e9)
    0
    """
    found = []
    with contextlib.suppress(OSError):
        for path in directory().iterdir():
            with contextlib.suppress(OSError):
                status = path.stat()
                found.append((status.st_mtime, status.st_size, path))
    deleted, size, now = 0, 0, time.time()
    for used, bytes_, path in sorted(found, reverse=True):
        size += bytes_
        if now - used > unused_seconds or size > most_bytes:
            path.unlink(missing_ok=True)
            deleted += 1
    return deleted
