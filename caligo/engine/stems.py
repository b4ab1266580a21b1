"""Finished stems on disk, in pieces, under the hash of all that they depend on.

A piece holds a layer's samples over `PIECE_TICKS` ticks and what its filters and inserts
remembered at the end, so that rendering can go on from there as if it had never stopped.
"""

from __future__ import annotations

import hashlib
import json
import os
import pickle
import threading
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo import ENGINE_VERSION
from caligo.document.score import Score
from caligo.document.sound import Layer, Sound
from caligo.engine.between import all_modulators
from caligo.engine.layer import LayerRenderer
from caligo.engine.voicing import Voicing
from caligo.material.needed import named
from caligo.material.shelf import current
from caligo.movement.block import TICK, Span

Signal = NDArray[np.float32]

PIECE_TICKS = 8_192
"""Ticks in a piece: 10.9 s at 48 kHz."""


def _material(layer: Layer) -> list[str]:
    """What a layer draws on, by what changes when it sounds different."""
    drawing = (layer.source, *layer.source.items, *layer.filters, *layer.inserts)
    keys = [key for _, _, key in named(drawing)]
    return [current().signature(key) if key else "" for key in keys]


def _played(layer: Layer) -> dict[str, Any]:
    """What of a layer its stem depends on."""
    own = layer.model_dump(mode="json")
    own["material"] = _material(layer)
    for field in ("name", "mute", "solo", "sends"):
        del own[field]
    for key in ("level", "pan"):
        del own["params"][key]
    return own


def stem_key(sound: Sound, layer: Layer, score: Score, rate: int, hold_still: bool) -> str:
    """The hash of everything that a layer's stem depends on, and of nothing else."""
    own = _played(layer)
    others = all_modulators(sound, layer)
    prefixes = tuple(f"{x.id}." for x in (layer, *others))
    later = {f"{layer.id}.level", f"{layer.id}.pan"}
    later |= {f"{layer.id}.{send.id}.level" for send in layer.sends}
    routes = [
        route
        for route in sound.routes
        if route.target.startswith(prefixes) and route.target not in later and not route.muted
    ]
    moving = {r.source for r in routes} | {r.scaled_by for r in routes}
    played = score.model_dump(mode="json", by_alias=True)
    for field in ("name", "markers", "frame_rate"):
        del played[field]
    told = {
        "engine": ENGINE_VERSION,
        "rate": rate,
        "still": hold_still,
        "sound": [sound.seed, sound.params_as_json(), sound.scale and sound.scale.model_dump()],
        "layer": own,
        "modulated by": [_played(other) for other in others],
        "routes": [] if hold_still else [r.model_dump(mode="json") for r in routes],
        "modulators": [
            m.model_dump(mode="json", exclude={"name"}) for m in sound.modulators if m.id in moving
        ],
        "score": played,
    }
    return hashlib.sha256(json.dumps(told, sort_keys=True).encode()).hexdigest()[:32]


class StemStore:
    """A folder of stem pieces, kept below a size by letting the least used go."""

    def __init__(self, folder: Path, limit_bytes: int = 2 << 30) -> None:
        self.folder = folder
        self.limit_bytes = limit_bytes
        self._lock = threading.Lock()
        folder.mkdir(parents=True, exist_ok=True)

    def _path(self, key: str, piece: int) -> Path:
        return self.folder / f"{key}-{piece:06d}.stem"

    def read(self, key: str, piece: int) -> tuple[Signal, dict[str, Any]] | None:
        """A piece's samples and the memory at its end, or None if it is not there whole."""
        path = self._path(key, piece)
        try:
            with path.open("rb") as file:
                samples = np.load(file, allow_pickle=False)
                memory = pickle.load(file)  # written by this class alone, on this machine
            os.utime(path)
        except (OSError, ValueError, EOFError, pickle.UnpicklingError):
            return None
        return samples, memory

    def write(self, key: str, piece: int, samples: Signal, memory: dict[str, Any]) -> None:
        """Keep a piece, whole or not at all; a full disk only costs the saving."""
        path = self._path(key, piece)
        scratch = path.with_suffix(f".{os.getpid()}-{threading.get_ident()}")
        try:
            with scratch.open("wb") as file:
                np.save(file, samples)
                pickle.dump(memory, file)
            scratch.replace(path)
        except OSError:
            scratch.unlink(missing_ok=True)
        self._trim()

    def _trim(self) -> None:
        with self._lock:
            try:
                held = [(p.stat(), p) for p in self.folder.glob("*.stem")]
                total = sum(stat.st_size for stat, _ in held)
                for stat, path in sorted(held, key=lambda h: h[0].st_mtime):
                    if total <= self.limit_bytes:
                        break
                    path.unlink(missing_ok=True)
                    total -= stat.st_size
            except OSError:
                return


class CachedLayer:
    """A layer renderer that reads finished pieces from a store and adds those it finishes."""

    def __init__(self, renderer: LayerRenderer, store: StemStore, key: str) -> None:
        self._renderer = renderer
        self._store = store
        self._key = key
        self._held: tuple[int, Signal, dict[str, Any]] | None = None
        self._at = 0
        self._begun: list[Signal] = []
        self._exact = True
        self._fixed = True

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices; from now on nothing is read from the store or kept."""
        self._fixed = False
        self._renderer.play(voicing)

    def _piece(self, piece: int) -> Signal | None:
        if self._held is None or self._held[0] != piece:
            found = self._store.read(self._key, piece)
            self._held = None if found is None else (piece, *found)
        return None if self._held is None else self._held[1]

    def render(self, span: Span) -> Signal:
        """The layer's stem over `span` ``[2, samples]``."""
        if not self._fixed:
            return self._renderer.render(span)
        out = np.empty((2, span.samples), np.float32)
        at = span.first
        while at < span.first + span.ticks:
            piece, inside = divmod(at, PIECE_TICKS)
            ticks = min(span.first + span.ticks - at, PIECE_TICKS - inside)
            where = slice((at - span.first) * TICK, (at - span.first + ticks) * TICK)
            out[:, where] = self._stretch(Span(at, ticks, span.rate), piece, inside)
            at += ticks
        return out

    def _stretch(self, span: Span, piece: int, inside: int) -> Signal:
        kept = self._piece(piece) if not self._begun else None
        if kept is not None:
            return kept[:, inside * TICK : (inside + span.ticks) * TICK]
        if self._at != span.first:
            self._arrive(span.first)
        signal = self._renderer.render(span)
        self._at = span.first + span.ticks
        if inside == 0 or self._begun:
            self._begun.append(signal)
        if inside + span.ticks == PIECE_TICKS:
            if self._begun and self._exact:
                whole = np.concatenate(self._begun, axis=1)
                self._store.write(self._key, piece, whole, self._renderer.memory())
            self._begun = []
        return signal

    def _arrive(self, tick: int) -> None:
        """Make the renderer remember what it should at `tick`: from a piece, or by pre-roll."""
        self._begun = []
        piece, inside = divmod(tick, PIECE_TICKS)
        before = self._store.read(self._key, piece - 1) if inside == 0 and piece > 0 else None
        if before is not None:
            self._renderer.recall(before[1])
            self._exact = True
        elif tick > 0:
            roll = min(tick, int(self._renderer.fading() * self._renderer.rate / TICK) + 1)
            self._renderer.render(Span(tick - roll, roll, self._renderer.rate))
            self._exact = False

    def settle(self, tick: int) -> LayerRenderer:
        """The renderer itself, ready to go on from `tick` without the store."""
        if self._at == tick and not self._held:
            return self._renderer
        piece = tick // PIECE_TICKS
        before = self._store.read(self._key, piece - 1) if piece > 0 else None
        if before is not None:
            # What pitches have added up to is known there; the filters are run in anew.
            self._renderer.recall(before[1])
            self._renderer.forget()
        roll = min(tick, int(self._renderer.fading() * self._renderer.rate / TICK) + 1)
        if roll:
            self._renderer.render(Span(tick - roll, roll, self._renderer.rate))
        return self._renderer

    def forget(self) -> None:
        """See `LayerRenderer.forget`; what is in the store stays."""
        self._renderer.forget()
        self._at, self._begun, self._exact = 0, [], True

    def fading(self) -> float:
        """See `LayerRenderer.fading`."""
        return self._renderer.fading()

    def memory(self) -> dict[str, Any]:
        """See `LayerRenderer.memory`."""
        return self._renderer.memory()

    def recall(self, memory: dict[str, Any]) -> None:
        """See `LayerRenderer.recall`."""
        self._fixed = False
        self._renderer.recall(memory)
