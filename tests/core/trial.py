"""An effect, a filter and a container that exist only in tests, and how to put modules to trial."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from caligo.catalogue import (
    InnerChain,
    Kind,
    Module,
    Moves,
    Parameter,
    Scale,
    catalogue,
    register,
    registry,
)
from caligo.document.sound import EffectPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing.chain import build_chain
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State


def processors() -> list[tuple[str, str]]:
    """Family and kind of every filter and effect."""
    return [(m.family, m.kind) for m in catalogue() if m.family in ("filter", "effect")]


class Late(Effect):
    """Delays by a whole number of samples, and says so."""

    def initial_state(self) -> State:
        return {"held": np.zeros((2, int(self.part.number("samples"))), np.float32)}

    def process_stereo(self, block: Block, signal: Signal, side: Signal | None) -> None:
        whole = np.concatenate([self.state["held"], signal], axis=1)
        signal[:] = whole[:, : signal.shape[1]]
        self.state["held"] = whole[:, signal.shape[1] :].copy()

    def tail(self) -> float:
        return self.state["held"].shape[1] / self.rate

    def latency(self) -> int:
        return int(self.part.number("samples"))


class Frozen(Effect):
    """Adds up everything that it ever heard, and never fades."""

    def initial_state(self) -> State:
        return {"sum": np.zeros((2, 1), np.float64)}

    def process_stereo(self, block: Block, signal: Signal, side: Signal | None) -> None:
        total = self.state["sum"] + np.cumsum(signal, axis=1, dtype=np.float64)
        self.state["sum"] = total[:, -1:].copy()
        signal[:] = 1e-5 * total

    def tail(self) -> float:
        return float("inf")


class Keyed(Effect):
    """Is silent while another signal sounds."""

    has_sidechain = True

    def process_stereo(self, block: Block, signal: Signal, side: Signal | None) -> None:
        if side is not None:
            signal[:, np.abs(side).max(axis=0) > 1e-4] = 0.0

    def tail(self) -> float:
        return 0.0


class Both(Effect):
    """Two chains side by side, added up."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        self.chains = [
            build_chain(chain.effects, f"{address}.{chain.id}", movement, rate)
            for chain in part.chains
        ]

    def process_stereo(self, block: Block, signal: Signal, side: Signal | None) -> None:
        heard = [signal.copy() for _ in self.chains]
        for chain, one in zip(self.chains, heard, strict=True):
            chain.process(block, one[None])
        signal[:] = sum(heard)

    def reset(self) -> None:
        for chain in self.chains:
            chain.reset()

    def save_state(self) -> State:
        return {str(i): chain.save_state() for i, chain in enumerate(self.chains)}

    def restore_state(self, state: State) -> None:
        for i, chain in enumerate(self.chains):
            chain.restore_state(state[str(i)])

    def tail(self) -> float:
        return max(chain.tail() for chain in self.chains)


def _number(key: str, high: float, default: float) -> Parameter:
    return Parameter(key, key.title(), "A test.", high=high, default=default, moves=Moves.SHARED)


TRIALS = {
    Late: Module("effect", "late", "Late", "A test.",
                 (Parameter("samples", "Samples", "A test.", low=1, high=9000, default=100,
                            kind=Kind.INTEGER, scale=Scale.LOGARITHMIC),)),
    Frozen: Module("effect", "frozen", "Frozen", "A test.", (_number("depth", 1.0, 1.0),)),
    Keyed: Module("effect", "keyed", "Keyed", "A test.",
                  (Parameter("side", "Side", "A test.", default="", kind=Kind.REFERENCE,
                             of="signal"),)),
    Both: Module("effect", "both", "Both", "A test.", (),
                 chains=(InnerChain("one", "One"), InnerChain("two", "Two"))),
}  # fmt: skip


@contextmanager
def with_trial_modules() -> Iterator[None]:
    """The modules of this file are in the catalogue for a while."""
    catalogue()
    kept = dict(registry._modules), dict(registry._implementations)
    for implementation, spec in TRIALS.items():
        register(spec)(implementation)
    try:
        yield
    finally:
        registry._modules, registry._implementations = kept


def effect(id: str, kind: str, **params: Any) -> dict[str, Any]:
    """A part of a document."""
    return {"id": id, "kind": kind, "params": params}
