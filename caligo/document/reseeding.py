"""Other seeds for a sound's modulators, and other values for its step patterns."""

from __future__ import annotations

from collections.abc import Collection
from random import Random
from typing import Any

from caligo.document.limits import MOST_ROLLS
from caligo.document.reading import read_sound
from caligo.document.sound import Sound

HIGHEST_SEED = 999_999
FARTHEST_STEP = 100
"""Per cent that a step is from the middle at most."""


def with_roll(
    rolls: list[dict[str, Any]], seed: int, most: int = MOST_ROLLS
) -> list[dict[str, Any]]:
    """The rolls with a seed among them, and `most` at most: named ones stay longest.

    The page does the same (`web/src/document/seeds.ts`, `tests/vectors.py`).
    """
    if any(roll["seed"] == seed for roll in rolls):
        return rolls
    found = [*rolls, {"seed": seed, "name": ""}]
    while len(found) > most:
        found.pop(next((i for i, roll in enumerate(found) if not roll["name"]), 0))
    return found


def reseeded(
    sound: Sound, seed: int, *, modulators: Collection[str] = (), patterns: bool = False
) -> Sound:
    """The sound with other seeds, and those before among each modulator's rolls.

    Parameters
    ----------
    seed
        Whose draws they are: the same seed gives the same sound.
    modulators
        Ids of those that get another seed; all but the locked ones where there is none.
    patterns
        Whether step patterns get other values too, evenly drawn, as *Roll values* does on the page.

    Raises
    ------
    KeyError
        If a modulator is not there.

    Examples
    --------
    >>> layer = {"id": "a", "name": "A", "source": {"kind": "noise"}}
    >>> drift = {"id": "m", "name": "Drift", "kind": "random", "seed": 4}
    >>> made = reseeded(read_sound({"name": "N", "layers": [layer], "modulators": [drift]}), 7)
    >>> made.modulators[0].seed != 4, [roll.seed for roll in made.modulators[0].rolls][0]
    (True, 4)
    """
    document = sound.as_document()
    known = [modulator["id"] for modulator in document["modulators"]]
    for name in modulators:
        if name not in known:
            raise KeyError(name)
    draws = Random(seed)
    for modulator in document["modulators"]:
        # All draw, so that a seed means the same whatever is chosen or locked.
        drawn = draws.randint(0, HIGHEST_SEED)
        steps = modulator["params"].get("values", []) if modulator["kind"] == "steps" else []
        values = [draws.randint(-FARTHEST_STEP, FARTHEST_STEP) for _ in steps]
        if modulator["id"] not in modulators if modulators else modulator["locked"]:
            continue
        kept = with_roll(modulator["rolls"], modulator["seed"])
        modulator["rolls"] = with_roll(kept, drawn)
        modulator["seed"] = drawn
        if patterns and values:
            modulator["params"]["values"] = values
    return read_sound(document)
