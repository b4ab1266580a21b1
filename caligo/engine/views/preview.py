"""The preview, a first picture of the whole length, from probes at a few moments of it.

A probe begins in the middle of the sound: it fades in, so that its beginning does not splash over
all rows, and effects with long tails make up for what they have not heard.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from queue import SimpleQueue

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.engine.render.engine import DEFAULT_RATE, Engine, Interrupted
from caligo.engine.views.long_view import COLUMNS, Tile
from caligo.engine.views.picture_store import FEW_PROBES, KEPT_PROBES, PROBES, Drawn, Probe
from caligo.engine.views.preview_interpolation import Levels, between, gliding
from caligo.measure.loudness import ABSOLUTE_GATE, lufs
from caligo.measure.panorama import image_of
from caligo.measure.spectrogram import ROWS, levels_of, spectra_for_end
from caligo.measure.stereo import stereo_image
from caligo.movement.hold_still import HoldStill
from caligo.signal.ticks import TICK

JOINED_AT = (FEW_PROBES, KEPT_PROBES, PROBES)
"""Looks after which the picture is shown as a whole: their parts are cut in three each time."""
PROBE_TICKS = 256
"""Ticks of a probe: 341 ms at 48 kHz, as long as the spectrogram's windows above 120 Hz; below it
looks through shorter ones."""
ROLL = 0.15
"""Seconds of run-in for a probe, two thirds of which it fades in."""
JOINED_SPAN = 5
"""Columns that each of the joined picture covers."""
FRACTION = 0.25
"""Of the length, what probes may take of it with their run-ins; more would only keep the exact
picture waiting."""
QUIET = -90.0
NEIGHBOURS = 9
"""Rows of a picture by which is measured how far one state of a sound follows another."""
NO_MOVE = 4.0
"""The variance between probes, in bytes or decibels, under which little can be learned from it."""


def in_turn() -> list[int]:
    """The numbers of all probes, in an order that covers the length from the first on.

    Examples
    --------
    >>> in_turn()[:10]
    [4, 40, 22, 58, 13, 49, 31, 67, 1, 37]
    """
    part, bits = PROBES // FEW_PROBES, FEW_PROBES.bit_length() - 1
    order = [part * int(f"{i:0{bits}b}"[::-1], 2) + part // 2 for i in range(FEW_PROBES)]
    for count in JOINED_AT[1:]:
        step = PROBES // count
        order += [index + channel for channel in (-step, step) for index in order]
    return order


def probes_for(length: float) -> int:
    """How many probes of a length in seconds are worth their time.

    Examples
    --------
    >>> [probes_for(length) for length in (10.0, 60.0, 240.0)]
    [8, 24, 72]
    """
    each = PROBE_TICKS * TICK / DEFAULT_RATE + ROLL
    return max(
        count for count in JOINED_AT if count == FEW_PROBES or count * each < FRACTION * length
    )


def probes(
    sound: Sound,
    score: Score,
    *,
    rate: int = DEFAULT_RATE,
    hold_still: HoldStill = False,
    threads: int = 1,
    most: int | None = None,
    interrupted: Interrupted = lambda: False,
) -> Iterator[Probe]:
    """Short renders at moments of the whole, in an order that covers it from the first on.

    Parameters
    ----------
    sound : Sound
    score : Score
    rate : int, optional
        Samples per second, one of `caligo.engine.render.engine.RATES`.
    hold_still : bool or Frozen, optional
        Stop all movement: at rest, or as it is at a moment.
    threads : int, optional
        Workers that render at the same time, each with an engine of its own.
    most : int, optional
        How many; if it is not given, as many as are worth it.
    interrupted : callable, optional
        Asked now and then; once it gives True, nothing more is computed.

    Yields
    ------
    Probe
    """
    engines: SimpleQueue[Engine] = SimpleQueue()

    def probe(index: int) -> Probe | None:
        if interrupted():
            return None
        if engines.empty():
            engines.put(
                Engine(sound, score, rate=rate, hold_still=hold_still, preview=True, begins=False)
            )
        engine = engines.get()
        found = _probe_at(engine, index)
        engines.put(engine)
        return found

    count = probes_for(score.length) if most is None else most
    pool = ThreadPoolExecutor(threads)
    try:
        for future in [pool.submit(probe, index) for index in in_turn()[:count]]:
            seen = future.result()
            if seen is None:
                return
            yield seen
    finally:
        pool.shutdown(cancel_futures=True)


def _probe_at(engine: Engine, index: int) -> Probe:
    centre = (index + 0.5) / PROBES * engine.score.length
    first = max(0, int(centre * engine.rate / TICK) - PROBE_TICKS // 2)
    signal = engine.glance(first, PROBE_TICKS, ROLL)
    # Both filters of K-weighting are left out: a first picture needs no more.
    loudness = lufs(2.0 * float(np.mean(signal.astype(np.float64) ** 2)))
    spectra = spectra_for_end(signal, engine.rate)
    levels, image = levels_of(spectra, engine.rate), image_of(spectra, engine.rate)
    return Probe(index, levels, image, loudness, stereo_image(signal).width)


def _seen(probe: Probe) -> NDArray[np.uint8]:
    """All bytes of a probe, levels before the image ``[ROWS + IMAGE]``."""
    return np.concatenate([probe.levels, probe.image])


class Preview:
    """The first picture of the whole, which grows with each probe.

    Parameters
    ----------
    basis
        The picture of an earlier state of the sound. What its probes did not see of it is taken
        over, as far as the probes at both states move together: an edit that leaves most as it was
        leaves most of the picture as exact as it was.

    Attributes
    ----------
    most_probes
        How many probes it is made from, if not as many as are worth it: those that the picture has
        that it goes by.
    """

    def __init__(self, basis: Drawn | None = None) -> None:
        self.probes: dict[int, Probe] = {}
        self._basis = basis
        self.most_probes = None if basis is None else len(basis.probes)

    def add(self, probe: Probe) -> list[Tile]:
        """Add a probe; returns the tiles that it makes."""
        self.probes[probe.index] = probe
        tiles = []
        if len(self.probes) <= FEW_PROBES and self._basis is None:
            tiles.append(_tile_of(probe))
        if len(self.probes) in JOINED_AT:
            tiles.append(self._joined())
        return tiles

    def _joined(self) -> Tile:
        """One tile over the whole length, in which neighbouring probes go over into each other."""
        span = JOINED_SPAN if self._basis is None else 1
        count = COLUMNS // span
        places = sorted(self.probes)
        found = [self.probes[index] for index in places]
        seen = np.array([_seen(x) for x in found], np.float64)
        heard = np.array([max(x.loudness, QUIET) for x in found])
        wide = np.array([x.width for x in found])
        levels, loudness, width = (between(x, places, count) for x in (seen, heard, wide))
        drawn = self._basis
        if drawn is None:
            levels[:, :ROWS] = gliding(seen[:, :ROWS], places, count)
        else:
            whole = np.concatenate([drawn.levels, drawn.image], axis=1)
            known = [drawn.place_of(index) for index in places]
            looked = np.concatenate([drawn.probes, drawn.probe_images], axis=1)[known]
            levels += _carried(seen, looked, whole, places)
            line = np.maximum(drawn.loudness, QUIET)
            loudness += _carried(heard, drawn.probe_loudness[known], line, places)
            width += _carried(wide, drawn.probe_width[known], drawn.width, places, unit=1.0 / 255.0)
            # Behind the last probe it most likely still is silent where it was.
            beyond = (np.arange(count) + 0.5) * PROBES / count > places[-1] + 0.5
            silent = beyond & (drawn.loudness < ABSOLUTE_GATE)
            levels[silent], loudness[silent] = whole[silent], line[silent]
            width[silent] = drawn.width[silent]
        shown = np.clip(levels, 0.0, 255.0).astype(np.uint8)
        return Tile(
            0,
            span,
            False,
            shown[:, :ROWS],
            shown[:, ROWS:],
            [float(v) if v > QUIET else -math.inf for v in loudness],
            np.maximum(width, 0.0).tolist(),
        )


def _carried(
    seen: NDArray[np.floating],
    looked: NDArray[np.uint8] | NDArray[np.float32],
    whole: NDArray[np.uint8] | NDArray[np.float32],
    places: Sequence[int],
    unit: float = 1.0,
) -> Levels:
    """What a drawn state of the sound has between its probes, as far as the new state follows it.

    Looks at both states are control variates of each other: of what the drawn one has besides its
    probes, each row takes the fraction that leaves the least variance, covariance over variance (P.
    Glasserman, *Monte Carlo Methods in Financial Engineering*, 2003, section 4.1; from memory).

    Parameters
    ----------
    seen, looked
        Looks at the new and at the drawn state at the same places ``[places, ...]``.
    whole
        All columns of the drawn state ``[COLUMNS, ...]``.
    unit
        What counts as much as a byte of a level.
    """
    before = looked.astype(np.float64)
    moved, followed = before - before.mean(axis=0), seen - seen.mean(axis=0)
    covariance, variance = (moved * followed).mean(axis=0), (moved * moved).mean(axis=0)
    if variance.ndim:
        covariance, variance = (
            uniform_filter1d(x, NEIGHBOURS, mode="nearest") for x in (covariance, variance)
        )
    # Where too little moves to tell, all of it.
    least = NO_MOVE * unit**2
    fraction = np.clip((covariance + least) / (variance + least), 0.0, 1.0)
    carried: Levels = fraction * (whole.astype(np.float64) - between(before, places, len(whole)))
    return carried


def preview_tiles(
    sound: Sound,
    score: Score,
    *,
    rate: int = DEFAULT_RATE,
    hold_still: HoldStill = False,
    threads: int = 1,
    basis: Drawn | None = None,
    interrupted: Interrupted = lambda: False,
) -> Iterator[Tile]:
    """A first picture from probes of the whole, so that it is there at once.

    The first probes come each as a tile of its own, then as one that joins them; the last tile
    joins all. See `probes` and `Preview`.

    Parameters
    ----------
    sound : Sound
    score : Score
    rate : int, optional
        Samples per second, one of `caligo.engine.render.engine.RATES`.
    hold_still : bool or Frozen, optional
        Stop all movement: at rest, or as it is at a moment.
    threads : int, optional
        Workers that render at the same time.
    basis : Drawn, optional
        The finished picture of the state before an edit, which the probes correct.
    interrupted : callable, optional
        Asked now and then; once it gives True, nothing more is computed.

    Yields
    ------
    Tile
    """
    view = Preview(basis)
    for probe in probes(
        sound,
        score,
        rate=rate,
        hold_still=hold_still,
        threads=threads,
        most=view.most_probes,
        interrupted=interrupted,
    ):
        yield from view.add(probe)


def _tile_of(probe: Probe) -> Tile:
    span = COLUMNS // FEW_PROBES
    first = probe.index * FEW_PROBES // PROBES * span
    levels, image = probe.levels[None, :], probe.image[None, :]
    return Tile(first, span, False, levels, image, [probe.loudness], [probe.width])
