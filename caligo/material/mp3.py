"""MP3 files with tags ahead of the sound, and such that do not say how long they are.

libsndfile takes a picture in a tag for sound, or finds no sound at all, so it is given the file
from its first frame on. The format has no length; encoders put one into a first frame of their own,
but not all do, and what libsndfile says of the others is an estimate from the first frame's bit
rate, beyond which it does not read. Read from a pipe, it estimates nothing and reads to the end.
"""

from __future__ import annotations

import io
import os
import threading
from contextlib import suppress
from pathlib import Path

import soundfile

UNKNOWN = 1 << 62
"""Frames from which on a length is libsndfile's way to say that it does not know."""
BLOCK = 1 << 16
TAG_HEADER = 10
FEW_SAMPLES = 1152
"""Samples that are decoded at once, one frame of the format: what fails takes no others along."""
TRAILING_BYTES = 1 << 20
"""Bytes of tags that may follow the last frame; a pipe holds a sixteenth of it."""


def first_frame(path: Path) -> int:
    """Bytes ahead of the sound: tags and zeros.

    A tag has ten bytes and as many as four of them say, of seven bits each, and a footer of ten
    where a flag says so (ID3v2.4.0, section 3.1).
    """
    with path.open("rb") as file:
        begin = 0
        while True:
            file.seek(begin)
            head = file.read(BLOCK)
            zeros = len(head) - len(head.lstrip(b"\0"))
            if zeros:
                begin += zeros
            elif head[:3] == b"ID3" and len(head) >= TAG_HEADER:
                size = sum(
                    (byte & 0x7F) << shift
                    for byte, shift in zip(head[6:10], (21, 14, 7, 0), strict=True)
                )
                footer = TAG_HEADER if head[5] & 0x10 else 0
                begin += TAG_HEADER + size + footer
            else:
                return begin


class _FromFrame(io.FileIO):
    """A file that begins at its first frame."""

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        self._begin = first_frame(path)
        self.seek(0)

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        """See `io.FileIO`."""
        return super().seek(offset + self._begin * (whence == io.SEEK_SET), whence) - self._begin

    def tell(self) -> int:
        """See `io.FileIO`."""
        return super().tell() - self._begin


class StreamedFile(soundfile.SoundFile):  # type: ignore[misc]
    """An MP3 file that is read from its first frame on, by way of a pipe that a thread fills.

    Raises
    ------
    soundfile.LibsndfileError
        It is not audio.
    """

    def __init__(self, path: Path) -> None:
        out, into = os.pipe()
        self.fed = begin = first_frame(path)
        """Bytes that the pipe has taken."""

        def fill() -> None:
            with suppress(OSError), path.open("rb") as file, os.fdopen(into, "wb", 0) as pipe:
                file.seek(begin)
                while block := file.read(BLOCK):
                    pipe.write(block)
                    self.fed += len(block)

        threading.Thread(target=fill, daemon=True).start()
        super().__init__(out)


def opened(path: Path) -> soundfile.SoundFile:
    """An MP3 file from its first frame on; without a length its `frames` are at least `UNKNOWN`.

    Raises
    ------
    soundfile.LibsndfileError
        It is not audio.
    """
    found = StreamedFile(path)
    if found.frames >= UNKNOWN:
        return found
    found.close()
    return soundfile.SoundFile(_FromFrame(path))


def decoded_frames(path: Path, most: int) -> int:
    """How many frames an audio file has, found by decoding it; no more than `most` are counted.

    What follows the last frame (tags, half a frame) ends it without an error.

    Raises
    ------
    soundfile.LibsndfileError
        Nothing of it can be decoded, or much of the file follows what cannot.
    """
    with StreamedFile(path) as sound:
        count = 0
        try:
            while count < most and (read := len(sound.read(FEW_SAMPLES, always_2d=True))):
                count += read
        except soundfile.LibsndfileError:
            if not count or path.stat().st_size - sound.fed > TRAILING_BYTES:
                raise
        return count
