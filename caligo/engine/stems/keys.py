"""The hash of all that a layer's stem depends on, and of nothing else.

What moves a parameter is followed all the way: a modulator that moves a modulator that moves a
cutoff counts. Only the notes that the layer plays count, the lanes that its modulators read, the
tempo where something lasts beats, and the length where something lasts a fraction of the whole.
"""

from __future__ import annotations

import hashlib
import itertools
import json
from collections.abc import Collection, Sequence
from typing import Any

import numpy as np

from caligo import ENGINE_VERSION
from caligo.catalogue import implementation
from caligo.document.addresses import effect_parts
from caligo.document.score import Score
from caligo.document.sound import ANNOTATIONS, AutomationLane, Layer, Modulator, Part, Route, Sound
from caligo.document.tempo import TempoMap
from caligo.document.times import Time
from caligo.engine.layers.cross_modulation import all_modulators
from caligo.engine.layers.layer import own_inserts
from caligo.engine.layers.voicing import Voicing
from caligo.material.needed import named
from caligo.material.store import current
from caligo.movement.hold_still import HoldStill, as_text
from caligo.movement.voices import zone_gains

OF_ALL_LAYERS = ("sound.pace", "sound.glide")
"""Addresses of the sound's own that all layers' stems depend on."""


def _hash(content: Any) -> str:
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()[:32]


def _drawing(layer: Layer) -> Sequence[Part]:
    """The parts of a layer that may draw on material, or last beats; also those inside others."""
    inserts = (part for _, _, part in effect_parts(own_inserts(layer), "", ""))
    sources = (part for source in layer.sources for part in (source, *source.items))
    return (*sources, *layer.filters, *inserts)


def _material(layer: Layer) -> list[str]:
    """What a layer draws on, by what changes when it sounds different."""
    keys = [key for _, _, key in named(_drawing(layer))]
    return [current().signature(key) if key else "" for key in keys]


def _own(layer: Layer) -> dict[str, Any]:
    """What of the layer itself its stem depends on."""
    own = layer.model_dump(mode="json")
    own["material"] = _material(layer)
    own["inserts"] = own["inserts"][: len(own_inserts(layer))]
    for field in ("name", "mute", "solo", "sends"):
        del own[field]
    for key in ("level", "pan"):
        del own["params"][key]
    return own


def mixed_addresses(layer: Layer) -> set[str]:
    """The addresses of a layer that count only behind its stem."""
    later = {f"{layer.id}.level", f"{layer.id}.pan"}
    later |= {f"{layer.id}.{send.id}.level" for send in layer.sends}
    return later


def _behind(layer: Layer) -> tuple[str, ...]:
    """Prefixes of inserts that the mixer takes care of, since they listen to something else."""
    kept = len(own_inserts(layer))
    return tuple(f"{layer.id}.{part.id}." for part in layer.inserts[kept:])


def routes_that_count(sound: Sound, layers: Sequence[Layer]) -> list[Route]:
    """The routes that the stems of layers depend on, through any number of modulators."""
    prefixes = tuple(f"{layer.id}." for layer in layers)
    later = set().union(*(mixed_addresses(layer) for layer in layers))
    behind = tuple(prefix for layer in layers for prefix in _behind(layer))
    live = [route for route in sound.routes if not route.muted]
    found = [
        route
        for route in live
        if (route.target.startswith(prefixes) or route.target in OF_ALL_LAYERS)
        and route.target not in later
        and not route.target.startswith(behind or ("\0",))
    ]
    reached: set[str] = set()
    waiting = {name for route in found for name in route.modulators}
    while waiting:
        name = waiting.pop()
        reached.add(name)
        for route in live:
            if route.target.startswith(f"{name}."):
                found.append(route)
                waiting |= route.modulators - reached
    return found


def lanes_that_count(
    sound: Sound, layers: Sequence[Layer], modulators: Collection[str]
) -> list[AutomationLane]:
    """The lanes that the stems of layers depend on: their own, their modulators', the pace's."""
    prefixes = tuple(f"{name}." for name in (*(layer.id for layer in layers), *modulators))
    later = set().union(*(mixed_addresses(layer) for layer in layers))
    behind = tuple(prefix for layer in layers for prefix in _behind(layer))
    return [
        lane
        for lane in sound.lanes
        if not lane.muted
        and (lane.target.startswith(prefixes) or lane.target in OF_ALL_LAYERS)
        and lane.target not in later
        and not lane.target.startswith(behind or ("\0",))
    ]


def _times(parts: Sequence[Part]) -> set[str]:
    """The units of all times of parts."""
    return {v.unit for part in parts for v in part.params.values() if isinstance(v, Time)}


class StemKeys:
    """The keys of a sound's stems over a score.

    Parameters
    ----------
    voicing
        The voices that play the score's notes.
    """

    def __init__(
        self, sound: Sound, score: Score, voicing: Voicing, rate: int, hold_still: HoldStill
    ) -> None:
        self._sound = sound
        self._score = score
        self._voicing = voicing
        self._rate = rate
        self._hold_still = hold_still

    def of(self, layer: Layer) -> str:
        """The key of a layer's stem."""
        sound = self._sound
        layers = [layer, *all_modulators(sound, layer)]
        moves = self._hold_still is not True
        routes = routes_that_count(sound, layers) if moves else []
        names = {name for route in routes for name in route.modulators}
        lanes = lanes_that_count(sound, layers, names) if moves else []
        movers = [m for m in sound.modulators if m.id in names]
        return _hash(
            {
                "engine": ENGINE_VERSION,
                "rate": self._rate,
                "still": as_text(self._hold_still),
                "seed": sound.seed,
                "sound": sound.params_as_json(),
                "scale": sound.scale and sound.scale.model_dump(),
                "layers": [_own(one) for one in layers],
                "followed": [_own(one) for one in self._followed(movers)],
                "recordings": [current().signature(key) for _, _, key in named(movers) if key],
                "routes": [route.model_dump(mode="json") for route in routes],
                "modulators": [m.model_dump(mode="json", exclude=set(ANNOTATIONS)) for m in movers],
                "drawn": [lane.model_dump(mode="json", exclude={"id"}) for lane in lanes],
                "score": self._played(layers, movers, {lane.unit for lane in lanes}),
            }
        )

    def _followed(self, movers: Sequence[Modulator]) -> list[Layer]:
        """The layers whose levels modulators follow."""
        names: set[str] = set()
        for mover in movers:
            names |= implementation("modulator", mover.kind).layers(mover)
        return [layer for layer in self._sound.layers if layer.id in names]

    def _played(
        self, layers: Sequence[Layer], movers: Sequence[Modulator], lane_units: set[str]
    ) -> dict[str, Any]:
        """What of the score counts; `lane_units` are those of the lanes that do."""
        score, kinds = self._score, [implementation("modulator", m.kind) for m in movers]
        own = [part for one in layers for part in (one, one.envelope, *_drawing(one))]
        own += [layer.envelope for layer in self._followed(movers)]
        units = lane_units | _times([self._sound, *own, *movers])
        lanes = set().union(*(kind.lanes(m) for kind, m in zip(kinds, movers, strict=True)))
        all_notes = any(kind.always_per_note or m.scope == "note" or kind.layers(m)
                        for kind, m in zip(kinds, movers, strict=True))  # fmt: skip
        all_notes |= any(
            implementation("effect", part.kind).follows_notes(part)
            for layer in layers
            for _, _, part in effect_parts(own_inserts(layer), "", "")
        )
        whole = "hold" in units or any(kind.uses_length for kind in kinds)
        voices = self._voicing.of(layers[0]).voices
        if all_notes and self._voicing.of(layers[0]) is not self._voicing:
            # What follows all notes also goes by those that the layer's own line leaves out.
            voices = voices + self._voicing.voices
        # What is shared follows the newest note, also one that these layers do not play.
        heard = np.full(len(voices), all_notes)
        for one in layers:
            heard |= zone_gains(one, voices) > 0.0
        counted = [
            (v.name, v.key, v.start, v.length, v.velocity, v.seed, v.line, v.glide, v.cut)
            for v in itertools.compress(voices, heard)
        ]
        return {
            "voices": counted,
            "tempo": [t.model_dump() for t in score.tempo] if "beats" in units else [],
            "length": score.length if whole else 0.0,
            "lanes": [x.model_dump(exclude={"id"}) for x in score.lanes if x.controller in lanes],
        }

    def of_mix(self) -> str:
        """The key of what the mixer holds: it depends on everything that is heard."""
        unheard: dict[str, Any] = dict.fromkeys(ANNOTATIONS, True)
        unheard["modulators"] = {"__all__": set(ANNOTATIONS)}
        sound = self._sound.model_dump(mode="json", exclude=unheard)
        score = self._score.model_dump(mode="json", exclude={"name", "markers", "frame_rate"})
        effects = [
            part
            for effects in (
                *(layer.inserts for layer in self._sound.layers),
                *(bus.effects for bus in self._sound.buses),
                self._sound.master.effects,
            )
            for _, _, part in effect_parts(effects, "", "")
        ]
        keys = [key for _, _, key in named([*effects, *self._sound.modulators])]
        return _hash(
            {
                "stems": [self.of(layer) for layer in self._sound.layers],
                "sound": sound,
                "score": score,
                "material": [current().signature(key) if key else "" for key in keys],
            }
        )


def stem_key(sound: Sound, layer: Layer, score: Score, rate: int, hold_still: HoldStill) -> str:
    """The key of one layer's stem over a score's own notes."""
    voicing = Voicing(sound, score.notes, TempoMap(score))
    return StemKeys(sound, score, voicing, rate, hold_still).of(layer)
