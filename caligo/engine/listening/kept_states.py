"""States at frames of a stream, so that listening can go back to them."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from typing import Generic, TypeVar

Kept = TypeVar("Kept")

SPACING = 4_096
"""Frames from one kept state to the next at least: a large one is several megabytes."""


class KeptStates(Generic[Kept]):
    """The states that rendering began with, and how far it went on from each without a change.

    Rendered again from a state, the same samples come out; a crossfade to another engine, as at
    an edit or a loop's turn, is not rendered again, so nothing goes back into one.
    """

    def __init__(self) -> None:
        self._kept: deque[tuple[int, Kept]] = deque()
        self._reached: deque[int] = deque()

    def clear(self) -> None:
        """Forget all: what follows is not what they led to."""
        self._kept.clear()
        self._reached.clear()

    def offer(self, frame: int, make: Callable[[], Kept], *, oldest: int) -> None:
        """Keep the state at a frame, where the last is far enough away.

        Parameters
        ----------
        make
            Copies the state.
        oldest
            The earliest frame that may be gone back to.
        """
        while len(self._kept) > 1 and self._kept[1][0] <= oldest:
            self._kept.popleft()
            self._reached.popleft()
        goes_on = bool(self._reached) and self._reached[-1] == frame
        if goes_on and frame - self._kept[-1][0] < SPACING:
            return
        self._kept.append((frame, make()))
        self._reached.append(frame)

    def went_on(self, frame: int) -> None:
        """Rendering has gone on from the last offered frame to this one."""
        self._reached[-1] = frame

    def near(self, frame: int) -> tuple[int, int, Kept] | None:
        """What leads to a frame, or to the first one after it that can be reached.

        Returns
        -------
        tuple of (int, int, Kept) or None
            The frame that can be reached, the frame of the state, and the state.
        """
        later: tuple[int, int, Kept] | None = None
        for (kept, state), reached in zip(
            reversed(self._kept), reversed(self._reached), strict=True
        ):
            if kept <= frame:
                return (frame, kept, state) if frame <= reached else later
            later = kept, kept, state
        return later
