"""Layers rendered a little ahead while listening, in stretches longer than the blocks that go out.

Arranging a block costs as much as the samples in it, so longer stretches are cheaper. A stretch
begins as short as a block and doubles while nothing changes. Where something does change, what
was rendered ahead is thrown away: the layer goes back to the state at the beginning of the stretch
and is rendered again up to now, bit for bit as it was.
"""

from __future__ import annotations

import numpy as np

from caligo.document.sound import Layer
from caligo.engine.layers.layer import LayerRenderer, Signal
from caligo.engine.layers.voicing import Voicing
from caligo.processing.processor import State
from caligo.signal.ticks import TICK, Span

LONGEST = 256
"""Ticks of the longest stretch: 341 ms at 48 kHz."""


class PrefetchedLayer:
    """A layer renderer that renders ahead.

    Parameters
    ----------
    shorter
        Ticks by which the first of the longest stretches is shorter, so that the layers of a
        sound do not all begin theirs in the same block.
    """

    def __init__(self, renderer: LayerRenderer, shorter: int = 0) -> None:
        self._renderer = renderer
        self._shorter = shorter
        self._first = 0
        self._signal: Signal = np.zeros((2, 0), np.float32)
        self._state: State | None = None
        self._length = 0
        self._offset = shorter

    @property
    def renderer(self) -> LayerRenderer:
        """The layer itself; call `rewind` before anything about it is changed."""
        return self._renderer

    def render(self, span: Span) -> Signal:
        """The layer's stem over `span` ``[2, samples]``."""
        at, ticks = span.first - self._first, self._signal.shape[1] // TICK
        if not (at >= 0 and at + span.ticks <= ticks):
            self.rewind(span.first)
            self._begin(span)
            at = 0
        return np.ascontiguousarray(self._signal[:, at * TICK : (at + span.ticks) * TICK])

    def prepare(self, span: Span) -> bool:
        """Render the stretch that begins with `span` now, while there is time; False if it is."""
        if span.first - self._first < self._signal.shape[1] // TICK:
            return False
        self._begin(span, may_go_back=True)
        return True

    def _begin(self, span: Span, *, may_go_back: bool = False) -> None:
        """Render a stretch from the span's start on.

        Parameters
        ----------
        may_go_back
            Keep the state even of a stretch no longer than the span, which nobody may come to ask
            for.
        """
        self._length = max(span.ticks, min(2 * self._length, LONGEST))
        length = self._length
        if length == LONGEST:
            length, self._offset = max(span.ticks, length - self._offset), 0
        length -= length % span.ticks
        self._state = self._renderer.save_state() if may_go_back or length > span.ticks else None
        self._first = span.first
        self._signal = self._renderer.render(Span(span.first, length, span.rate))

    def rewind(self, tick: int) -> None:
        """Bring the renderer to the state at a tick; what was rendered ahead is dropped."""
        end = self._first + self._signal.shape[1] // TICK
        if self._first < tick < end and self._state is not None:
            self._renderer.restore_state(self._state)
            self._renderer.render(Span(self._first, tick - self._first, self._renderer.rate))
        elif tick == self._first and self._state is not None and end > tick:
            self._renderer.restore_state(self._state)
        if tick != end:
            self._length, self._offset = 0, self._shorter
        self._signal, self._state = np.zeros((2, 0), np.float32), None

    def play(self, voicing: Voicing) -> None:
        """See `LayerRenderer.play`; the layer has been rewound."""
        self._renderer.play(voicing)

    def change(self, layer: Layer, bypass: dict[str, bool], at: float) -> None:
        """See `LayerRenderer.change`; the layer has been rewound."""
        self._renderer.change(layer, bypass, at)

    def reset(self) -> None:
        """See `LayerRenderer.reset`."""
        self._renderer.reset()
        self._signal, self._state = np.zeros((2, 0), np.float32), None

    def tail(self) -> float:
        """See `LayerRenderer.tail`."""
        return self._renderer.tail()

    def latency(self) -> int:
        """See `LayerRenderer.latency`."""
        return self._renderer.latency()

    def save_state(self) -> State:
        """See `LayerRenderer.save_state`; the layer has been rewound."""
        return self._renderer.save_state()

    def restore_state(self, state: State) -> None:
        """See `LayerRenderer.restore_state`."""
        self._renderer.restore_state(state)
