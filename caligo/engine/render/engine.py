"""The engine: one sound over one score, rendered from any moment, block by block.

The same class serves live listening, the long view, export and the command line.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Note, Score
from caligo.document.sound import Layer, Sound
from caligo.engine.layers.cross_modulation import all_modulators
from caligo.engine.layers.layer import LayerRenderer
from caligo.engine.layers.metering import OUTPUT, Meter
from caligo.engine.layers.voicing import Voicing
from caligo.engine.render.changes import Changes
from caligo.engine.render.mixer import Mixer
from caligo.engine.stems.keys import StemKeys, mixed_addresses, routes_that_count
from caligo.engine.stems.store import PIECE_TICKS, CachedLayer, Piece, StemStore, ticks_in
from caligo.movement.hold_still import HoldStill
from caligo.movement.movement import Movement
from caligo.processing.chain import Entrance
from caligo.processing.limiter import DELAY_TICKS
from caligo.processing.processor import State
from caligo.signal.gains import scale_stereo
from caligo.signal.ticks import TICK, Span

Signal = NDArray[np.float32]
Interrupted = Callable[[], bool]

RATES = (44_100, 48_000, 96_000)
DEFAULT_RATE = 48_000
LARGE_BLOCK = 65_536
"""Samples at a time where nobody waits for the first of them."""
MIDDLE_BLOCK = 32_768
"""Samples at a time in work that an edit or a seek may stop at any moment."""
STRETCH = 16_384
"""Samples of which short blocks are cut where nothing changes in between."""
WORTH = 0.5
"""Seconds of tail from which on it is worth keeping the mixer's state."""
FADE_IN = 0.1
"""Seconds in which a rough picture's looks fade in."""
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
    preview
        Leave out what voices have added up since they began: phases differ then, for a first
        picture.
    meter
        Where the levels behind every slot are gathered, if anybody wants them.
    begins
        Stand at the start. Otherwise `start`, `glance` or `restore_state` has to come first, and
        nothing is rendered for no reason.

    Notes
    -----
    `tick` is the next control tick of
    output. Inside, it runs `DELAY_TICKS` ahead, since the limiter is late.
    """

    def __init__(
        self,
        sound: Sound,
        score: Score,
        *,
        rate: int = DEFAULT_RATE,
        threads: int = 1,
        hold_still: HoldStill = False,
        stems: StemStore | None = None,
        notes: Sequence[Note] | None = None,
        preview: bool = False,
        meter: Meter | None = None,
        begins: bool = True,
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
        self._fades_from = -math.inf
        self._stems = stems
        self._meter = meter
        sounding = sounding_layers(sound)
        # Where there are fewer layers than workers, several share a layer's voices.
        workers = max(1, threads // max(1, len(sounding)))
        renderers = {
            layer.id: LayerRenderer(
                sound, layer, self.movement, self.voicing, rate, preview, meter, workers
            )
            for layer in sounding
        }
        self.layers: dict[str, LayerRenderer | CachedLayer] = dict(renderers)
        self._mix_key = ""
        if stems is not None:
            keys = StemKeys(sound, score, self.voicing, rate, hold_still)
            self.layers = {
                name: CachedLayer(renderer, stems, keys.of(renderer.layer))
                for name, renderer in renderers.items()
            }
            self._mix_key = keys.of_mix()
        latencies = {name: renderer.latency() for name, renderer in renderers.items()}
        self.mixer = Mixer(sound, self.movement, self.voicing, rate, latencies, meter)
        self._ahead = DELAY_TICKS + self.mixer.latency_ticks
        self.tick = self._inside = self._began = 0
        self._exact = True
        if begins:
            self.start(0)

    def play(self, notes: Sequence[Note]) -> None:
        """Play other notes from now on; what sounds and goes on is not interrupted."""
        self.notes = list(notes)
        self.voicing = Voicing(self.sound, self.notes, self.movement.setting.tempo)
        for layer in self.layers.values():
            layer.play(self.voicing)
        self.mixer.play(self.voicing)

    @property
    def whole(self) -> bool:
        """Whether it has run in for as long as anything in it remembers."""
        return self._exact or (self._inside - self._began) * TICK / self.rate >= self.preroll()

    @property
    def length_ticks(self) -> int:
        """Ticks from the start to the end of the score."""
        return math.ceil(self.score.length * self.rate / TICK)

    def preroll(self) -> float:
        """Seconds to run before a moment so that filters and effects are as they should be."""
        layers = max((layer.tail() for layer in self.layers.values()), default=0.0)
        return layers + self.mixer.tail()

    def start(
        self,
        tick: int,
        *,
        most: float = math.inf,
        interrupted: Interrupted = lambda: False,
    ) -> None:
        """Go to a tick: forget everything, and run in, for at most `most` seconds.

        Where the mixer has left its state in the store, the run-in begins there and is exact.
        """
        for layer in self.layers.values():
            layer.reset()
        self.mixer.reset()
        self.tick = tick
        kept = self._nearest(tick + self._ahead)
        if kept is not None:
            self._inside = kept[0] * PIECE_TICKS
            self.mixer.restore_state(kept[1].state)
            self._exact = True
        else:
            self._inside = tick - ticks_in(min(self.preroll(), most), self.rate, tick)
            self._exact = self._inside == 0
        self._began = self._inside
        for _ in self._run(tick + self._ahead - self._inside, MIDDLE_BLOCK):
            if interrupted():
                return

    def glance(self, tick: int, ticks: int, run_in: float) -> Signal:
        """Roughly what is heard from a tick on ``[2, ticks * 64]``, after `run_in` seconds.

        All is rendered as one block. It fades in, since a sudden beginning would splash over all
        rows of a picture; effects with longer tails make up for the level that they lack.
        """
        for layer in self.layers.values():
            layer.reset()
        self.mixer.reset()
        rolled = ticks_in(run_in, self.rate, tick)
        self._inside = tick - rolled
        self._fade_in_from(self._inside * TICK / self.rate if self._inside else -math.inf)
        self.tick = tick + ticks
        return self._advance(rolled + self._ahead + ticks)[:, (rolled + self._ahead) * TICK :]

    def _fade_in_from(self, moment: float) -> None:
        """Let what follows a moment fade in; at the sound's own start there is nothing to hide."""
        self._fades_from = moment
        heard_from = moment + FADE_IN / 2.0
        self.mixer.heard_from = heard_from
        for layer in self.layers.values():
            if isinstance(layer, LayerRenderer):
                layer.heard_from = heard_from

    def _nearest(self, tick: int) -> tuple[int, Piece] | None:
        """The last state that the mixer has left before a tick, with the number of its piece."""
        number = tick // PIECE_TICKS
        if self._stems is None or number == 0:
            return None
        found = self._stems.read(self._mix_key, number)
        return None if found is None else (number, found)

    def knows(self, tick: int) -> bool:
        """Whether a start at a tick is exact and quick, since a state near it has been kept."""
        number = (tick + self._ahead) // PIECE_TICKS
        return self._stems is not None and number > 0 and self._stems.has(self._mix_key, number)

    def kept_whole(self) -> bool:
        """Whether the store holds all that an exact and quick start at any moment needs."""
        store, pieces = self._stems, (self.length_ticks + self._ahead) // PIECE_TICKS
        if store is None:
            return False
        layers = [layer for layer in self.layers.values() if isinstance(layer, CachedLayer)]
        if not all(layer.kept(number) for layer in layers for number in range(pieces)):
            return False
        return self.mixer.tail() < WORTH or all(
            store.has(self._mix_key, number) for number in range(1, pieces + 1)
        )

    def run(self, ticks: int) -> None:
        """Go on without keeping what is heard."""
        for _ in self.stream(ticks, MIDDLE_BLOCK):
            pass

    def _leave_state(self) -> None:
        """Leave the mixer's state at a border between pieces, where it is exact and worth it."""
        number, inside = divmod(self._inside, PIECE_TICKS)
        if self._stems is None or inside or not self._exact or self.mixer.tail() < WORTH:
            return
        if not self._stems.has(self._mix_key, number):
            state = self.mixer.save_state()
            self._stems.write(self._mix_key, number, Piece(np.zeros((2, 0), np.float32), state))

    def _advance(self, ticks: int) -> Signal:
        span = Span(self._inside, ticks, self.rate)
        return self._mix(span, self._stems_of(span))

    def _stems_of(self, span: Span) -> dict[str, Signal]:
        stems = {name: layer.render(span) for name, layer in self.layers.items()}
        since = float(span.times[0]) - self._fades_from
        if since < FADE_IN:
            fraction = np.clip((span.times - self._fades_from) / FADE_IN, 0.0, 1.0)
            for stem in stems.values():
                scale_stereo(stem[None], 0.5 - 0.5 * np.cos(np.pi * fraction))
        return stems

    def _mix(self, span: Span, stems: dict[str, Signal]) -> Signal:
        out = self.mixer.process(span, stems)
        self._inside += span.ticks
        self._leave_state()
        if self._meter is not None:
            # The output is late; it is measured where it is heard.
            heard = Span(span.first - self._ahead, span.ticks, span.rate)
            self._meter.add(OUTPUT, heard, out)
        return out

    def listen(self, most: float) -> None:
        """Be ready for edits at any moment, without the store.

        Layers that have only been read so far are run in for at most `most` seconds.
        """
        for name, layer in self.layers.items():
            if isinstance(layer, CachedLayer):
                self.layers[name] = layer.settle(self._inside, most)
        self._stems = None

    def measure_with(self, meter: Meter | None) -> None:
        """Let another meter have what comes out of slots from now on; for what is listened to."""
        self._meter = self.mixer.meter = meter
        for layer in self.layers.values():
            if isinstance(layer, LayerRenderer):
                layer.measure_with(meter)

    def change(self, sound: Sound, changes: Changes) -> None:
        """Take up an edit, see `changes_between`, from the next sample on, smoothly."""
        if changes:
            touched = self._touched(sound, changes)
            at = self._inside * TICK / self.rate
            self.movement.change(changes.values, changes.depths, at)
            for layer in sound.layers:
                if layer.id in touched:
                    renderer = self.layers[layer.id]
                    assert isinstance(renderer, LayerRenderer)
                    renderer.change(layer, changes.bypass, at)
            self.mixer.change(changes.bypass)
        self.sound = sound

    def _touched(self, sound: Sound, changes: Changes) -> list[str]:
        """The layers whose stems an edit changes."""
        routes = {route.id: route.target for route in sound.routes}
        addresses = [*changes.addresses, *(routes[name] for name in changes.depths)]
        found = []
        for layer in sound.layers:
            if layer.id not in self.layers:
                continue
            together = [layer, *all_modulators(sound, layer)]
            prefixes = {one.id for one in together} | {"sound"}
            for route in routes_that_count(sound, together):
                prefixes |= route.modulators
            mixed = mixed_addresses(layer)
            if any(a.partition(".")[0] in prefixes and a not in mixed for a in addresses):
                found.append(layer.id)
        return found

    def render(self, ticks: int) -> Signal:
        """The next `ticks` control ticks of output ``[2, ticks * 64]``."""
        out = self._advance(ticks)
        self.tick += ticks
        return out

    def stream(
        self, ticks: int, block: int = LARGE_BLOCK, *, ahead: bool = True
    ) -> Iterator[Signal]:
        """The next `ticks` ticks in blocks of `block` samples ``[2, samples]``.

        With more than one thread, the layers of the next block are rendered while this one
        is mixed; each layer's blocks still follow each other, so the samples do not change.

        Parameters
        ----------
        ahead
            Whether short blocks may be cut from longer stretches, which costs less. Then the engine
            stands where it should at the end, but not in between.
        """
        for signal, _ in self.stream_with_stems(ticks, block, ahead=ahead):
            yield signal

    def stream_with_stems(
        self, ticks: int, block: int = LARGE_BLOCK, *, ahead: bool = True
    ) -> Iterator[tuple[Signal, dict[str, Signal]]]:
        """Like `stream`, each block along with its layers' stems, which run ahead of it.

        All are ``[2, samples]``; stems stand by their layers' ids.
        """
        block = max(1, block // TICK) * TICK
        longer = block
        if ahead and self._threads <= 1:
            longer *= max(1, STRETCH // block)
        for signal, stems, span in self._run(ticks, longer):
            self.tick += span.ticks
            for at in range(0, signal.shape[1], block):
                cut = slice(at, at + block)
                yield signal[:, cut], {name: stem[:, cut] for name, stem in stems.items()}

    def _run(self, ticks: int, block: int) -> Iterator[tuple[Signal, dict[str, Signal], Span]]:
        """The next ticks inside, block by block."""
        spans = self._spans(ticks, max(1, block // TICK))
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

    def _spans(self, ticks: int, step: int) -> list[Span]:
        """The next ticks in blocks; with a store, none goes across a border between pieces."""
        spans, at, end = [], self._inside, self._inside + ticks
        while at < end:
            size = min(step, end - at)
            if self._stems is not None:
                size = min(size, PIECE_TICKS - at % PIECE_TICKS)
            spans.append(Span(at, size, self.rate))
            at += size
        return spans

    def entrances(self) -> dict[str, Entrance]:
        """Where signals come into filters, effects and the limiter, by address."""
        chains = self.mixer.chains()
        for layer in self.layers.values():
            if isinstance(layer, LayerRenderer):
                chains.extend(layer.chains())
        slots = (slot for chain in chains for slot in chain.walk())
        found = {slot.processor.address: slot.entrance for slot in slots}
        return found | {"limiter": self.mixer.entrance}

    def save_state(self) -> State:
        """A copy of the state of all filters and effects."""
        return {
            "layers": {name: layer.save_state() for name, layer in self.layers.items()},
            "mixer": self.mixer.save_state(),
            "inside": self._inside,
            "tick": self.tick,
            "began": self._began,
            "exact": self._exact,
        }

    def restore_state(self, state: State) -> None:
        """Go on from where another engine of this sound was, with its state."""
        for name, layer in self.layers.items():
            if name in state["layers"]:
                layer.restore_state(state["layers"][name])
        self.mixer.restore_state(state["mixer"])
        self._inside = state["inside"]
        self.tick = state["tick"]
        self._began, self._exact = state["began"], state["exact"]
