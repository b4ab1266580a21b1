"""Old documents brought to the present schema: what they meant they still mean.

Schema 2 (sounds) lets buses send to buses, gives every send the place where it takes its signal
(``from``: behind the fader, as before, or ahead of it), and lets effects hold chains. Schema 3 adds
lanes, earlier seeds and locks of modulators, and more of their parameters, whose defaults are what
was before. Schema 4 lets the oscillators of a unison lie unevenly, and operators in unison begin
apart, which new sounds do; in older ones they are even and begin together. In schema 5 a reverb is
as loud as what goes in, whatever its decay and size; in older ones it is given the level that it
had at rest. Schema 6 lets the oscillators of a unison drift, each by itself, which new sounds do;
in older ones they stay where they are. In schema 7 recordings come to one level by how loud they
are as a whole; in older ones by their loudest moments, their choruses are mixed in a straight line
instead of at equal power, and their reverbs are darker above 10 kHz than they say. In schema 8 the
stiffness of a harmonic source begins at none and moves in millionths; what moved it by octaves now
moves what it is multiplied by. Schema 9 gives layers more sources, and sources a place among them,
whose defaults are what was before; effects that go round go with the sound's pace, in older
documents at their own. In schema 10 a delay shifts either side by cents, where it had four
intervals, and what crosses over at its start is as loud as both sides were; in older documents it
is their plain sum. Resonators ring as long as their decay says, which high ones of older documents
did not. In schema 11 drive relates to the level that comes in, and bends behind a filter; in older
documents to a wave at -12 dB, and ahead of it. In schema 12 lanes may lie on beats, and early
reflections are as loud as pink noise tells; in older documents they have the energy of one. In
schema 13 a convolution is levelled by its whole answer, in older documents by all but the last
moments of it. Nothing in an older document means something else in a newer schema.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

SOUND_SCHEMA = 13
"""The schema of sounds that is written."""
KNOWN_SOUND_SCHEMAS = (1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13)
BENT = ("saturation", "folder", "ladder", "ladder_filter")
"""What bends waves even where its document does not ask for drive."""
UNPACED = ("chorus", "ensemble", "resonators", "auto_pan", "phaser", "flanger", "tremolo")
"""The effects that kept their own speed before schema 9."""
FORMER_LAWS: dict[str, tuple[str, tuple[int, ...]]] = {
    "reflections": ("energy", (12,)),
    "convolution": ("early", ()),
}
"""The law of an effect's level in older documents, and the schemas before the present one that have
the present law."""
INTERVALS = {"octave": 1_200.0, "fifth": 700.0, "octave_down": -1_200.0}
"""Cents of the intervals that a delay's loop had before schema 10."""
IN_UNISON = ("wavetable", "harmonic", "operators", "grains", "spectral", "sampler")
"""The sources that had a unison before schema 4."""
OF_RECORDINGS = ("grains", "spectral", "sampler")
"""The sources that play recordings."""
REVERB_AT_REST = {"decay": 6.0, "size": 120.0, "freeze": 0.0}
"""What a reverb had where its document did not say."""
REVERB_LINES = (
    0.03167, 0.03353, 0.03759, 0.04327, 0.04589, 0.05142, 0.05823, 0.06506,
    0.07132, 0.07749, 0.08704, 0.09936, 0.11168, 0.11912, 0.13033, 0.14981,
)  # fmt: skip
"""Seconds of its lines at a size of 100 %."""
LEAST_DARK, DARKENED, BRIGHTEST = 10_000.0, 1_600.0, 20_000.0
"""Damping in Hz from which on a reverb was darker than it says, by how much at most, and the
highest there is."""
LEAST_STIFF = 0.1
"""The stiffness, in millionths, that stood for none before schema 8."""
SCORE_SCHEMA = 2
"""The schema of scores that is written; the second adds lanes of pressure and pitch bend."""
KNOWN_SCORE_SCHEMAS = (1, 2)


def upgraded_sound(data: dict[str, Any]) -> dict[str, Any]:
    """A sound's JSON in the present schema; `data` stays as it is.

    Examples
    --------
    >>> upgraded_sound({"schema": 1, "name": "Old"})
    {'schema': 13, 'name': 'Old'}
    """
    schema = data.get("schema", SOUND_SCHEMA)
    if schema == SOUND_SCHEMA:
        return data
    upgraded = data | {"schema": SOUND_SCHEMA}
    older = schema not in (7, 8, 9, 10, 11, 12)
    if schema not in (8, 9, 10, 11, 12) and isinstance(data.get("layers"), list):
        layers = data["layers"]
        if schema not in (6, 7):
            layers = [_in_unison_as_before(layer, schema) for layer in layers]
        if schema != 7:
            layers = [_levelled_as_before(layer) for layer in layers]
        upgraded |= _as_stiff(upgraded | {"layers": layers})
    moved = _targets(data)
    for key in ("layers", "buses"):
        if isinstance(upgraded.get(key), list):
            upgraded[key] = [_effects_as_before(owner, schema, moved) for owner in upgraded[key]]
    if "master" in upgraded:
        upgraded["master"] = _effects_as_before(upgraded["master"], schema, moved)
    if older and isinstance(upgraded.get("lanes"), list):
        upgraded["lanes"] = _dark_lanes(upgraded)
    return upgraded


def _targets(data: dict[str, Any]) -> tuple[str, ...]:
    """What the routes and lanes of a sound move."""
    moved = [item for key in ("routes", "lanes") for item in _listed(data.get(key))]
    return tuple(str(item.get("to")) for item in moved if isinstance(item, dict))


def _listed(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _effects_as_before(owner: Any, schema: Any, moved: tuple[str, ...]) -> Any:
    """What holds filters and effects that sound as they did; what is broken stays broken.

    `moved` is what routes and lanes move.
    """
    if not isinstance(owner, dict):
        return owner
    found = dict(owner)
    for key in ("filters", "effects", "inserts"):
        if isinstance(owner.get(key), list):
            found[key] = [_effect_as_before(effect, schema, moved) for effect in owner[key]]
    return found


def _driven_as_before(part: dict[str, Any], params: Any, moved: tuple[str, ...]) -> bool:
    """Whether a filter or effect bends waves, which it did from -12 dB on before schema 11."""
    kind, end = str(part.get("kind")), f".{part.get('id')}.drive"
    return kind in BENT or bool(params.get("drive")) or any(to.endswith(end) for to in moved)


def _effect_as_before(effect: Any, schema: Any, moved: tuple[str, ...]) -> Any:
    if not isinstance(effect, dict):
        return effect
    found = dict(effect)
    if isinstance(effect.get("chains"), list):
        found["chains"] = [_effects_as_before(chain, schema, moved) for chain in effect["chains"]]
    params = effect.get("params", {})
    if not isinstance(params, dict):
        return found
    law, later = FORMER_LAWS.get(str(effect.get("kind")), ("", ()))
    if law and schema not in later:
        found["params"] = params = {"law": law} | params
    if schema in (11, 12):
        return found
    if _driven_as_before(effect, params, moved):
        found["params"] = params = {"driven": "fixed"} | params
    if schema == 10:
        return found
    if effect.get("kind") == "delay":
        found["params"] = params = _shifted_by_cents(params)
    if effect.get("kind") == "resonators":
        found["params"] = params = {"slope": "6"} | params
    if schema == 9:
        return found
    if effect.get("kind") in UNPACED:
        found["params"] = params = {"paced": False} | params
    if schema in (7, 8):
        return found
    if effect.get("kind") == "chorus":
        found["params"] = {"law": "linear"} | params
    if effect.get("kind") == "reverb":
        level = _level_before(params) if schema in (1, 2, 3, 4) else None
        found["params"] = ({} if level is None else {"level": level}) | _as_dark(params)
    return found


def _shifted_by_cents(params: dict[str, Any]) -> dict[str, Any]:
    """A delay's parameters, whose pitch was one of four intervals before schema 10."""
    found = {"law": "linear"} | params
    cents = INTERVALS.get(str(found.pop("pitch", "none")), 0.0)
    return found | ({"pitch_left": cents, "pitch_right": cents} if cents else {})


def _as_dark(params: dict[str, Any]) -> dict[str, Any]:
    """A reverb's parameters, whose highest octaves died away sooner before schema 7."""
    if "damping" not in params:
        return params
    return params | {"damping": _damping_before(params["damping"])}


def _damping_before(damping: Any) -> Any:
    """A reverb's damping in Hz that sounds as this did before schema 7.

    Its lines were read by short interpolators, which took from 10 kHz on what damping left. Noise
    through both is alike within 1 dB in each octave at 44.1 and 48 kHz, and within 2 dB at 96.
    """
    if not isinstance(damping, int | float) or not LEAST_DARK < damping <= BRIGHTEST:
        return damping
    above = DARKENED * (1.0 - math.exp((LEAST_DARK - damping) / (2.8 * DARKENED)))
    return round(LEAST_DARK + above, 1)


def _dark_lanes(sound: dict[str, Any]) -> list[Any]:
    """The lanes of a sound, whose dampings of reverbs are as dark as before schema 7."""
    held = (sound.get(key) for key in ("layers", "buses"))
    owners = [owner for found in held if isinstance(found, list) for owner in found]
    owners.append(sound.get("master"))
    dampings = {f"{address}.damping" for owner in owners for address in _reverbs(owner, "")}

    def dark(point: Any) -> Any:
        if not isinstance(point, dict) or "value" not in point:
            return point
        return point | {"value": _damping_before(point["value"])}

    return [
        lane | {"points": [dark(point) for point in lane["points"]]}
        if isinstance(lane, dict)
        and str(lane.get("to")) in dampings
        and isinstance(lane.get("points"), list)
        else lane
        for lane in sound["lanes"]
    ]


def _reverbs(owner: Any, inside: str) -> Iterator[str]:
    """The addresses of reverbs in what holds effects, and in the chains of these."""
    if not isinstance(owner, dict):
        return
    address = f"{inside}{owner.get('id')}"
    for key in ("effects", "inserts"):
        effects = owner.get(key)
        for effect in effects if isinstance(effects, list) else ():
            if not isinstance(effect, dict):
                continue
            here = f"{address}.{effect.get('id')}"
            if effect.get("kind") == "reverb":
                yield here
            chains = effect.get("chains")
            for chain in chains if isinstance(chains, list) else ():
                yield from _reverbs(chain, f"{here}.")


def _level_before(params: dict[str, Any]) -> float | None:
    """The level in dB that a reverb had before schema 5 against now; None if it is broken."""
    numbers = [params.get(key, rest) for key, rest in REVERB_AT_REST.items()]
    if not all(isinstance(x, int | float) and math.isfinite(x) for x in numbers):
        return None
    decay, size, freeze = numbers
    if not (decay > 0.0 and size > 0.0 and 0.0 <= freeze <= 100.0):
        return None
    thawed = 1.0 - freeze / 100.0 if freeze < 100.0 else 1.0
    kept = [10.0 ** (-0.06 * line * size / decay * thawed) for line in REVERB_LINES]
    mean = sum(kept) / len(kept)
    now = 1.4 * math.sqrt((1.0 - mean) / (8.0 * max(mean, 0.1)))
    level = 20.0 * math.log10(0.35 * thawed / max(now, 1e-6))
    return round(min(24.0, max(-36.0, level)), 2)


def _in_unison_as_before(layer: Any, schema: Any) -> Any:
    """A layer of an older schema, with a unison as it was; what is broken stays broken."""
    source = layer.get("source") if isinstance(layer, dict) else None
    if not isinstance(source, dict) or source.get("kind") not in IN_UNISON:
        return layer
    params = source.get("params", {})
    if not isinstance(params, dict):
        return layer
    before: dict[str, Any] = {"drift": 0}
    if schema in (1, 2, 3):
        before["irregularity"] = 0
        if source["kind"] == "operators":
            before["scatter"] = 0
    return layer | {"source": source | {"params": before | params}}


def _levelled_as_before(layer: Any) -> Any:
    """A layer of a schema before 7, whose recordings are as loud as they were."""
    source = layer.get("source") if isinstance(layer, dict) else None
    if not isinstance(source, dict) or source.get("kind") not in OF_RECORDINGS:
        return layer
    params = source.get("params", {})
    if not isinstance(params, dict):
        return layer
    return layer | {"source": source | {"params": {"evened": "moments"} | params}}


def _as_stiff(sound: dict[str, Any]) -> dict[str, Any]:
    """The layers, routes and lanes of a schema before 8, whose stiffness moved by octaves."""
    found: dict[str, Any] = {"layers": list(sound["layers"])}
    found |= {
        key: list(sound[key]) for key in ("routes", "lanes") if isinstance(sound.get(key), list)
    }
    movers = [mover for key in ("routes", "lanes") for mover in found.get(key, ())]
    for i, layer in enumerate(found["layers"]):
        source = layer.get("source") if isinstance(layer, dict) else None
        if not isinstance(source, dict) or source.get("kind") != "harmonic":
            continue
        params = source.get("params", {})
        if not isinstance(params, dict):
            continue
        address = f"{layer.get('id')}.source.stiffness"
        rest = params.get("stiffness", LEAST_STIFF)
        moved = any(isinstance(mover, dict) and mover.get("to") == address for mover in movers)
        if not isinstance(rest, int | float) or not (moved or rest <= LEAST_STIFF):
            continue
        params = params | {"stiffness": rest if moved else 0.0}
        found["layers"][i] = layer | {"source": source | {"params": params}}
        for key in ("routes", "lanes"):
            if key in found:
                found[key] = [_by_octaves(mover, address, rest) for mover in found[key]]
    return found


def _by_octaves(mover: Any, address: str, rest: float) -> Any:
    """A route or lane of a stiffness at `rest`, which now moves what that is multiplied by."""
    if not isinstance(mover, dict) or mover.get("to") != address or rest <= 0.0:
        return mover
    points = mover.get("points")
    moved = mover | {"to": f"{address}_by"}
    if isinstance(points, list):
        moved["points"] = [_point_by_octaves(point, rest) for point in points]
    return moved


def _point_by_octaves(point: Any, rest: float) -> Any:
    value = point.get("value") if isinstance(point, dict) else None
    if not isinstance(value, int | float) or not value > 0.0:
        return point
    return point | {"value": math.log2(value / rest)}


def upgraded_score(data: dict[str, Any]) -> dict[str, Any]:
    """A score's JSON in the present schema; `data` stays as it is."""
    if data.get("schema", SCORE_SCHEMA) != SCORE_SCHEMA:
        return data | {"schema": SCORE_SCHEMA}
    return data
