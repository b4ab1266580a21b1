"""The mixer: a graph of layers, buses and the master, made from the document.

Each layer and bus is a node with a chain and a fader; ways lead from it to the buses it sends to
and to the master. Nodes are taken in topological order. Where signals that meet are late by
different amounts, the earlier ones wait.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from caligo.document.signal_flow import inputs_of_all, topological_order
from caligo.document.sound import Bus, Layer, Send, Sound
from caligo.engine.layers.layer import own_inserts
from caligo.engine.layers.metering import MASTER, Meter, input_of
from caligo.engine.layers.voicing import Voicing
from caligo.movement.block import Block, stereo_block
from caligo.movement.moments import Moments
from caligo.movement.movement import Movement
from caligo.movement.notes import Floats
from caligo.movement.trajectory import Trajectory
from caligo.processing.chain import Chain, Entrance, build_chain
from caligo.processing.limiter import Limiter
from caligo.processing.processor import State
from caligo.signal.decibels import gain
from caligo.signal.fixed_delay import FixedDelay
from caligo.signal.gains import add_scaled
from caligo.signal.pan import balance
from caligo.signal.ticks import TICK, Span

Signal = NDArray[np.float32]

PLANNED_TICKS = 256
"""Ticks for which values are computed at once where blocks are shorter: 341 ms at 48 kHz."""


@dataclass(slots=True)
class SendPath:
    """The way of a node's signal to a bus or the master.

    Parameters
    ----------
    send
        The send's level; none on the way to the master.
    ahead
        Whether the signal is taken ahead of the fader.
    wait
        Makes the signal wait for later ones that it meets.
    """

    to: str
    send: Trajectory | None
    ahead: bool
    wait: FixedDelay


class Node:
    """A layer or a bus in the mixer: its chain, fader and ways."""

    def __init__(self, part: Layer | Bus, movement: Movement, rate: int) -> None:
        self.id = part.id
        self.is_layer = isinstance(part, Layer)
        effects = (
            part.inserts[len(own_inserts(part)) :] if isinstance(part, Layer) else part.effects
        )
        amount = movement.trajectory(f"{part.id}.amount")
        self.chain = build_chain(effects, part.id, movement, rate, amount=amount)
        self.level = movement.trajectory(f"{part.id}.level")
        self.pan = movement.trajectory(f"{part.id}.pan") if self.is_layer else None
        self.paths = [SendPath(MASTER, None, False, FixedDelay(0))]
        self.paths += [self._path_of(send, movement) for send in part.sends]

    def _path_of(self, send: Send, movement: Movement) -> SendPath:
        level = movement.trajectory(f"{self.id}.{send.id}.level")
        return SendPath(send.bus, level, send.text("from") == "ahead", FixedDelay(0))

    def gains(self, moments: Moments) -> list[tuple[Floats, Floats]]:
        """Gains of left and right on every way, the one to the master first ``[ticks + 1]``."""
        rows = moments.for_all_notes(id(self), self._gains)
        return [(rows[2 * i], rows[2 * i + 1]) for i in range(len(self.paths))]

    def _gains(self, moments: Moments) -> Floats:
        """Gains of left and right on every way in turn ``[2 * ways, ticks + 1]``."""
        own = gain(self.level.values(moments)[0])
        left, right = own, own
        if self.pan is not None:
            channels = balance(self.pan.values(moments)[0])
            left, right = own * channels[0], own * channels[1]
        found = [left, right]
        for path in self.paths[1:]:
            assert path.send is not None
            sent = gain(path.send.values(moments)[0])
            if path.ahead:
                found += [sent, sent]
            elif self.pan is None:
                found += [own * sent, own * sent]
            else:
                found += [own * sent * channels[0], own * sent * channels[1]]
        return np.array(found)


class Mixer:
    """Everything after the layers' stems.

    Parameters
    ----------
    latencies
        Samples by which each layer's stem is late, by layer.
    meter
        Where the levels behind every slot are gathered, if anybody wants them.
    """

    def __init__(
        self,
        sound: Sound,
        movement: Movement,
        voicing: Voicing,
        rate: int,
        latencies: dict[str, int] | None = None,
        meter: Meter | None = None,
    ) -> None:
        self._voicing = voicing
        self.meter = meter
        self.heard_from = -math.inf
        """See `Block.heard_from`."""
        self._planned: tuple[Span, Moments] | None = None
        parts: list[Layer | Bus] = [*sound.layers, *sound.buses]
        made = {part.id: Node(part, movement, rate) for part in parts}
        order = topological_order(inputs_of_all(sound))
        self._nodes = [made[name] for name in order if name != MASTER]
        self._buses = [bus.id for bus in sound.buses]
        amount = movement.trajectory(f"{MASTER}.amount")
        self._master = build_chain(sound.master.effects, MASTER, movement, rate, amount=amount)
        self._level = movement.trajectory("master.level")
        self.entrance = Entrance()
        self._limiter = Limiter(sound.master.number("ceiling"), rate)
        self._latencies = self._compensate(latencies or {})
        self._final = FixedDelay(-self._latencies % TICK)

    def _compensate(self, latencies: dict[str, int]) -> int:
        """Let earlier signals wait for later ones; how late the master comes out."""
        arrives = dict.fromkeys([*self._buses, MASTER], 0)
        leaves: dict[str, int] = {}
        for node in self._nodes:
            came = latencies.get(node.id, 0) if node.is_layer else arrives[node.id]
            leaves[node.id] = came + node.chain.latency()
            for path in node.paths:
                arrives[path.to] = max(arrives[path.to], leaves[node.id])
        for node in self._nodes:
            for path in node.paths:
                path.wait = FixedDelay(arrives[path.to] - leaves[node.id])
        return arrives[MASTER] + self._master.latency()

    @property
    def latency_ticks(self) -> int:
        """Whole ticks by which the output is late, besides the limiter's."""
        return -(-self._latencies // TICK)

    def play(self, voicing: Voicing) -> None:
        """Take up a new set of voices."""
        self._voicing = voicing
        self._planned = None

    def change(self, bypass: dict[str, bool]) -> None:
        """Take up edited numbers, and what is bypassed by address, while listening."""
        self._planned = None
        for chain in self.chains():
            chain.switch(bypass)

    def _moments(self, span: Span) -> Moments:
        """The moments of a span; short ones are planned several at a time."""
        if span.ticks >= PLANNED_TICKS:
            return self._voicing.moments(span.times, self._voicing.none)
        planned, moments = self._planned or (span, None)
        if moments is None or not planned.first <= span.first <= planned.end - span.ticks:
            planned = Span(span.first, PLANNED_TICKS, span.rate)
            moments = self._voicing.moments(planned.times, self._voicing.none)
            self._planned = planned, moments
        return moments.part(span.first - planned.first, span.ticks + 1)

    def process(self, span: Span, stems: dict[str, Signal]) -> Signal:
        """Mix stems to ``[2, samples]``, late by the limiter's delay and by `latency_ticks`."""
        block = stereo_block(span, self._moments(span), self.heard_from)
        meter = self.meter

        def tap(slot: str, signal: Signal) -> None:
            if meter is not None:
                meter.add(slot, span, signal[0])

        into = {name: np.zeros((2, span.samples), np.float32) for name in [*self._buses, MASTER]}
        heard: dict[str, Signal] = {}
        for node in self._nodes:
            stem = stems.get(node.id) if node.is_layer else into[node.id]
            if stem is None:
                continue
            if node.chain.slots:
                if node.is_layer:
                    stem = stem.copy()
                else:
                    tap(input_of(node.id), stem[None])
                node.chain.process(block, stem[None], heard, tap)
            heard[node.id] = stem
            self._send_on(node, block, stem, into)
        master = into[MASTER]
        if self._master.slots:
            tap(input_of(MASTER), master[None])
        self._master.process(block, master[None], heard, tap)
        final = block.moments.for_all_notes(id(self), self._final_gain)[0]
        out = np.zeros((2, span.samples), np.float32)
        add_scaled(master, final, final, out)
        if meter is not None:
            meter.add(MASTER, span, out)
        self.entrance.pass_by(out)
        self._final.process(out)
        self._limiter.process(out)
        return out

    def _final_gain(self, moments: Moments) -> Floats:
        """The gain of the master's fader ``[1, ticks + 1]``."""
        return gain(self._level.values(moments))

    def _send_on(self, node: Node, block: Block, signal: Signal, into: dict[str, Signal]) -> None:
        """A node's signal through its fader, on all its ways."""
        gains = node.gains(block.moments)
        for path, (left, right) in zip(node.paths, gains, strict=True):
            if path.wait.held.shape[1]:
                waiting = np.zeros_like(signal)
                add_scaled(signal, left, right, waiting)
                path.wait.process(waiting)
                into[path.to] += waiting
            else:
                add_scaled(signal, left, right, into[path.to])
        if self.meter is not None and self.meter.wants(node.id):
            faded = np.zeros_like(signal)
            add_scaled(signal, *gains[0], faded)
            self.meter.add(node.id, block.span, faded)

    def chains(self) -> list[Chain]:
        """The chains of layers, of buses and of the master."""
        return [*(node.chain for node in self._nodes), self._master]

    def _waits(self) -> dict[str, FixedDelay]:
        paths = {f"{node.id} {path.to}": path.wait for node in self._nodes for path in node.paths}
        return paths | {"final": self._final}

    def tail(self) -> float:
        """Seconds of preroll after which buses and master are as if they had always run."""
        reach = dict.fromkeys([*self._buses, MASTER], 0.0)
        for node in self._nodes:
            own = node.chain.tail() + (0.0 if node.is_layer else reach[node.id])
            for path in node.paths:
                reach[path.to] = max(reach[path.to], own)
        return reach[MASTER] + self._master.tail() + self._limiter.tail()

    def reset(self) -> None:
        """Go back to the state before the first sound."""
        for chain in self.chains():
            chain.reset()
        for wait in self._waits().values():
            wait.reset()
        self._limiter.reset()

    def save_state(self) -> State:
        """A copy of the state of buses and master."""
        chains: State = {}
        for chain in self.chains():
            chains |= chain.save_state()
        return {
            "chains": chains,
            "waits": {name: wait.held.copy() for name, wait in self._waits().items()},
            "limiter": {k: v.copy() for k, v in self._limiter.state.items()},
        }

    def restore_state(self, state: State) -> None:
        """Take over the state of another mixer of this sound, where it still fits."""
        for chain in self.chains():
            chain.restore_state(state["chains"])
        for name, wait in self._waits().items():
            if name in state["waits"]:
                wait.restore(state["waits"][name])
        self._limiter.state = {k: v.copy() for k, v in state["limiter"].items()}
