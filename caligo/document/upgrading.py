"""Old documents brought to the present schema: what they meant they still mean.

Schema 2 (sounds) lets buses send to buses, gives every send the place where it takes its signal
(``from``: behind the fader, as before, or ahead of it), and lets effects hold chains. Schema 3 adds
lanes, earlier seeds and locks of modulators, and more of their parameters, whose defaults are what
was before. Schema 4 lets the oscillators of a unison lie unevenly, and operators in unison begin
apart, which new sounds do; in older ones they are even and begin together. Nothing in an older
document means something else in a newer schema.
"""

from __future__ import annotations

from typing import Any

SOUND_SCHEMA = 4
"""The schema of sounds that is written."""
KNOWN_SOUND_SCHEMAS = (1, 2, 3, 4)
IN_UNISON = ("wavetable", "harmonic", "operators", "grains", "spectral", "sampler")
"""The sources that had a unison before schema 4."""
SCORE_SCHEMA = 2
"""The schema of scores that is written; the second adds lanes of pressure and pitch bend."""
KNOWN_SCORE_SCHEMAS = (1, 2)


def upgraded_sound(data: dict[str, Any]) -> dict[str, Any]:
    """A sound's JSON in the present schema; `data` stays as it is.

    Examples
    --------
    >>> upgraded_sound({"schema": 1, "name": "Old"})
    {'schema': 4, 'name': 'Old'}
    """
    if data.get("schema", SOUND_SCHEMA) == SOUND_SCHEMA:
        return data
    upgraded = data | {"schema": SOUND_SCHEMA}
    if isinstance(data.get("layers"), list):
        upgraded["layers"] = [_even(layer) for layer in data["layers"]]
    return upgraded


def _even(layer: Any) -> Any:
    """A layer of an older schema, with a unison as it was; what is broken stays broken."""
    source = layer.get("source") if isinstance(layer, dict) else None
    if not isinstance(source, dict) or source.get("kind") not in IN_UNISON:
        return layer
    params = source.get("params", {})
    if not isinstance(params, dict):
        return layer
    before: dict[str, Any] = {"irregularity": 0}
    if source["kind"] == "operators":
        before["scatter"] = 0
    return layer | {"source": source | {"params": before | params}}


def upgraded_score(data: dict[str, Any]) -> dict[str, Any]:
    """A score's JSON in the present schema; `data` stays as it is."""
    if data.get("schema", SCORE_SCHEMA) != SCORE_SCHEMA:
        return data | {"schema": SCORE_SCHEMA}
    return data
