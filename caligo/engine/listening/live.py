"""Listening: real time from any moment, with edits and played keys heard as they come."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Note, Score
from caligo.document.sound import Sound
from caligo.engine.listening.loop_start import LoopStart
from caligo.engine.listening.spectrum_meter import SpectrumMeter
from caligo.engine.listening.warmup import Warmup
from caligo.engine.render.engine import DEFAULT_RATE, SMALL_BLOCK, Engine
from caligo.engine.stems.store import StemStore, ticks_in
from caligo.movement.hold_still import HoldStill
from caligo.processing.chain import faded
from caligo.signal.ticks import TICK

Signal = NDArray[np.float32]

ROLL = 2.0
"""Seconds of run-in at most when listening starts: a reverb of 9 s is then 0.2 dB from full."""
SHORTEST_PREROLL = 0.1
"""Seconds of run-in at least: enough for filters."""
PATIENCE = 0.14
"""Seconds that a start may take; where the machine is slower, the run-in is shorter."""
PROBE_TICKS = 48
"""Ticks by which a start finds out how fast the sound is rendered here."""
THREADS = 2
"""Workers that render layers for the preroll; afterwards each block is made in turn."""
BLOCK_TICKS = SMALL_BLOCK // TICK
MERGE_BLOCKS = 8
"""Blocks in which what a start has not heard comes in, once it is warmed up: a third of a
second. Even of the demo sound that lacks most, at -3 dB, the level dips by 0.6 dB meanwhile."""


@dataclass(frozen=True, slots=True)
class Loop:
    """A stretch that is listened to again and again, in seconds."""

    start: float
    end: float


class Listening:
    """A running performance of one sound: blocks on demand, changes at any time.

    Any change (an edit, a seek, a loop's turn) is crossfaded over one block from what would have
    been heard without it, so nothing clicks. The methods may be called from any thread.
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
    ) -> None:
        self._lock = threading.Lock()
        self._editing = threading.Lock()
        self._rate = rate
        self._store = store
        self._hold_still = self._held = hold_still
        self._most_preroll = most_preroll
        self._loop = loop
        self._loop_start = LoopStart(lambda patience: self._now_at(self._beginning(), patience))
        self._played: list[Note] = []
        self._keys: dict[int, Note] = {}
        self._count = self._plays = 0
        self._fading: Engine | None = None
        self._panics_told = 0
        """How many panics there were."""
        self.panics = 0
        """How many of them the next block comes after."""
        self._emptied = False
        self._carries = False
        self._watch = SpectrumMeter()
        self._merging: tuple[Engine, int] | None = None
        self._warmup = Warmup(lambda: self._engine.tick, BLOCK_TICKS)
        self._engine = self._at(sound, score, start, PATIENCE)
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
            notes=[*score.notes, *self._played],
            begins=tick == 0,
        )
        if tick:
            self._run_in(engine, tick, began + patience)
        engine.listen(self._most_preroll)
        return engine

    def _run_in(self, engine: Engine, tick: int, until: float) -> None:
        """Bring an engine to a tick, with as long a run-in as there is time for."""
        roll = ticks_in(min(engine.preroll(), self._most_preroll), self._rate, tick)
        if engine.knows(tick) or roll <= 2 * PROBE_TICKS:
            engine.start(tick, most=self._most_preroll)
            return
        engine.start(tick - roll, most=0.0)
        probed, affordable = time.perf_counter(), 0
        # To add up what runs on since notes began may have taken all the time there was.
        if probed < until:
            engine.run(PROBE_TICKS)
            now = time.perf_counter()
            affordable = int(PROBE_TICKS * (until - now) / (now - probed))
        if affordable >= roll - PROBE_TICKS:
            engine.run(roll - PROBE_TICKS)
        else:
            engine.start(tick, most=max(SHORTEST_PREROLL, affordable * TICK / self._rate))

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

    def _merged(self, signal: Signal) -> Signal:
        """A block ``[2, SMALL_BLOCK]``, as far as what was warmed up is heard by now."""
        if self._merging is None:
            return signal
        before, done = self._merging
        self._merging = (before, done + 1) if done + 1 < MERGE_BLOCKS else None
        out = before.render(BLOCK_TICKS)
        fraction = (np.arange(SMALL_BLOCK, dtype=np.float32) / SMALL_BLOCK + done) / MERGE_BLOCKS
        out += fraction * (signal - out)
        return out

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
            if still == self._held and played == before.score and before.change(sound):
                if self._merging:
                    self._merging[0].change(sound)
                return True
            notes = [*played.notes, *self._played]
        # Made while what was there plays on; only the state is handed over in between.
        fresh = Engine(sound, played, rate=self._rate, hold_still=still, notes=notes, begins=False)
        with self._lock:
            if self._plays != plays:
                return False
            # A loop's start that was made ready meanwhile is that of the sound before.
            self._loop_start.discard()
            self._held = still
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
            self._replace(self._now_at(seconds, PATIENCE))
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
        self._engine = engine

    def press(self, key: int, velocity: int = 90) -> None:
        """A key goes down now."""
        with self._lock:
            self._lift(key)
            self._count += 1
            note = Note(
                id=f"live{self._count}",
                pitch=key,
                start=self.position,
                length=4 * 3600.0,
                velocity=velocity,
            )
            self._keys[key] = note
            self._played.append(note)
            self._play()

    def lift(self, key: int) -> None:
        """A key goes up now."""
        with self._lock:
            self._lift(key)
            self._play()

    def _lift(self, key: int) -> None:
        note = self._keys.pop(key, None)
        if note is not None:
            note.length = max(self.position - note.start, TICK / self._rate)

    def _play(self) -> None:
        self._loop_start.discard()
        self._plays += 1
        self._played = self._played[-256:]
        self._warmup.discard()
        notes = [*self._engine.score.notes, *self._played]
        self._engine.play(notes)
        if self._merging:
            self._merging[0].play(notes)

    def watch(self, slot: str) -> None:
        """Keep what comes out of a slot of the chain, for `spectrum`; of none if it is empty."""
        with self._lock:
            self._watch.watch(slot)
            self._take(self._engine)

    def spectrum(self) -> NDArray[np.uint8] | None:
        """The watched slot's spectrum up to `position` ``[2, bins]``, see `SpectrumMeter`."""
        with self._lock:
            return self._watch.spectrum(self._engine.tick) if self._watch.slot else None

    def panic(self) -> None:
        """Silence at once: every key up, every note and echo gone, until a key is played."""
        with self._lock:
            self._keys.clear()
            self._played = []
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

    def block(self) -> Signal:
        """The next block ``[2, SMALL_BLOCK]``."""
        with self._lock:
            made = self._block()
            self._warmup.begin()
            return made

    def _block(self) -> Signal:
        if self._panicking:
            return self._silence()
        if self.loop and self.position >= self.loop.end:
            self._warmup.discard()
            self._replace(self._loop_start.take())
        elif self.loop:
            self._loop_start.prepare(self.loop.end - self.position)
        if self._fading is None:
            self._take_warmup()
            return self._merged(self._engine.render(BLOCK_TICKS))
        before, self._fading = self._fading, None
        old = self._last_block(before) if self._carries else before.render(BLOCK_TICKS)
        old, self._merging = self._merged(old), None
        # Sent back to a loop's start, it would write into what is watched in the other.
        before.measure_with(None)
        self._loop_start.give_back(before)
        return faded(old, self._engine.render(BLOCK_TICKS))

    def _take_warmup(self) -> None:
        """Let an engine that has heard all come in, once it is where this one is."""
        whole = None if self._merging else self._warmup.take()
        if whole is not None:
            self._engine.measure_with(None)
            self._merging = self._engine, 0
            self._take(whole)

    def prepare(self) -> bool:
        """Render ahead, while there is time, a layer that the next block needs; False if none.

        What was rendered ahead is dropped where an edit or a key comes, see `LayerAhead`.
        """
        with self._lock:
            turning = self.loop is not None and self.position >= self.loop.end
            if self._panicking or self._fading is not None or turning:
                return False
            engines = [self._engine, *([self._merging[0]] if self._merging else [])]
            return any(engine.prepare(BLOCK_TICKS) for engine in engines)

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
        self._fading = self._merging = None
        return out * fall
