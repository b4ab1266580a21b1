"""Multiband: two or three bands, each with effects of its own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from caligo.catalogue import InnerChain, Module, register
from caligo.document.sound import EffectPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing import shared
from caligo.processing.chain import Chain, build_chain
from caligo.processing.effect import Effect
from caligo.processing.processor import Signal, State
from caligo.processing.split import SETTLED, THREE, bands, split_parameters, split_state
from caligo.signal.decibels import gain
from caligo.signal.fixed_delay import FixedDelay
from caligo.signal.gains import scale_stereo

NAMES = (("low", "Lows"), ("middle", "Middle"), ("high", "Highs"))
CROSSOVERS = "crossovers"


@register(
    Module(
        family="effect",
        kind="multiband",
        name="Multiband",
        help="Two or three bands with effects of their own, added up again.",
        category="Tone",
        chains=tuple(
            InnerChain(key, name, THREE if key == "middle" else None) for key, name in NAMES
        ),
        parameters=(
            *split_parameters(),
            *(
                replace(
                    shared.level(f"{key}_level", f"{name} level", "Level of the band behind its "
                                 "effects.", 0.0, low=-80.0, high=12.0, group="Level"),
                    when=THREE if key == "middle" else None,
                )
                for key, name in NAMES
            ),
        ),
    )
)  # fmt: skip
class Multiband(Effect):
    """Chains side by side, each with a band; what is late in one is waited for in the others."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        two = part.text("bands") == "two"
        self._chains = {
            chain.id: build_chain(chain.effects, f"{address}.{chain.id}", movement, rate)
            for chain in part.chains
            if not (two and chain.id == "middle")
        }
        late = {key: chain.latency() for key, chain in self._chains.items()}
        self._latency = max(late.values(), default=0)
        self._waiting = {key: FixedDelay(self._latency - late.get(key, 0)) for key, _ in NAMES}

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        return split_state()

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        parts = bands(self, block.moments, signal)
        for (key, _), band in zip(NAMES, parts, strict=True):
            if key in self._chains:
                self._chains[key].process(block, band[None], self.sidechains)
            self._waiting[key].process(band)
            scale_stereo(band[None], gain(self.trajectory(f"{key}_level").values(block.moments)[0]))
        signal[:] = parts[0] + parts[1] + parts[2]

    def inner(self) -> Sequence[Chain]:
        """See `Processor.inner`."""
        return list(self._chains.values())

    def reset(self) -> None:
        """See `Processor.reset`."""
        super().reset()
        for chain in self._chains.values():
            chain.reset()
        for waiting in self._waiting.values():
            waiting.reset()

    def save_state(self) -> State:
        """See `Processor.save_state`."""
        return {
            CROSSOVERS: super().save_state(),
            "chains": {key: chain.save_state() for key, chain in self._chains.items()},
            "waiting": {key: one.held.copy() for key, one in self._waiting.items()},
        }

    def restore_state(self, state: State) -> None:
        """See `Processor.restore_state`."""
        super().restore_state(state[CROSSOVERS])
        for key, chain in self._chains.items():
            chain.restore_state(state["chains"].get(key, {}))
        for key, held in state["waiting"].items():
            self._waiting[key].restore(held)

    def tail(self) -> float:
        """See `Processor.tail`."""
        return SETTLED + max((chain.tail() for chain in self._chains.values()), default=0.0)

    def latency(self) -> int:
        """See `Processor.latency`."""
        return self._latency
