"""Listening: real time from any moment, with edits and played keys heard as they come."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.engine.listening.loop_start import Loop, LoopStart
from caligo.engine.listening.played_keys import PlayedKeys
from caligo.engine.listening.spectrum_meter import SpectrumMeter
from caligo.engine.listening.start import run_in
from caligo.engine.listening.stream import BLOCK_TICKS, MOST_BLOCKS, Signal, Stream, Stretch
from caligo.engine.listening.warmup import Warmup
from caligo.engine.render.changes import changes_between
from caligo.engine.render.engine import DEFAULT_RATE, SMALL_BLOCK, Engine
from caligo.engine.stems.store import StemStore
from caligo.movement.hold_still import HoldStill
from caligo.processing.chain import faded
from caligo.signal.ticks import TICK

ROLL = 2.0
"""Seconds of run-in at most when listening starts: a reverb of 9 s is then 0.2 dB from full."""
PATIENCE = 0.14
"""Seconds that a start may take; where the machine is slower, the run-in is shorter."""
THREADS = 2
"""Workers that render layers for the preroll; afterwards each block is made in turn."""


class Listening:
    """A running performance of one sound: stretches on demand, changes at any time.

    Any change (an edit, a seek, a loop's turn) is crossfaded over one block from what would have
    been heard without it, so nothing clicks. The methods may be called from any thread.

    Parameters
    ----------
    replaceable
        The first frame of the stream that can still be replaced, and so the first from which a
        change is heard; called from any thread, while a lock is held. Without it, a change is
        heard after all that has been rendered.
    """

    def __init__(
        self,
        sound: Sound,
        score: Score,
        *,
        start: float = 0.0,
        rate: int = DEFAULT_RATE,
        store: StemStore | None = None,
        hold_still: HoldStill = False,
        loop: Loop | None = None,
        most_preroll: float = ROLL,
        replaceable: Callable[[], int] | None = None,
    ) -> None:
        self._lock = threading.Lock()
        self._editing = threading.Lock()
        self._rate = rate
        self._store = store
        self._hold_still = self._held = hold_still
        self._most_preroll = most_preroll
        self._loop = loop
        self._loop_start = LoopStart(lambda patience: self._now_at(self._beginning(), patience))
        self._keys = PlayedKeys(TICK / rate)
        self._plays = 0
        self._fading: Engine | None = None
        self._panics_told = 0
        """How many panics there were."""
        self.panics = 0
        """How many of them the next block comes after."""
        self._emptied = False
        self._carries = False
        self._watch = SpectrumMeter()
        self._stream = Stream(replaceable)
        self._warmup = Warmup(self._stream.merging_tick, BLOCK_TICKS)
        self._stream.engine = self._at(sound, score, start, PATIENCE)
        self._plan_warmup()

    def _at(self, sound: Sound, score: Score, start: float, patience: float) -> Engine:
        began, tick = time.perf_counter(), max(0, round(start * self._rate / TICK))
        engine = Engine(
            sound,
            score,
            rate=self._rate,
            threads=THREADS,
            stems=self._store,
            hold_still=self._hold_still,
            notes=[*score.notes, *self._keys.notes],
            begins=tick == 0,
        )
        if tick:
            run_in(engine, tick, began + patience, self._most_preroll)
        engine.listen(self._most_preroll)
        return engine

    def _plan_warmup(self) -> None:
        """Have what the engine has not heard brought in, where its run-in was too short.

        It begins when the first block is there, so that nobody waits for that any longer.
        """
        engine = self._engine
        if engine.whole:
            return
        sound, score, notes, still = engine.sound, engine.score, engine.notes, self._hold_still

        def make() -> Engine:
            return Engine(
                sound, score, rate=self._rate, hold_still=still, notes=notes, begins=False
            )

        self._warmup.plan(make)

    @property
    def _engine(self) -> Engine:
        """What is heard from the next block on."""
        return self._stream.engine

    @property
    def frames(self) -> int:
        """Frames of the stream up to the next block."""
        return self._stream.frames

    @property
    def position(self) -> float:
        """The moment that the next block begins at, in seconds."""
        return self._engine.tick * TICK / self._rate

    def edit(self, sound: Sound, score: Score | None = None) -> None:
        """Go on with a changed sound or score; filters, echoes and reverbs carry on.

        A number goes to its new value in `caligo.movement.trajectory.GLIDE` seconds; what changes
        the structure is crossfaded over a block.
        """
        with self._editing:
            while not self._taken_up(sound, score):
                pass

    def _taken_up(self, sound: Sound, score: Score | None) -> bool:
        """Try to take up an edit; False where keys or a panic came while its engine was built."""
        with self._lock:
            self._loop_start.discard()
            self._warmup.discard()
            before, still, plays = self._engine, self._hold_still, self._plays
            played = score or before.score
            if self._emptied:
                played = played.model_copy(update={"notes": []})
            changes = changes_between(before.sound, sound)
            if still == self._held and played == before.score and changes is not None:
                if changes:
                    self._stream.go_back()
                for engine in self._stream.engines:
                    engine.change(sound, changes)
                return True
            notes = [*played.notes, *self._keys.notes]
        # Made while what was there plays on; only the state is handed over in between.
        fresh = Engine(sound, played, rate=self._rate, hold_still=still, notes=notes, begins=False)
        with self._lock:
            if self._plays != plays:
                return False
            # A loop's start that was made ready meanwhile is that of the sound before.
            self._loop_start.discard()
            self._held = still
            self._stream.go_back()
            fresh.restore_state(self._engine.save_state())
            fresh.listen(self._most_preroll)
            self._replace(fresh, carries=True)
            return True

    def hold_still(self, still: HoldStill) -> None:
        """Stop all movement at its resting values, freeze it, or let it go on."""
        with self._lock:
            self._hold_still = still
        # Once an edit that is being taken up is there: its sound is the one to go on with.
        with self._editing:
            while not self._taken_up(self._engine.sound, None):
                pass

    def seek(self, seconds: float) -> None:
        """Jump to a moment."""
        with self._lock:
            self._loop_start.discard()
            self._warmup.discard()
            fresh = self._now_at(seconds, PATIENCE)
            self._stream.go_back()
            self._replace(fresh)
            self._plan_warmup()

    def _now_at(self, seconds: float, patience: float) -> Engine:
        """An engine of the present state at another moment."""
        return self._at(self._engine.sound, self._engine.score, seconds, patience)

    @property
    def loop(self) -> Loop | None:
        """The stretch that is listened to again and again, if any."""
        return self._loop

    def set_loop(self, loop: Loop | None) -> None:
        """Loop another stretch from now on, or none."""
        with self._lock:
            self._stream.go_back()
            self._loop = loop
            self._loop_start.discard()

    def _beginning(self) -> float:
        return self._loop.start if self._loop else 0.0

    def _replace(self, fresh: Engine, *, carries: bool = False) -> None:
        """Go over to another engine with the next block.

        Parameters
        ----------
        carries
            Whether it goes on from the same moment, with the state of the one before.
        """
        self._carries = carries
        # If the engine before has not been heard yet, the one that was heard still fades out.
        if self._fading is None:
            self._fading = self._engine
        self._take(fresh)

    def _take(self, engine: Engine) -> None:
        """Play another engine from now on, and watch in it what is watched."""
        engine.measure_with(self._watch if self._watch.slot else None)
        self._stream.engine = engine

    def press(self, key: int, velocity: int = 90) -> None:
        """A key goes down now."""
        with self._lock:
            self._stream.go_back()
            self._keys.press(key, velocity, self.position)
            self._play()

    def lift(self, key: int) -> None:
        """A key goes up now."""
        with self._lock:
            self._stream.go_back()
            self._keys.lift(key, self.position)
            self._play()

    def _play(self) -> None:
        self._loop_start.discard()
        self._plays += 1
        self._warmup.discard()
        notes = [*self._engine.score.notes, *self._keys.notes]
        for engine in self._stream.engines:
            engine.play(notes)

    def watch(self, slot: str) -> None:
        """Keep what comes out of a slot of the chain, for `spectrum`; of none if it is empty."""
        with self._lock:
            self._stream.go_back()
            self._watch.watch(slot)
            self._take(self._engine)

    def spectrum(self, before: int = 0) -> NDArray[np.uint8] | None:
        """The watched slot's spectrum up to `before` ticks before `position` ``[2, bins]``.

        See `SpectrumMeter`.
        """
        with self._lock:
            tick = self._engine.tick - before
            return self._watch.spectrum(tick) if self._watch.slot else None

    def panic(self) -> None:
        """Silence at once: every key up, every note and echo gone, until a key is played."""
        with self._lock:
            self._stream.go_back()
            self._keys.clear()
            self._plays += 1
            self._emptied = True
            self._panics_told += 1
            self._loop_start.discard()
            self._warmup.discard()

    def end(self) -> None:
        """Nobody listens any more: leave what is being made ready."""
        with self._lock:
            self._loop_start.discard()
            self._warmup.discard()

    @property
    def finished(self) -> bool:
        """Whether the score is over and nothing is played any more."""
        return self.position > self._engine.score.length and not self._keys and self.loop is None

    @property
    def settled(self) -> bool:
        """Whether more may be rendered by now than is needed soon.

        Not while something comes in that is not gone back into, and not past a loop's end whose
        start is not ready: that would be waited for.
        """
        waits = self._turns and not self._loop_start.ready
        return self._fading is None and not waits

    @property
    def pays(self) -> int:
        """Frames that it pays to render at once."""
        return self._stream.blocks(MOST_BLOCKS) * SMALL_BLOCK

    @property
    def calls(self) -> bool:
        """Whether there is something to bring in, for which a stretch should be asked at once."""
        return self._warmup.ready

    def block(self) -> Signal:
        """The next block ``[2, SMALL_BLOCK]``."""
        return self.stretch(1).signal

    def stretch(self, most: int = MOST_BLOCKS) -> Stretch:
        """The next blocks, as many at once as pays, and `most` at most."""
        with self._lock:
            self._take_warmup()
            frame, at, panics = self.frames, self.position, self.panics
            if self._fading is None and not self._panicking and not self._turns:
                signal = self._plain_blocks(most)
            else:
                signal = self._block()
                self._stream.advance(signal.shape[1])
            self._warmup.begin()
            return Stretch(frame, at, panics, signal)

    @property
    def _turns(self) -> bool:
        """Whether the loop's end has been reached."""
        return self.loop is not None and self.position >= self.loop.end

    def _plain_blocks(self, most: int) -> Signal:
        """The next blocks, in which nothing changes ``[2, samples]``."""
        blocks = self._stream.blocks(most)
        if self.loop:
            remaining = self.loop.end - self.position
            self._loop_start.prepare(remaining)
            blocks = min(blocks, math.ceil(remaining * self._rate / SMALL_BLOCK))
        ticks = self._warmup.at_most(self._engine.tick, blocks * BLOCK_TICKS)
        return self._stream.render(ticks)

    def _block(self) -> Signal:
        """A block in which something changes ``[2, SMALL_BLOCK]``."""
        if self._panicking:
            return self._silence()
        if self._turns:
            self._warmup.discard()
            self._replace(self._loop_start.take())
        assert self._fading is not None
        before, self._fading = self._fading, None
        old = self._last_block(before) if self._carries else before.render(BLOCK_TICKS)
        old = self._stream.merged(old)
        self._stream.end_merging()
        # Sent back to a loop's start, it would write into what is watched in the other.
        before.measure_with(None)
        self._loop_start.give_back(before)
        return faded(old, self._engine.render(BLOCK_TICKS))

    def _take_warmup(self) -> None:
        """Let an engine that has heard all come in, once it is where this one may go back to."""
        if self._fading is not None or self._stream.merging or self._panicking:
            return
        whole = self._warmup.take(self._engine.tick)
        if whole is None:
            return
        if not self._stream.go_back_to_tick(whole.tick):
            self._warmup.reach_again(whole)
            return
        self._engine.measure_with(None)
        self._stream.merge(whole)
        self._take(whole)

    def _last_block(self, before: Engine) -> Signal:
        """The last block of what an edit replaces ``[2, SMALL_BLOCK]``.

        The new engine's filters and effects go over from what came in there to what does now.
        """
        entrances = before.entrances()
        for entrance in entrances.values():
            entrance.recording = True
        old = before.render(BLOCK_TICKS)
        for address, entrance in self._engine.entrances().items():
            if address in entrances:
                entrance.entering = entrances[address].given
        return old

    @property
    def _panicking(self) -> bool:
        """Whether the next block falls to nothing."""
        return self.panics < self._panics_told

    def _silence(self) -> Signal:
        """A last block that falls to nothing; afterwards only what is newly played is heard."""
        self.panics = self._panics_told
        out = self._engine.render(BLOCK_TICKS)
        fall = np.linspace(1.0, 0.0, out.shape[1], dtype=np.float32)
        score = self._engine.score.model_copy(update={"notes": []})
        sound, still = self._engine.sound, self._hold_still
        fresh = Engine(sound, score, rate=self._rate, hold_still=still, begins=False)
        empty = fresh.save_state()
        now = {key: self._engine.save_state()[key] for key in ("inside", "tick")}
        fresh.restore_state(empty | now)
        fresh.listen(self._most_preroll)
        self._take(fresh)
        self._fading = None
        self._stream.end_merging()
        return out * fall
