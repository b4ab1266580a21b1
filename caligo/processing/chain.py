"""Chains: processors one after the other, or side by side, as layers, buses and effects have them.

Switching a processor to bypass is live: over `CROSSFADE` ticks its input fades out and the direct
signal fades in, so that a tail rings out and the state goes on.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence

import numpy as np

from caligo.catalogue import implementation
from caligo.document.sound import ProcessorPart
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Trajectory
from caligo.processing.processor import Processor, Signal, State
from caligo.signal.fixed_delay import FixedDelay
from caligo.signal.gains import crossfade, scale_stereo

CROSSFADE = 15
"""Ticks in which a bypass comes in: 20 ms at 48 kHz."""
WHOLE = 100.0
"""Per cent at which a chain is heard as it stands."""
SILENT = 1e-7
"""A peak below, 140 dB under full scale, counts as rung out."""

Sidechains = Mapping[str, Signal]
"""Signals ``[2, samples]`` that processors may listen to, by the id of their layer or bus."""
Tap = Callable[[str, Signal], None]
"""Looks at a signal ``[streams, 2, samples]`` behind the stage of an address."""


def faded(before: Signal, after: Signal) -> Signal:
    """Over from one signal to another like it ``[..., samples]``: they add in amplitude."""
    count = after.shape[-1]
    rise = 0.5 - 0.5 * np.cos(np.linspace(0.0, math.pi, count, endpoint=False))
    found: Signal = before + rise.astype(np.float32) * (after - before)
    return found


class Entrance:
    """Where a signal comes into what remembers it.

    After an edit the signal goes over from what would have come in to what does: a step that a
    delay takes in would be heard again with each echo.

    Attributes
    ----------
    recording
        Whether what comes in is kept as `given`, for another engine, and what comes out as `left`.
    entering
        What would have come in, had nothing been edited, over the next block.
    """

    def __init__(self) -> None:
        self.recording = False
        self.given: Signal | None = None
        self.left: Signal | None = None
        self.entering: Signal | None = None

    def pass_by(self, signal: Signal) -> None:
        """Keep `signal` ``[..., samples]``, or go over to it, in place."""
        if self.recording:
            self.given = signal.copy()
        if self.entering is not None:
            if self.entering.shape == signal.shape:
                signal[:] = faded(self.entering, signal)
            self.entering = None

    def leave(self, signal: Signal) -> None:
        """Keep what comes out of what stands behind it ``[..., samples]``."""
        if self.recording:
            self.left = signal.copy()


class Slot:
    """A processor's place in a chain.

    Attributes
    ----------
    way
        How far it has gone towards bypass, 0 to 1.
    idle
        Whether it is bypassed and has rung out, so that nothing is computed.
    """

    def __init__(self, processor: Processor, bypass: bool) -> None:
        self.processor = processor
        self.bypass = bypass
        self.bypass_position = 1.0 if bypass else 0.0
        self.idle = bypass
        self.entrance = Entrance()
        latency = processor.latency()
        # What goes around it comes as late as what goes through it.
        self._around = FixedDelay(latency) if latency else None

    def bypasses(self, ticks: int) -> Floats | None:
        """How far towards bypass at every tick ``[ticks + 1]``; None where it is not bypassed."""
        if self.bypass_position == 0.0 and not self.bypass:
            return None
        target = 1.0 if self.bypass else 0.0
        step = (
            math.copysign(1.0 / CROSSFADE, target - self.bypass_position)
            if target != self.bypass_position
            else 0.0
        )
        found: Floats = np.clip(self.bypass_position + step * np.arange(ticks + 1), 0.0, 1.0)
        return found

    def process(
        self, block: Block, signal: Signal, bypasses: Floats | None, sidechains: Sidechains
    ) -> None:
        """Pass a signal through, or around it as far as `bypasses` says.

        `signal` is ``[streams, 2, samples]``, `bypasses` ``[ticks + 1]``.
        """
        self.entrance.pass_by(signal)
        if self.idle:
            self._go_around(signal)
            return
        sidechain = sidechains.get(self.processor.sidechain) if self.processor.sidechain else None
        self.processor.sidechains = sidechains
        if bypasses is None and (self._around is None or not self._around.held.any()):
            self.processor.process(block, signal, sidechain)
            return
        # Each is faded before it is late, so that both meet as they parted.
        around = signal.copy()
        fraction = np.zeros(block.span.ticks + 1) if bypasses is None else bypasses
        scale_stereo(around, fraction)
        self._go_around(around)
        scale_stereo(signal, 1.0 - fraction)
        self.processor.process(block, signal, sidechain)
        self.bypass_position = float(fraction[-1])
        self.idle = (
            self.bypass and self.bypass_position == 1.0 and float(np.abs(signal).max()) < SILENT
        )
        signal += around

    def _go_around(self, signal: Signal) -> None:
        """Delay what goes around ``[streams, 2, samples]`` as what goes through is, in place."""
        if self._around is not None:
            self._around.process(signal[0])

    def switch(self, bypass: bool) -> None:
        """Go to bypass, or come back from it, from the next block on."""
        if self.idle and not bypass:
            self.processor.reset()
        self.bypass = bypass
        self.idle = False

    def reset(self) -> None:
        """Go back to the state before the first sound."""
        self.processor.reset()
        self.bypass_position, self.idle = (1.0, True) if self.bypass else (0.0, False)
        if self._around is not None:
            self._around.reset()

    def save_state(self) -> State:
        """A copy of the state."""
        return {
            "processor": self.processor.save_state(),
            "way": self.bypass_position,
            "idle": self.idle,
            "around": None if self._around is None else self._around.held.copy(),
        }

    def restore_state(self, state: State) -> None:
        """Take over the state of another slot with a processor of the same kind."""
        self.processor.restore_state(state["processor"])
        self.bypass_position, self.idle = state["way"], state["idle"] and self.bypass
        if self._around is not None and state["around"] is not None:
            self._around.restore(state["around"])


class Chain:
    """Processors that a signal passes through.

    Parameters
    ----------
    blend
        For several side by side: where between the first and the last one listens, in per cent.
        All stand one behind the other without it.
    amount
        For a chain of one stereo signal: how much of it is heard against what comes in, in per
        cent.
    """

    def __init__(
        self,
        processors: Sequence[Slot],
        blend: Trajectory | None = None,
        amount: Trajectory | None = None,
    ) -> None:
        self.slots = list(processors)
        self._blend = blend if len(self.slots) > 1 else None
        self._amount = amount if self.slots else None
        # What goes around comes as late as what goes through.
        self._around = FixedDelay(self.latency())

    def __bool__(self) -> bool:
        return any(not slot.idle for slot in self.slots)

    def process(
        self,
        block: Block,
        signal: Signal,
        sidechains: Sidechains | None = None,
        tap: Tap | None = None,
        entries: Mapping[int, Signal] | None = None,
    ) -> None:
        """Pass `signal` ``[streams, 2, samples]`` through, in place.

        `entries` are what only comes in at the processor of a number, or goes into that one alone
        where they stand side by side.
        """
        amount = self._amount
        if amount is None or not (amount.moved or amount.base < WHOLE):
            self._go_through(block, signal, sidechains or {}, tap, entries or {})
            return
        dry = signal.copy()
        self._around.process(dry[0])
        self._go_through(block, signal, sidechains or {}, tap, entries or {})
        crossfade(signal, dry, 1.0 - amount.values(block.moments) / WHOLE)

    def _go_through(
        self,
        block: Block,
        signal: Signal,
        heard: Sidechains,
        tap: Tap | None,
        later: Mapping[int, Signal],
    ) -> None:
        """All of a signal through the processors, see `process`."""
        if self._blend is not None:
            self._side_by_side(block, signal, heard, tap, later)
            return
        for i, slot in enumerate(self.slots):
            if i in later:
                signal += later[i]
            slot.process(block, signal, slot.bypasses(block.span.ticks), heard)
            slot.entrance.leave(signal)
            if tap:
                tap(slot.processor.address, signal)

    def _side_by_side(
        self,
        block: Block,
        signal: Signal,
        sidechains: Sidechains,
        tap: Tap | None,
        entries: Mapping[int, Signal],
    ) -> None:
        """Processors side by side: the blend goes from one to the next.

        Where one of the two that it lies between is bypassed, the other is heard alone.
        """
        assert self._blend is not None
        place: Floats = self._blend.values(block.moments) / 100.0 * (len(self.slots) - 1)
        bypassed = any(slot.bypass_position > 0.0 or slot.bypass for slot in self.slots)
        given = signal.copy()
        before = np.zeros_like(place)
        for i, slot in enumerate(self.slots):
            heard = signal if i == 0 else given.copy()
            if i in entries:
                heard += entries[i]
            bypasses = slot.bypasses(block.span.ticks)
            slot.process(block, heard, bypasses, sidechains)
            slot.entrance.leave(heard)
            if tap:
                tap(slot.processor.address, heard)
            fraction = np.clip(place - (i - 1), 0.0, 1.0)
            if bypassed:
                weight = np.maximum(1.0 - np.abs(place - i), 0.0) * (
                    1.0 if bypasses is None else 1.0 - bypasses
                )
                total = before + weight
                fraction = np.where(total > 0.0, weight / np.maximum(total, 1e-9), fraction)
                before = total
            if i:
                crossfade(signal, heard, fraction)

    def reset(self) -> None:
        """Go back to the state before the first sound."""
        for slot in self.slots:
            slot.reset()
        self._around.reset()

    def save_state(self) -> State:
        """A copy of every processor's state, by address and kind, and what goes around them."""
        found: State = {
            f"{slot.processor.address} {slot.processor.kind}": slot.save_state()
            for slot in self.slots
        }
        return found | ({self._amount.path: self._around.held.copy()} if self._amount else {})

    def restore_state(self, state: State) -> None:
        """Take over the states of processors with the same address and kind."""
        for slot in self.slots:
            found = state.get(f"{slot.processor.address} {slot.processor.kind}")
            if found is not None:
                slot.restore_state(found)
        if self._amount is not None and self._amount.path in state:
            self._around.restore(state[self._amount.path])

    def switch(self, bypass: Mapping[str, bool]) -> None:
        """Take up what is bypassed, by address; live, see `Slot`."""
        for slot in self.slots:
            wanted = bypass.get(slot.processor.address, slot.bypass)
            if wanted != slot.bypass:
                slot.switch(wanted)

    def walk(self) -> Iterator[Slot]:
        """Its slots, and those of the chains inside them."""
        for slot in self.slots:
            yield slot
            for inner in slot.processor.inner():
                yield from inner.walk()

    def _active(self) -> list[Processor]:
        return [slot.processor for slot in self.slots if not slot.idle]

    def tail(self) -> float:
        """Seconds after which what it remembers has faded; infinite if it never does."""
        tails = [processor.tail() + processor.settling() for processor in self._active()]
        return max(tails, default=0.0) if self._blend is not None else sum(tails)

    def latency(self) -> int:
        """Samples by which its output is late, also where processors are bypassed."""
        latencies = [slot.processor.latency() for slot in self.slots]
        return max(latencies, default=0) if self._blend is not None else sum(latencies)

    def sidechains(self) -> set[str]:
        """The layers and buses that its processors listen to."""
        return {slot.processor.sidechain for slot in self.slots} - {""}


def build_chain(
    parts: Sequence[ProcessorPart],
    owner: str,
    movement: Movement,
    rate: int,
    blend: Trajectory | None = None,
    amount: Trajectory | None = None,
) -> Chain:
    """The chain of what stands in a document under `owner`, such as ``nave`` or ``ground``."""
    slots = []
    for part in parts:
        made = implementation(part.family, part.kind)(part, f"{owner}.{part.id}", movement, rate)
        slots.append(Slot(made, part.bypass))
    return Chain(slots, blend, amount)
