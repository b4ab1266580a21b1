"""The worker that plays an open sound: blocks of samples, a little ahead of what is heard."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from caligo.engine.listening.live import Listening, Loop
from caligo.engine.listening.skim import COMPARED_BLOCKS, Skim
from caligo.engine.listening.spectrum_meter import LOWEST, SIZE
from caligo.engine.render.engine import DEFAULT_RATE
from caligo.engine.stems.store import StemStore
from studio.live.messages import (
    AudioHeader,
    ListeningNews,
    News,
    ProblemNews,
    SpectrumHeader,
    StoppedNews,
)
from studio.live.open_sound import OpenSound
from studio.live.packets import AUDIO, SPECTRUM, packet
from studio.workers import FREE, SHARING, WAITING, yield_to_playback

logger = logging.getLogger("studio.live")

SendNews = Callable[[News], None]
SendBytes = Callable[[bytes], None]
Make = Callable[[OpenSound], Listening | Skim]

LEAD = 5_120
"""Frames ahead of what has been heard below which a block is made; an edit waits for these and
that block at most, 149 ms."""
MOST_LEAD = 13_312
"""The same on a machine that has run dry again and again: 277 ms."""
STEP_UP = 2_048
"""Frames by which the lead grows when the browser runs dry, or nearly so."""
NEARLY = 2_560
"""Frames left to play, 53 ms, that are nearly none: what takes half the lead may soon take all."""
STEP_DOWN = 1_024
"""Frames by which it shrinks after a while of calm."""
CALM = 1_500
"""Reports of the browser (32 s) without nearly running dry that are such a while: where a machine
is taken away now and then, the lead stays long enough for the next time."""
HUNGRY = 4_096
"""Below so many frames ahead, drawing gives way to listening."""
STOPPED_ON_AN_ERROR = (
    "Listening stopped: Caligo made a mistake there, which the log tells more of. Press Listen "
    "again; the sound itself is safe."
)
PATIENCE = 10.0
"""Seconds without a word from the browser after which listening stops by itself."""


def _take_up(playing: Listening | Skim, before: OpenSound, state: OpenSound) -> None:
    """Let what plays go over from one state to another."""
    if state.hold_still != before.hold_still:
        playing.hold_still(state.hold_still)
    if state.sound is not before.sound or state.score is not before.score:
        playing.edit(state.sound, state.score)


class Listener:
    """Listens to one sound at a time, from wherever it is started."""

    def __init__(
        self,
        send_news: SendNews,
        send_bytes: SendBytes,
        store: StemStore,
        state: OpenSound,
    ) -> None:
        self._send_news = send_news
        self._send_bytes = send_bytes
        self._store = store
        self._state = state
        self._following = threading.Lock()
        self._listening: Listening | Skim | None = None
        self._stream = 0
        self._sent = 0
        self._heard = 0
        self._lead = LEAD
        self._calm = 0
        self._low = False
        self._watched = ""
        self._more = threading.Condition()

    def start(self, start: float, *, loop: Loop | None = None) -> None:
        """Listen from a moment on; what was playing stops."""
        self._begin(
            lambda state: Listening(
                state.sound,
                state.score,
                start=start,
                loop=loop,
                store=self._store,
                hold_still=state.hold_still,
            )
        )

    def skim(self, moments: Sequence[float]) -> None:
        """Hear moments of the length one after the other; what was playing stops."""
        self._begin_skim(moments)

    def compare(self, moments: Sequence[float]) -> None:
        """Hear two moments in turn, again and again; what was playing stops."""
        self._begin_skim(moments, blocks=COMPARED_BLOCKS, again=True)

    def _begin_skim(self, moments: Sequence[float], **more: Any) -> None:
        self._begin(
            lambda state: Skim(
                state.sound,
                state.score,
                moments,
                store=self._store,
                hold_still=state.hold_still,
                **more,
            )
        )

    def follow(self, state: OpenSound) -> None:
        """Play another state from now on, whether something plays, is being begun, or neither."""
        with self._following:
            before, self._state = self._state, state
            listening = self._listening
            if listening is not None:
                _take_up(listening, before, state)

    def _begin(self, make: Make) -> None:
        self.stop()
        yield_to_playback(self, WAITING)
        with self._more:
            self._stream += 1
            stream = self._stream
            self._sent = self._heard = 0
        threading.Thread(
            target=self._play, args=(stream, make), name="listening", daemon=True
        ).start()

    def stop(self) -> None:
        """Stop playing."""
        with self._more:
            self._listening = None
            self._stream += 1
            self._more.notify_all()
        yield_to_playback(self, FREE)

    def heard(self, stream: int, frames: int) -> None:
        """The browser has played so many frames of a stream."""
        with self._more:
            if stream == self._stream:
                self._heard = max(self._heard, frames)
                self._adapt()
                self._more.notify_all()

    def _adapt(self) -> None:
        """Keep more ahead where the browser nearly runs dry, and less again once it does not."""
        if self._listening is None:
            return  # the end has been sent: no more will come
        before, self._low = self._low, self._sent - self._heard < NEARLY
        if self._low:
            # A step for each time, and for each report of running dry.
            if not before or self._heard >= self._sent:
                self._lead = min(MOST_LEAD, self._lead + STEP_UP)
            self._calm = 0
            return
        self._calm += 1
        if self._calm >= CALM:
            self._lead = max(LEAD, self._lead - STEP_DOWN)
            self._calm = 0

    def watch(self, slot: str) -> None:
        """Tell the spectrum of a slot of the chain from now on, with each block; "" for none."""
        self._watched = slot
        self.with_listening(lambda listening: listening.watch(slot))

    def with_listening(self, act: Callable[[Listening], None]) -> bool:
        """Do something to what is listened to in real time, if anything is."""
        listening = self._listening
        if not isinstance(listening, Listening):
            return False
        act(listening)
        return True

    def _play(self, stream: int, make: Make) -> None:
        listening: Listening | Skim | None = None
        try:
            made_of = self._state
            listening = make(made_of)
            with self._following:
                with self._more:
                    if self._stream != stream:
                        return
                    self._listening = listening
                # What was edited while it was made.
                _take_up(listening, made_of, self._state)
            if isinstance(listening, Listening):
                listening.watch(self._watched)
            self._send_news(ListeningNews(stream=stream, start=listening.position))
            while self._send_block(stream, listening):
                pass
        except Exception as error:
            logger.error("listening: %.300r", error, exc_info=error)
            self._send_news(ProblemNews(text=STOPPED_ON_AN_ERROR))
        finally:
            if isinstance(listening, Listening):
                listening.end()
            with self._more:
                ended = self._stream == stream
                if ended:
                    self._listening = None
            if ended:
                yield_to_playback(self, FREE)
                self._send_news(StoppedNews(stream=stream))

    def _send_block(self, stream: int, listening: Listening | Skim) -> bool:
        """Wait for room, then send one block; False once it is over."""
        with self._more:
            room = self._more.wait_for(
                lambda: self._stream != stream or self._sent - self._heard < self._lead, PATIENCE
            )
            if self._stream != stream or not room:
                return False
        at = listening.position
        if listening.finished:
            return False
        panics = listening.panics if isinstance(listening, Listening) else 0
        header = AudioHeader(stream=stream, at=round(at, 6), panics=panics)
        block = listening.block()
        samples = np.ascontiguousarray(block.T, dtype="<f4").tobytes()
        self._send_bytes(packet(AUDIO, header, samples))
        with self._more:
            if self._stream != stream:
                return False
            self._sent += block.shape[1]
            yield_to_playback(self, WAITING if self._sent - self._heard < HUNGRY else SHARING)
        if isinstance(listening, Listening):
            self._send_spectrum(stream, listening)
        # Now there is the most time until something has to be sent again.
        while isinstance(listening, Listening) and listening.prepare():
            pass
        return True

    def _send_spectrum(self, stream: int, listening: Listening) -> None:
        """Tell the spectrum of what is watched, up to the end of the block that was sent."""
        found = listening.spectrum()
        if found is None:
            return
        header = SpectrumHeader(
            stream=stream,
            at=round(listening.position, 6),
            slot=self._watched,
            bin_hertz=DEFAULT_RATE / SIZE,
            floor=LOWEST,
        )
        self._send_bytes(packet(SPECTRUM, header, found.tobytes()))
