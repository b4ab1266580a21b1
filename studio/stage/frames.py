"""Binary WebSocket frames: a kind, a JSON header, and raw data aligned to four bytes.

Layout, little-endian: uint32 kind, uint32 length of the header (padded with blanks to a
multiple of four), the header, the data.
"""

from __future__ import annotations

import json
import struct
from typing import Any

AUDIO, TILE = 1, 2


def frame(kind: int, header: dict[str, Any], data: bytes) -> bytes:
    """One frame."""
    text = json.dumps(header).encode()
    text += b" " * (-len(text) % 4)
    return struct.pack("<II", kind, len(text)) + text + data
