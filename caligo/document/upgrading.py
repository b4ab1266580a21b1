"""Old documents brought to the present schema: what they meant they still mean.

Schema 2 (sounds) lets buses send to buses, gives every send the place where it takes its signal
(``from``: behind the fader, as before, or ahead of it), and lets effects hold chains. Nothing in a
document of schema 1 means something else in schema 2.
"""

from __future__ import annotations

from typing import Any

SOUND_SCHEMA = 2
"""The schema of sounds that is written."""
KNOWN_SOUND_SCHEMAS = (1, 2)


def upgraded_sound(data: dict[str, Any]) -> dict[str, Any]:
    """A sound's JSON in the present schema; `data` stays as it is.

    Examples
    --------
    >>> upgraded_sound({"schema": 1, "name": "Old"})
    {'schema': 2, 'name': 'Old'}
    """
    if data.get("schema", SOUND_SCHEMA) == 1:
        return data | {"schema": 2}
    return data
