"""The engine: one sound over one score, rendered from any moment, block by block.

The same class serves live listening, the long view, export and the command line.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Note, Score
from caligo.document.sound import Layer, Sound
from caligo.engine.ceiling import DELAY_TICKS
from caligo.engine.layer import LayerRenderer
from caligo.engine.mixer import Mixer
from caligo.engine.stems import CachedLayer, StemStore, stem_key
from caligo.engine.voicing import Voicing
from caligo.movement.block import TICK, Span
from caligo.movement.routes import Movement

Signal = NDArray[np.float32]
Interrupted = Callable[[], bool]

RATES = (44_100, 48_000, 96_000)
DEFAULT_RATE = 48_000
LARGE_BLOCK = 65_536
"""Samples at a time where nobody waits for the first of them."""
MIDDLE_BLOCK = 32_768
"""Samples at a time in work that an edit or a seek may stop at any moment."""
SMALL_BLOCK = 2_048
"""Samples at a time while listening: below, arranging the work would cost as much as the work."""


def sounding_layers(sound: Sound) -> list[Layer]:
    """The layers that are heard: not muted, and soloed where any is."""
    solo = any(layer.solo for layer in sound.layers)
    return [x for x in sound.layers if not x.mute and (x.solo or not solo)]


class Engine:
    """A sound over a score.

    Parameters
    ----------
    rate
        Samples per second, one of `RATES`.
    threads
        Workers that render layers ahead while the mix is made; 1 does all in turn. The
        samples are the same for any number.
    hold_still
        Leave every moved parameter at its resting value.
    stems
        Where finished stems are kept, so that they are not rendered again.
    rough
        Leave out what voices have added up since they began: phases differ then, for a first
        picture.

    Notes
    -----
    After construction the engine stands at the start. `tick` is the next control tick of
    output. Inside, it runs `DELAY_TICKS` ahead, since the ceiling is late.
    """

    def __init__(
        self,
        sound: Sound,
        score: Score,
        *,
        rate: int = DEFAULT_RATE,
        threads: int = 1,
        hold_still: bool = False,
        stems: StemStore | None = None,
        notes: Sequence[Note] | None = None,
        rough: bool = False,
    ) -> None:
        if rate not in RATES:
            raise ValueError(f"the sample rate is one of {RATES}, not {rate}")
        self.sound = sound
        self.score = score
        self.rate = rate
        self.movement = Movement(sound, score, hold_still=hold_still)
        self.notes = list(score.notes if notes is None else notes)
        self.voicing = Voicing(sound, self.notes, self.movement.setting.tempo)
        self._threads = threads
        self._hold_still = hold_still
        self._rough = rough
        self._stems = stems
        self._build()
        self.start(0)

    def _build(self) -> None:
        self.layers: dict[str, LayerRenderer | CachedLayer] = {}
        for layer in sounding_layers(self.sound):
            renderer = LayerRenderer(
                self.sound, layer, self.movement, self.voicing, self.rate, self._rough
            )
            if self._stems is None:
                self.layers[layer.id] = renderer
            else:
                key = stem_key(self.sound, layer, self.score, self.rate, self._hold_still)
                self.layers[layer.id] = CachedLayer(renderer, self._stems, key)
        self.mixer = Mixer(self.sound, self.movement, self.voicing, self.rate)

    def play(self, notes: Sequence[Note]) -> None:
        """Play other notes from now on; what sounds and goes on is not interrupted."""
        self.notes = list(notes)
        self.voicing = Voicing(self.sound, self.notes, self.movement.setting.tempo)
        for layer in self.layers.values():
            layer.play(self.voicing)
        self.mixer.play(self.voicing)

    @property
    def length_ticks(self) -> int:
        """Ticks from the start to the end of the score."""
        return math.ceil(self.score.length * self.rate / TICK)

    def pre_roll(self) -> float:
        """Seconds to run before a moment so that filters and effects are as they should be."""
        layers = max((layer.fading() for layer in self.layers.values()), default=0.0)
        return layers + self.mixer.fading()

    def start(
        self,
        tick: int,
        *,
        most: float = math.inf,
        interrupted: Interrupted = lambda: False,
    ) -> None:
        """Go to a tick: forget everything, and run the pre-roll, of at most `most` seconds."""
        for layer in self.layers.values():
            layer.forget()
        self.mixer.forget()
        roll = min(self.pre_roll(), most)
        self._inside = max(0, tick - math.ceil(roll * self.rate / TICK))
        self.tick = tick
        for _ in self._run(tick + DELAY_TICKS - self._inside, MIDDLE_BLOCK):
            if interrupted():
                return

    def _advance(self, ticks: int) -> Signal:
        span = Span(self._inside, ticks, self.rate)
        return self._mix(span, self._stems_of(span))

    def _stems_of(self, span: Span) -> dict[str, Signal]:
        return {name: layer.render(span) for name, layer in self.layers.items()}

    def _mix(self, span: Span, stems: dict[str, Signal]) -> Signal:
        self._inside += span.ticks
        return self.mixer.process(span, stems)

    def leave_stems(self) -> None:
        """Render all layers afresh from now on, so that edits can be taken up at any moment."""
        for name, layer in self.layers.items():
            if isinstance(layer, CachedLayer):
                self.layers[name] = layer.settle(self._inside)
        self._stems = None

    def render(self, ticks: int) -> Signal:
        """The next `ticks` control ticks of output ``[2, ticks * 64]``."""
        out = self._advance(ticks)
        self.tick += ticks
        return out

    def stream(self, ticks: int, block: int = LARGE_BLOCK) -> Iterator[Signal]:
        """The next `ticks` ticks in blocks of `block` samples ``[2, samples]``.

        With more than one thread, the layers of the next block are rendered while this one
        is mixed; each layer's blocks still follow each other, so the samples do not change.
        """
        for signal, _ in self.stream_with_stems(ticks, block):
            yield signal

    def stream_with_stems(
        self, ticks: int, block: int = LARGE_BLOCK
    ) -> Iterator[tuple[Signal, dict[str, Signal]]]:
        """Like `stream`, each block along with its layers' stems, which run ahead of it."""
        for signal, stems, span in self._run(ticks, block):
            self.tick += span.ticks
            yield signal, stems

    def _run(self, ticks: int, block: int) -> Iterator[tuple[Signal, dict[str, Signal], Span]]:
        """The next ticks inside, block by block."""
        step = max(1, block // TICK)
        spans = [
            Span(self._inside + at, min(step, ticks - at), self.rate)
            for at in range(0, ticks, step)
        ]
        if self._threads <= 1:
            for span in spans:
                stems = self._stems_of(span)
                yield self._mix(span, stems), stems, span
            return
        with ThreadPoolExecutor(self._threads) as pool:
            ahead: dict[str, Future[Signal]] = {}
            if spans:
                ahead = {n: pool.submit(x.render, spans[0]) for n, x in self.layers.items()}
            for i, span in enumerate(spans):
                stems = {name: future.result() for name, future in ahead.items()}
                if i + 1 < len(spans):
                    ahead = {n: pool.submit(x.render, spans[i + 1]) for n, x in self.layers.items()}
                yield self._mix(span, stems), stems, span

    def memory(self) -> dict[str, Any]:
        """A copy of all that filters and effects remember."""
        return {
            "layers": {name: layer.memory() for name, layer in self.layers.items()},
            "mixer": self.mixer.memory(),
            "inside": self._inside,
            "tick": self.tick,
        }

    def recall(self, memory: dict[str, Any]) -> None:
        """Go on from where another engine of this sound was, with what it remembered."""
        for name, layer in self.layers.items():
            if name in memory["layers"]:
                layer.recall(memory["layers"][name])
        self.mixer.recall(memory["mixer"])
        self._inside = memory["inside"]
        self.tick = memory["tick"]
