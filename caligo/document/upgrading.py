"""Old documents brought to the present schema: what they meant they still mean.

Schema 2 (sounds) lets buses send to buses, gives every send the place where it takes its signal
(``from``: behind the fader, as before, or ahead of it), and lets effects hold chains. Schema 3 adds
lanes, earlier seeds and locks of modulators, and more of their parameters, whose defaults are what
was before. Nothing in an older document means something else in a newer schema.
"""

from __future__ import annotations

from typing import Any

SOUND_SCHEMA = 3
"""The schema of sounds that is written."""
KNOWN_SOUND_SCHEMAS = (1, 2, 3)
SCORE_SCHEMA = 2
"""The schema of scores that is written; the second adds lanes of pressure and pitch bend."""
KNOWN_SCORE_SCHEMAS = (1, 2)


def upgraded_sound(data: dict[str, Any]) -> dict[str, Any]:
    """A sound's JSON in the present schema; `data` stays as it is.

    Examples
    --------
    >>> upgraded_sound({"schema": 1, "name": "Old"})
    {'schema': 3, 'name': 'Old'}
    """
    if data.get("schema", SOUND_SCHEMA) != SOUND_SCHEMA:
        return data | {"schema": SOUND_SCHEMA}
    return data


def upgraded_score(data: dict[str, Any]) -> dict[str, Any]:
    """A score's JSON in the present schema; `data` stays as it is."""
    if data.get("schema", SCORE_SCHEMA) != SCORE_SCHEMA:
        return data | {"schema": SCORE_SCHEMA}
    return data
