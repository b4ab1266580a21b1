"""How far ahead of what is heard samples are made, and from where on a change replaces them."""

from __future__ import annotations

import math
import time
from collections.abc import Callable

from caligo.engine.render.engine import DEFAULT_RATE, SMALL_BLOCK

AHEAD = 96_000
"""Frames that are ahead where nothing changes: a machine that is taken away for a second and more
leaves no gap."""
RAMP = 4.0
"""Frames more that are made ahead for each frame since the last key or edit, up to `AHEAD`: where
another follows at once, what was made ahead was made for nothing."""
MARGIN = 2_880
"""Frames ahead of what has been heard from which on a change replaces what was made: 60 ms."""
MOST_MARGIN = 11_072
"""The same on a machine that has been late again and again: 231 ms."""
BEYOND = 2_240
"""Frames beyond that which are ahead at least."""
STEP_UP = 2_048
"""Frames by which the margin grows when something came too late, or nothing was left to play."""
STEP_DOWN = 512
"""Frames by which it shrinks for a change that came in time, and after a while of calm."""
CALM = 1_500
"""Reports of the browser (32 s) in which nothing came too late that are such a while."""
UNREPORTED = 4_096
"""Frames at most that are taken to have been heard since the browser last reported."""


class Lead:
    """What of a stream was sent and heard, in frames, and how much should be ahead.

    It is kept by one thread at a time, except `replaceable`, which any thread may call.

    Parameters
    ----------
    clock
        Seconds that only go on.
    """

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._heard = 0, math.inf
        self._held = 0
        self._changed_at = -math.inf
        self._calm = 0
        self._dry = False
        self.margin = MARGIN

    def begin(self) -> None:
        """A stream begins."""
        self._heard, self._held = (0, math.inf), 0
        self._changed_at = -math.inf
        # The browser plays nothing yet.
        self._dry = True

    @property
    def heard(self) -> int:
        """Frames that have been heard, as the browser reported last."""
        return self._heard[0]

    def _heard_now(self) -> int:
        """Frames that have probably been heard by now."""
        heard, at = self._heard
        since = max(0.0, self._clock() - at)
        return heard + math.ceil(min(UNREPORTED, since * DEFAULT_RATE))

    @property
    def left(self) -> int:
        """Frames that the browser still has to play."""
        return self._held - self.heard

    def replaceable(self) -> int:
        """The first frame that a change may be heard from."""
        return self._heard_now() + self.margin

    def changed(self) -> None:
        """A key or an edit came."""
        self._changed_at = self._clock()

    def sent(self, frame: int, end: int) -> None:
        """Samples were sent, which replace what had come from their frame on."""
        if frame < self._held:
            early = frame - self._heard_now()
            if early < 0:
                self._late()
            elif early > STEP_UP // 2:
                self.margin = max(MARGIN, self.margin - STEP_DOWN)
        # Where all of it comes too late, the browser goes on with what it has.
        if end > self.heard:
            self._held = end
            self._dry = False

    def report(self, frames: int) -> None:
        """The browser reports how many frames it has played."""
        self._heard = max(self.heard, frames), self._clock()
        if self._held <= self.heard:
            if not self._dry:
                self._late()
            self._dry = True
            return
        self._calm += 1
        if self._calm >= CALM:
            self.margin = max(MARGIN, self.margin - STEP_DOWN)
            self._calm = 0

    def _late(self) -> None:
        self.margin = min(MOST_MARGIN, self.margin + STEP_UP)
        self._calm = 0

    def wanted(self, *, far: bool) -> int:
        """Frames that should be ahead; more than a little only where `far`, and after a while."""
        if not far:
            return self.margin + BEYOND
        calm = RAMP * DEFAULT_RATE * (self._clock() - self._changed_at)
        return int(min(AHEAD, self.margin + BEYOND + calm))

    def blocks(self, frames: int, cost: float) -> int:
        """Blocks that may be made at once, `cost` seconds each, where `frames` have been made.

        They may take half of the time until they are needed. Where they come too late as it is,
        it is as many as lead to what is needed, since many at once are made soonest.
        """
        until = frames - self._heard_now()
        if until <= 0:
            return 1 - until // SMALL_BLOCK
        return max(1, int(0.5 * until / DEFAULT_RATE / max(cost, 1e-4)))
