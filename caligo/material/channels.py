"""Recordings of three to eight channels: mixed to two, or two of them taken."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from caligo.material.long import PIECE
from caligo.material.reading import MaterialError, not_audio

MIX = "mix"
"""Take a mix of all channels to two."""
PATTERN = r"^(mix|[1-8]-[1-8])?$"
"""What may be taken: a mix, or two channels by number; nothing where a file has no more."""
MOST_CHANNELS = 8
BEHIND = math.sqrt(0.5)
"""-3 dB."""
# Left and right of each channel, in the order of a WAV file: front left and right, centre, low
# frequencies, back left and right, then side left and right.
CENTRE, LOW = (BEHIND, BEHIND), (0.0, 0.0)
LEFT, RIGHT = (1.0, 0.0), (0.0, 1.0)
LEFT_BEHIND, RIGHT_BEHIND = (BEHIND, 0.0), (0.0, BEHIND)
LAYOUTS = {
    3: (LEFT, RIGHT, CENTRE),
    4: (LEFT, RIGHT, LEFT_BEHIND, RIGHT_BEHIND),
    5: (LEFT, RIGHT, CENTRE, LEFT_BEHIND, RIGHT_BEHIND),
    6: (LEFT, RIGHT, CENTRE, LOW, LEFT_BEHIND, RIGHT_BEHIND),
    7: (LEFT, RIGHT, CENTRE, LOW, (0.5, 0.5), LEFT_BEHIND, RIGHT_BEHIND),
    8: (LEFT, RIGHT, CENTRE, LOW, LEFT_BEHIND, RIGHT_BEHIND, LEFT_BEHIND, RIGHT_BEHIND),
}
"""Channels by how many there are; the mix leaves low-frequency effects out."""


def matrix(channels: int, take: str) -> NDArray[np.float64]:
    """What each channel gives to left and right ``[2, channels]``.

    A mix follows ITU-R BS.775-3, table 2: centre and surround channels at -3 dB. It is divided by
    the largest sum, so that it cannot clip.

    Raises
    ------
    ValueError
        There is no such channel.

    Examples
    --------
    >>> matrix(4, "3-4")
    array([[0., 0., 1., 0.],
           [0., 0., 0., 1.]])
    """
    if take == MIX:
        found = np.array(LAYOUTS[channels], dtype=np.float64).T
        return np.asarray(found / found.sum(axis=1).max())
    chosen = [int(number) - 1 for number in take.split("-")]
    if not re.match(PATTERN, take) or max(chosen) >= channels:
        raise ValueError(f"a file of {channels} channels has no channels {take}")
    return np.asarray(np.eye(channels)[chosen])


def write_two(path: Path, called: str, take: str, target: Path) -> None:
    """Write two channels of an audio file, or a mix of all, as a WAV file of 32-bit floats.

    Raises
    ------
    MaterialError
        The file is not audio, or has no such channels.
    """
    try:
        with soundfile.SoundFile(path) as file:
            try:
                gains = matrix(file.channels, take).T
            except (ValueError, KeyError):
                raise MaterialError(
                    f"{called} has {file.channels} channels; {take} cannot be taken of it"
                ) from None
            with soundfile.SoundFile(target, "w", file.samplerate, 2, "FLOAT", format="WAV") as out:
                while len(piece := file.read(PIECE, "float32", always_2d=True)):
                    out.write((piece @ gains).astype(np.float32))
    except soundfile.LibsndfileError:
        raise not_audio(called) from None
