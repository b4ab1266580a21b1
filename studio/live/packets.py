"""Binary WebSocket messages, called packets: a kind, a JSON header, raw data aligned to four.

Layout, little-endian: uint32 kind, uint32 length of the header (padded with blanks to a
multiple of four), the header, the data.
"""

from __future__ import annotations

import struct

from pydantic import BaseModel

AUDIO, TILE, CLOSER, TRAJECTORIES, SPECTRUM = 1, 2, 3, 4, 5


def packet(kind: int, header: BaseModel, data: bytes) -> bytes:
    """One packet."""
    text = header.model_dump_json().encode()
    text += b" " * (-len(text) % 4)
    return struct.pack("<II", kind, len(text)) + text + data
