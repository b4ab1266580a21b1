"""The worker that plays an open sound: blocks of samples, a little ahead of what is heard."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from caligo.engine.listening.live import Listening
from caligo.engine.listening.loop_start import Loop
from caligo.engine.listening.skim import COMPARED_BLOCKS, Skim
from caligo.engine.listening.spectrum_meter import LOWEST, SIZE
from caligo.engine.listening.stream import Stretch
from caligo.engine.render.engine import DEFAULT_RATE, SMALL_BLOCK
from caligo.engine.stems.store import StemStore
from caligo.signal.ticks import TICK
from studio.live.lead import AHEAD, Lead
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

HUNGRY = 24_000
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
        self._lead = Lead()
        self._cost = 1.0  # seconds that a block of the last stretch took
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
                replaceable=self._lead.replaceable,
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
        self._changed()

    def _changed(self) -> None:
        """Something has changed what is to be made."""
        with self._more:
            self._lead.changed()
            self._more.notify_all()

    def _begin(self, make: Make) -> None:
        self.stop()
        yield_to_playback(self, WAITING)
        with self._more:
            self._stream += 1
            stream = self._stream
            self._lead.begin()
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
                self._lead.report(frames)
                self._more.notify_all()

    def _wanted(self, playing: Listening | Skim) -> int:
        """Frames that should be ahead of what is heard."""
        far = isinstance(playing, Listening) and playing.settled and not playing.finished
        return self._lead.wanted(far=far)

    def _room(self, playing: Listening | Skim) -> int:
        """Frames that are missing of what should be ahead; 0 while it does not pay to begin."""
        wanted = self._wanted(playing)
        room = wanted - playing.frames + self._lead.heard
        if isinstance(playing, Listening) and wanted == AHEAD:
            return room if room >= playing.pays else 0
        return max(0, room)

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
        self._changed()
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
            while self._send_stretch(stream, listening):
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

    def _send_stretch(self, stream: int, playing: Listening | Skim) -> bool:
        """Wait for room, then send a stretch; False once it is over."""
        with self._more:
            awake = self._more.wait_for(
                lambda: self._stream != stream or playing.calls or self._room(playing), PATIENCE
            )
            if self._stream != stream or not awake:
                return False
            affordable = self._lead.blocks(playing.frames, self._cost)
            most = max(1, min(self._room(playing) // SMALL_BLOCK, affordable))
        if playing.finished:
            return False
        began = time.perf_counter()
        made = playing.stretch(most)
        frames = made.signal.shape[1]
        self._cost = (time.perf_counter() - began) * SMALL_BLOCK / frames
        header = AudioHeader(
            stream=stream, frame=made.frame, at=round(made.at, 6), panics=made.panics
        )
        samples = np.ascontiguousarray(made.signal.T, dtype="<f4").tobytes()
        self._send_bytes(packet(AUDIO, header, samples))
        with self._more:
            if self._stream != stream:
                return False
            self._lead.sent(made.frame, made.frame + frames)
            hungry = self._lead.left < min(HUNGRY, self._wanted(playing))
            yield_to_playback(self, WAITING if hungry else SHARING)
        if isinstance(playing, Listening):
            self._send_spectra(stream, playing, made)
        return True

    def _send_spectra(self, stream: int, listening: Listening, made: Stretch) -> None:
        """Tell the spectrum of what is watched, up to the end of each block that was sent."""
        for before in reversed(range(0, made.signal.shape[1] // TICK, SMALL_BLOCK // TICK)):
            found = listening.spectrum(before)
            if found is None:
                continue
            header = SpectrumHeader(
                stream=stream,
                at=round(listening.position - before * TICK / DEFAULT_RATE, 6),
                slot=self._watched,
                bin_hertz=DEFAULT_RATE / SIZE,
                floor=LOWEST,
            )
            self._send_bytes(packet(SPECTRUM, header, found.tobytes()))
