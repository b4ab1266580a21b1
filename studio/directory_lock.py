"""One studio for a data folder: a second one would take its renders and uploads for left behind."""

from __future__ import annotations

import fcntl
import json
import os
from contextlib import suppress
from pathlib import Path
from typing import TextIO

LOCK = "studio.lock"


class DirectoryTaken(SystemExit):
    """Another studio works in the folder; says which, and at what address."""


def lock(directory: Path) -> TextIO:
    """Take a data folder for this process, for as long as the file that is given stays open.

    The system lets go of it however the process ends, and no child keeps it.

    Raises
    ------
    FolderTaken
    """
    directory.mkdir(parents=True, exist_ok=True)
    file = (directory / LOCK).open("a+")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        file.seek(0)
        owner: dict[str, object] = {}
        with suppress(ValueError):
            owner = json.loads(file.read())
        where = f" at {owner['address']}" if "address" in owner else ""
        raise DirectoryTaken(
            f"caligo: a studio is already open{where} (process {owner.get('process', 'unknown')}) "
            f"on the data in {directory}. Use that one, or name another folder by CALIGO_DATA"
        ) from None
    return file


def sign(file: TextIO, address: str) -> None:
    """Write who has the folder into its lock."""
    file.seek(0)
    file.truncate()
    json.dump({"process": os.getpid(), "address": address}, file)
    file.flush()
