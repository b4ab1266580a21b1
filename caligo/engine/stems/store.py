"""Finished stems and states of the mixer on disk, in pieces, by what they depend on.

A piece holds a layer's samples over `PIECE_TICKS` ticks, the state of its filters and inserts at
the end, so that rendering can go on from there as if it had never stopped, and the levels behind
its stages. The mixer leaves its state at the same borders, without samples.
"""

from __future__ import annotations

import math
import os
import pickle
import shutil
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from caligo.engine.layers.layer import LayerRenderer
from caligo.engine.layers.metering import Cells, SlotMeter
from caligo.engine.layers.voicing import Voicing
from caligo.processing.processor import State
from caligo.signal.ticks import TICK, Span

Signal = NDArray[np.float32]

PIECE_TICKS = 8_192
"""Ticks in a piece: 10.9 s at 48 kHz."""
RESERVE = 256 << 20
"""Bytes of the disk that stems leave to everything else: they can be rendered again."""
SLICE_TICKS = 512
"""Ticks that a run-in takes at a time, so that it can be stopped and needs little memory."""


@dataclass(slots=True)
class Piece:
    """A stretch of `PIECE_TICKS` ticks: samples ``[2, samples]``, the state at the end, levels."""

    samples: Signal
    state: State
    levels: Cells = field(default_factory=dict)


class StemStore:
    """A folder of pieces, kept below a size by letting the least used go."""

    def __init__(self, directory: Path, limit_bytes: int = 2 << 30) -> None:
        self.directory = directory
        self.limit_bytes = limit_bytes
        self._lock = threading.Lock()
        directory.mkdir(parents=True, exist_ok=True)

    def _path(self, key: str, piece: int) -> Path:
        return self.directory / f"{key}-{piece:06d}.stem"

    def has(self, key: str, piece: int) -> bool:
        """Whether a piece is there."""
        return self._path(key, piece).exists()

    def read(self, key: str, number: int) -> Piece | None:
        """A piece, or None if it is not there whole."""
        path = self._path(key, number)
        try:
            with path.open("rb") as file:
                samples = np.load(file, allow_pickle=False)
                state, levels = pickle.load(file)  # written by this class alone, on this machine
            os.utime(path)
        except Exception:  # damaged bytes unpickle to any error there is
            path.unlink(missing_ok=True)
            return None
        return Piece(samples, state, levels)

    def write(self, key: str, number: int, piece: Piece) -> None:
        """Keep a piece, whole or not at all; a full disk only costs the saving."""
        path = self._path(key, number)
        scratch = path.with_suffix(f".{os.getpid()}-{threading.get_ident()}")
        try:
            if shutil.disk_usage(self.directory).free >= RESERVE:
                with scratch.open("wb") as file:
                    np.save(file, piece.samples)
                    pickle.dump((piece.state, piece.levels), file)
                scratch.replace(path)
        except OSError:
            scratch.unlink(missing_ok=True)
        self._trim()

    def _trim(self) -> None:
        self._evict(self.limit_bytes, RESERVE)

    def free_space(self, wanted: int) -> None:
        """Let go of pieces, the least used first, until so many bytes are free on the disk."""
        self._evict(self.limit_bytes, wanted + RESERVE)

    def _evict(self, most: int, free: int) -> None:
        """Let go of the least used pieces until few enough are held, and enough is free."""
        with self._lock:
            try:
                held = [(p.stat(), p) for p in self.directory.glob("*.stem")]
                total = sum(stat.st_size for stat, _ in held)
                missing = free - shutil.disk_usage(self.directory).free
                for stat, path in sorted(held, key=lambda h: h[0].st_mtime):
                    if total <= most and missing <= 0:
                        break
                    path.unlink(missing_ok=True)
                    total -= stat.st_size
                    missing -= stat.st_size
            except OSError:
                return


def ticks_in(seconds: float, rate: int, most: int) -> int:
    """The ticks that cover so many seconds, which may be infinitely many; at most `most`.

    Examples
    --------
    >>> ticks_in(1.0, 48_000, 10_000), ticks_in(math.inf, 48_000, 10_000)
    (750, 10000)
    """
    wanted = seconds * rate / TICK
    return most if wanted >= most else math.ceil(wanted)


def run_in(
    renderer: LayerRenderer,
    tick: int,
    most: float = math.inf,
    interrupted: Callable[[], bool] = lambda: False,
) -> None:
    """Render a layer up to a tick, for as long as its tail, or for `most` seconds, in slices."""
    roll = ticks_in(min(renderer.tail(), most), renderer.rate, tick)
    for at in range(tick - roll, tick, SLICE_TICKS):
        if interrupted():
            return
        renderer.render(Span(at, min(SLICE_TICKS, tick - at), renderer.rate))


class CachedLayer:
    """A layer renderer that reads finished pieces from a store and adds those it finishes."""

    def __init__(self, renderer: LayerRenderer, store: StemStore, key: str) -> None:
        self._renderer = renderer
        self._store = store
        self._key = key
        self._held: tuple[int, Piece] | None = None
        self._at = 0
        self._begun: list[Signal] = []
        self._exact = True
        self._fixed = True

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices; from now on nothing is read from the store or kept."""
        self._fixed = False
        self._renderer.play(voicing)

    def _piece(self, number: int) -> Signal | None:
        if self._held is None or self._held[0] != number:
            found = self._store.read(self._key, number)
            self._held = None if found is None else (number, found)
            if found is not None and isinstance(self._renderer.meter, SlotMeter):
                self._renderer.meter.take(found.levels)
        return None if self._held is None else self._held[1].samples

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
            return np.ascontiguousarray(kept[:, inside * TICK : (inside + span.ticks) * TICK])
        if self._at != span.first:
            self._arrive(span.first)
        signal = self._renderer.render(span)
        self._at = span.first + span.ticks
        if inside == 0 or self._begun:
            self._begun.append(signal)
        if inside + span.ticks == PIECE_TICKS:
            if self._begun and self._exact:
                self._keep(piece)
            self._begun = []
        return signal

    def _keep(self, number: int) -> None:
        whole = np.concatenate(self._begun, axis=1)
        meter, own = self._renderer.meter, f"{self._renderer.layer.id}."
        levels = meter.since(number * PIECE_TICKS, own) if isinstance(meter, SlotMeter) else {}
        self._store.write(self._key, number, Piece(whole, self._renderer.save_state(), levels))

    def _arrive(self, tick: int) -> None:
        """Bring the renderer to the state that it has at `tick`: from a piece, or by a run-in."""
        self._begun = []
        piece, inside = divmod(tick, PIECE_TICKS)
        before = self._store.read(self._key, piece - 1) if inside == 0 and piece > 0 else None
        if before is not None:
            self._renderer.restore_state(before.state)
            self._exact = True
        elif tick > 0:
            run_in(self._renderer, tick)
            self._exact = False

    def kept(self, number: int) -> bool:
        """Whether a piece lies in the store."""
        return self._store.has(self._key, number)

    def settle(self, tick: int, most: float) -> LayerRenderer:
        """The renderer itself, ready to go on from `tick` without the store."""
        if self._at == tick and not self._held:
            return self._renderer
        piece = tick // PIECE_TICKS
        before = self._store.read(self._key, piece - 1) if piece > 0 else None
        if before is not None:
            # What pitches have added up to is known there; the filters are run in anew.
            self._renderer.restore_state(before.state)
            self._renderer.reset()
        run_in(self._renderer, tick, most)
        return self._renderer

    def reset(self) -> None:
        """See `LayerRenderer.reset`; what is in the store stays."""
        self._renderer.reset()
        self._at, self._begun, self._exact = 0, [], True

    def tail(self) -> float:
        """See `LayerRenderer.tail`."""
        return self._renderer.tail()

    def latency(self) -> int:
        """See `LayerRenderer.latency`."""
        return self._renderer.latency()

    def save_state(self) -> State:
        """See `LayerRenderer.save_state`."""
        return self._renderer.save_state()

    def restore_state(self, state: State) -> None:
        """See `LayerRenderer.restore_state`."""
        self._fixed = False
        self._renderer.restore_state(state)
