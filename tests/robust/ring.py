"""What a browser does with samples that come: kept at their frames, replaced, played in turn."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

GO_OVER = 480
"""Frames in which it goes to what was replaced, and back, as in the audio worklet."""
FIRST = 4_096
"""Frames that a browser has before it plays."""
GROWTH = 1 << 20


class Ring:
    """All samples of a stream ``[frames, 2]``: as they came last, what they replaced, as played."""

    def __init__(self) -> None:
        self._came: NDArray[np.float32] = np.zeros((GROWTH, 2), np.float32)
        self._stale = self._came.copy()
        self.heard = self._came.copy()
        self.received = self._stale_end = self.played = 0
        self.panics = 0
        self.late = 0
        """How often samples came too late for their place."""
        self.fell_back = 0
        """How often what had been replaced was played, since nothing else had come."""
        self._over = 0.0
        self._dropped = self._started = False

    @property
    def left(self) -> int:
        """Frames that there still are to play."""
        return max(self.received, self._stale_end) - self.played

    def panic(self) -> None:
        """Drop all that waits."""
        self.panics += 1
        self.received = self._stale_end = self.played
        self._over = 0.0
        self._dropped, self._started = True, False

    def take(self, header: dict[str, Any], data: NDArray[np.float32]) -> None:
        """Samples have come ``[frames, 2]``."""
        if header["panics"] < self.panics:
            return
        frame, end = header["frame"], header["frame"] + len(data)
        while end > len(self._came):
            more = np.zeros((GROWTH, 2), np.float32)
            self._came = np.concatenate([self._came, more])
            self._stale = np.concatenate([self._stale, more])
            self.heard = np.concatenate([self.heard, more])
        if self._dropped:
            self.received = self._stale_end = self.played = frame
            self._dropped = False
        self._stale_end = max(self._stale_end, self.received)
        self.late += frame < self.played
        if end <= self.played and frame < self.received:
            return
        if frame < self.played < self.received:
            self._over = 1.0
        first = max(frame, self.played)
        known = slice(first, min(end, self._stale_end))
        self._stale[known] = self._came[known]
        self._came[first:end] = data[first - frame :]
        self.received = end

    def play(self, frames: int) -> int:
        """Play so many frames more, once there is a first stock; the frames that are missing."""
        self._started = self._started or self.received - self.played >= FIRST
        if not self._started:
            return 0
        there = min(frames, self.left)
        plain = self.played + there <= self.received - GO_OVER or self.received >= self._stale_end
        if self._over == 0.0 and plain:
            span = slice(self.played, self.played + there)
            self.heard[span] = self._came[span]
            self.played += there
        else:
            self.fell_back += self._over == 0.0
            for _ in range(there):
                self._play_frame()
        return frames - there

    def _play_frame(self) -> None:
        at, came = self.played, self.played < self.received
        missing = self.received - at <= GO_OVER and self.received < self._stale_end
        step = 1.0 / GO_OVER
        self._over = min(1.0, max(0.0, self._over + (step if missing else -step)))
        old = (self._stale if came else self._came)[at]
        was = self._over if at < self._stale_end else 0.0
        self.heard[at] = (1.0 - self._over) * came * self._came[at] + was * old
        self.played += 1
