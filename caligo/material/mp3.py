"""MP3 files that do not say how long they are.

The format has no length; encoders put one into a first frame of their own, but not all do, and what
libsndfile says of the others is an estimate from the first frame's bit rate, beyond which it does
not read. Read from a pipe, it estimates nothing and reads to the end.
"""

from __future__ import annotations

import os
import threading
from contextlib import suppress
from pathlib import Path

import soundfile

UNKNOWN = 1 << 62
"""Frames from which on a length is libsndfile's way to say that it does not know."""
BLOCK = 1 << 16


def streamed(path: Path) -> soundfile.SoundFile:
    """An audio file that is read from a pipe, which a thread fills.

    Raises
    ------
    soundfile.LibsndfileError
        It is not audio.
    """
    out, into = os.pipe()

    def fill() -> None:
        with suppress(OSError), path.open("rb") as file, os.fdopen(into, "wb") as pipe:
            while block := file.read(BLOCK):
                pipe.write(block)

    threading.Thread(target=fill, daemon=True).start()
    return soundfile.SoundFile(out)


def says_its_length(path: Path) -> bool:
    """Whether an MP3 file has its length in its first frame."""
    with streamed(path) as sound:
        return int(sound.frames) < UNKNOWN


def decoded_frames(path: Path, most: int) -> int:
    """How many frames an audio file has, found by decoding it; no more than `most` are counted."""
    with streamed(path) as sound:
        count = 0
        while count < most and (read := len(sound.read(BLOCK, "float32", always_2d=True))):
            count += read
    return count
