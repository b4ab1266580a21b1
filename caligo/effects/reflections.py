"""Early reflections: what the walls of a room give back first, apart from any reverb.

Source: J. Allen and D. Berkley, "Image method for efficiently simulating small-room acoustics"
(JASA 1979): each wall is a mirror, and each mirror image of the source is heard after its own
distance, weaker by that distance and by every wall on its way.
"""

from __future__ import annotations

import itertools
import math
from functools import cache

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice, Kind, Module, Moves, Parameter, Scale, register
from caligo.document.sound import EffectPart
from caligo.kernels import device, kernel
from caligo.movement.block import Block
from caligo.movement.movement import Movement
from caligo.processing import shared
from caligo.processing.effect import Effect
from caligo.processing.matching import HERTZ, weight
from caligo.processing.processor import Signal, State
from caligo.signal.arrays import copy
from caligo.signal.decibels import gain
from caligo.signal.delay_line import read_going, ring_size
from caligo.signal.diffuser import diffuse
from caligo.signal.interpolation import lagrange
from caligo.signal.silence import DEAD
from caligo.signal.smoothing import one_pole_at
from caligo.signal.ticks import TICK

SOUND = 343.0
"""Metres a second, in dry air at 20 degrees."""
PROPORTIONS = np.array([1.26 / 1.59, 1.0, 1.0 / 1.59])
"""Width, length and height of the room as fractions of its length, whose lowest resonances lie
evenly (R. Bolt, "Note on normal frequency statistics for rectangular rooms", JASA 1946; from
memory)."""
SMALLEST, LARGEST = 2.0, 60.0
ORDERS = 2
"""Walls on a way at most."""
IMAGES = np.array(
    [
        image
        for image in itertools.product(range(-ORDERS, ORDERS + 1), repeat=3)
        if 1 <= sum(abs(x) for x in image) <= ORDERS
    ]
)
"""How many rooms away each mirror image lies, along width, length and height ``[images, 3]``."""
SOURCE, LISTENER = np.array([0.47, 0.88, 0.41]), np.array([0.5, 0.88, 0.36])
"""Where both are, as fractions of width, length and height; the source moves lengthwise."""
FARTHEST = 0.76
"""The fraction of the length by which they are apart at most."""
APART = 0.16
"""Metres between the ears for each metre of the room's width, at a width of 100 %."""
DIFFUSER_SECONDS = np.array([[0.0031, 0.0053], [0.0034, 0.0049]])
DIFFUSION = 0.62
NEAREST = 2.0
"""Samples that a reflection comes after the direct sound at least."""
LONGEST_LAG, LAG_STEP = 0.04, 1.0 / 96_000.0
"""Up to which difference ways of pink noise are alike, and the steps in which that is tabled."""
ACROSS = 0.5
"""How alike both channels are taken to be."""
NO_CORRELATION = np.zeros(1)


@cache
def pink_correlation() -> NDArray[np.float64]:
    """The autocorrelation of pink noise, as loud as ITU-R BS.1770 weighs it ``[steps]``.

    By the theorem of Wiener and Khinchin; `HERTZ` are even in octaves, as pink noise is.
    """
    heard = weight(HERTZ)
    lags = np.arange(int(LONGEST_LAG / LAG_STEP)) * LAG_STEP
    # One lag after the other: all at once would take 180 MB.
    found: NDArray[np.float64] = (
        np.array([np.cos(2.0 * np.pi * lag * HERTZ) @ heard for lag in lags]) / heard.sum()
    )
    return found


@device
def _coherent_power(
    images: np.ndarray, correlation: np.ndarray, seconds: np.ndarray, gains: np.ndarray
) -> float:
    """What the power at an ear is more, halved, because its ways are alike."""
    total = 0.0
    for i in range(len(images)):
        for j in range(i):
            step = int(abs(seconds[i] - seconds[j]) / LAG_STEP)
            if step < len(correlation):
                same = (images[i, 0] - images[j, 0]) % 2 == 0
                total += correlation[step] * gains[i] * gains[j] * (1.0 if same else ACROSS)
    return total


@device(allocates=True)
def ways(
    images: np.ndarray,
    proportions: np.ndarray,
    source: np.ndarray,
    listener: np.ndarray,
    size: float,
    distance: float,
    walls: float,
    apart: float,
    correlation: np.ndarray,
    seconds: np.ndarray,
    gains: np.ndarray,
) -> None:
    """When each image is heard at either ear after the direct sound, and how strongly.

    Parameters
    ----------
    size
        Length of the room in metres.
    distance, walls, apart
        How far the source is, the fraction of the amplitude that a wall gives back, and metres
        between the ears for each metre of the room's width.
    correlation
        See `pink_correlation`; what comes by ways that differ little adds up in amplitude. All
        zeros where all gains together are to have the energy of one.
    seconds, gains
        Receive both ``[2, images]``.
    """
    room = proportions * size
    ears = listener * room
    nearest = np.empty(2)
    total = 0.0
    for c in range(2):
        ear = ears[0] + (c - 0.5) * apart * room[0]
        for i in range(-1, len(images)):
            far = 0.0
            bounces = 0
            for axis in range(3):
                fraction = source[axis] - (distance if axis == 1 else 0.0)
                m = images[i, axis] if i >= 0 else 0
                bounces += abs(m)
                # Rooms an odd way off are mirrored (Allen and Berkley).
                place = (m + (fraction if m % 2 == 0 else 1.0 - fraction)) * room[axis]
                away = place - (ear if axis == 0 else ears[axis])
                far += away * away
            far = math.sqrt(far)
            if i < 0:
                nearest[c] = far
            else:
                seconds[c, i] = (far - nearest[c]) / SOUND
                gains[c, i] = walls**bounces * nearest[c] / far
                total += 0.5 * gains[c, i] * gains[c, i]
        if correlation[0] > 0.0:
            total += _coherent_power(images, correlation, seconds[c], gains[c])
    scale = 1.0 / math.sqrt(max(total, 1e-12))
    for c in range(2):
        for i in range(len(images)):
            gains[c, i] *= scale


@device
def _add_still(
    lines: np.ndarray, channel: int, at: int, away: float, gain: float, out: np.ndarray, row: int
) -> None:
    """Add a tick of a channel's ring, `away` samples ago, to a row of `out` ``[walls, TICK]``.

    A tap that stands still is four products a sample, whose weights `lagrange` gives.
    """
    size = lines.shape[1]
    whole = int(away)
    start = (at - whole - 2) & (size - 1)
    f, g, none = np.float32(away - whole), np.float32(gain), np.float32(0.0)
    a, b = lagrange(g, none, none, none, f), lagrange(none, g, none, none, f)
    c, d = lagrange(none, none, g, none, f), lagrange(none, none, none, g, f)
    source, to = np.uint64(channel), np.uint64(row)
    if start + TICK + 3 <= size:
        # Unsigned numbers keep the loop's reading in one direction, so that it becomes vectors.
        for n in range(np.uint64(TICK)):
            i = np.uint64(start) + n
            near = a * lines[source, i + np.uint64(3)] + b * lines[source, i + np.uint64(2)]
            out[to, n] += near + (c * lines[source, i + np.uint64(1)] + d * lines[source, i])
        return
    mask = size - 1
    for n in range(TICK):
        i = start + n
        near = a * lines[channel, (i + 3) & mask] + b * lines[channel, (i + 2) & mask]
        out[row, n] += near + (c * lines[channel, (i + 1) & mask] + d * lines[channel, i & mask])


@kernel(
    "f4[:, ::1], f4[:, ::1], f4[:, :, ::1], f8[:, ::1], i8, f8, i8[:, ::1], f8[::1], f8[::1], "
    "f8[::1], f8[::1], f8[::1], f8[::1], f8[::1], f8[::1], f8[::1], f8[::1], f8[:, ::1], "
    "f8[::1], f8[::1], f8[::1]",
    allocates=True,
)
def _run(
    signal: np.ndarray,
    lines: np.ndarray,
    smear: np.ndarray,
    dark: np.ndarray,
    at: int,
    rate: float,
    images: np.ndarray,
    proportions: np.ndarray,
    source: np.ndarray,
    listener: np.ndarray,
    size: np.ndarray,
    distance: np.ndarray,
    walls: np.ndarray,
    apart: np.ndarray,
    damping: np.ndarray,
    sharp: np.ndarray,
    smeared: np.ndarray,
    diffusers: np.ndarray,
    wet: np.ndarray,
    direct: np.ndarray,
    correlation: np.ndarray,
) -> None:
    """Give `signal` ``[2, samples]`` its reflections, in place; `at` is its first sample's index.

    Parameters
    ----------
    lines, smear
        Rings of what came in ``[2, size]``, and of the diffusers ``[2, 2, size]``.
    dark
        The low-passes of ways with one wall and with two ``[2 channels, 2]``; carried on.
    size, distance, walls, apart, damping
        See `ways`, and the one-pole coefficient of each wall, at every tick ``[ticks + 1]``.
    sharp, smeared, wet, direct
        The gains of reflections as they are and of diffused ones, of both together and of the
        direct signal, at every tick.
    diffusers
        Seconds of the diffusers ``[2, 2]``.
    correlation
        See `ways`.
    """
    count = len(images)
    seconds, gains = np.empty((2, count)), np.empty((2, count))
    to_seconds, to_gains = np.empty((2, count)), np.empty((2, count))
    bounced, one = np.empty((ORDERS, TICK), np.float32), np.empty(TICK, np.float32)
    mask = lines.shape[1] - 1
    ways(images, proportions, source, listener, size[0], distance[0], walls[0], apart[0],
         correlation, seconds, gains)  # fmt: skip
    for k in range(len(wet) - 1):
        here = at + k * TICK
        tick = signal[:, k * TICK : (k + 1) * TICK]
        still = (
            size[k] == size[k + 1] and distance[k] == distance[k + 1]
            and walls[k] == walls[k + 1] and apart[k] == apart[k + 1]
        )  # fmt: skip
        if not still:
            ways(images, proportions, source, listener, size[k + 1], distance[k + 1],
                 walls[k + 1], apart[k + 1], correlation, to_seconds, to_gains)  # fmt: skip
        else:
            for c in range(2):
                copy(seconds[c], to_seconds[c])
                copy(gains[c], to_gains[c])
        for c in range(2):
            for n in range(TICK):
                lines[c, (here & mask) + n] = tick[c, n]
        for c in range(2):
            bounced[:] = np.float32(0.0)
            for i in range(count):
                walls_passed = abs(images[i, 0]) + abs(images[i, 1]) + abs(images[i, 2])
                # What is mirrored from left to right comes from the other channel.
                channel = c if images[i, 0] % 2 == 0 else 1 - c
                away = max(NEAREST, seconds[c, i] * rate)
                end = max(NEAREST, to_seconds[c, i] * rate)
                first, last = gains[c, i], to_gains[c, i]
                if still:
                    _add_still(lines, channel, here, away, first, bounced, walls_passed - 1)
                    continue
                read_going(lines[channel], here, away, end, one)
                for n in range(TICK):
                    strength = np.float32(first + n * (last - first) / TICK)
                    bounced[walls_passed - 1, n] += strength * one[n]
            low, lower = dark[c, 0], dark[c, 1]
            fraction = damping[k] if len(damping) > 1 else damping[0]
            fraction_step = (damping[k + 1] - fraction) / TICK if len(damping) > 1 else 0.0
            for n in range(TICK):
                lower += fraction * (bounced[1, n] - lower)
                low += fraction * (bounced[0, n] + lower - low)
                bounced[0, n] = low
                fraction += fraction_step
            dark[c, 0] = low if abs(low) > DEAD else 0.0
            dark[c, 1] = lower if abs(lower) > DEAD else 0.0
            # What is smeared comes beside what is not, in equal power.
            copy(bounced[0], one)
            for d in range(2):
                length = int(diffusers[c, d] * rate)
                diffuse(one, smear[c, d], here, length, length, DIFFUSION)
            plain, plain_step = sharp[k], (sharp[k + 1] - sharp[k]) / TICK
            soft, soft_step = smeared[k], (smeared[k + 1] - smeared[k]) / TICK
            for n in range(TICK):
                bounced[0, n] = (plain + n * plain_step) * bounced[0, n] + (
                    (soft + n * soft_step) * one[n]
                )
            heard, heard_step = wet[k], (wet[k + 1] - wet[k]) / TICK
            dry, dry_step = direct[k], (direct[k + 1] - direct[k]) / TICK
            for n in range(TICK):
                tick[c, n] = (dry + n * dry_step) * tick[c, n] + (
                    (heard + n * heard_step) * bounced[0, n]
                )
        seconds, to_seconds = to_seconds, seconds
        gains, to_gains = to_gains, gains
    if not math.isfinite(dark.sum()):
        lines[:] = 0.0
        smear[:] = 0.0
        dark[:] = 0.0
        signal[:] = 0.0


@register(
    Module(
        family="effect",
        kind="reflections",
        name="Early reflections",
        help="What the walls of a room answer first: place and size, without a tail.",
        category="Space",
        parameters=(
            Parameter("size", "Size", "Length of the room; the rest goes with it.", unit="m",
                      low=SMALLEST, high=LARGEST, default=14.0, scale=Scale.LOGARITHMIC,
                      moves=Moves.SHARED, group="Room"),
            shared.percent("distance", "Distance", "How far the sound is, of the room's length.",
                         55.0, low=5.0, group="Room"),
            shared.percent("walls", "Walls", "How much walls give back: cloth little, stone much.",
                         80.0, low=10.0, group="Room"),
            shared.hertz("damping", "Damping", "Each wall swallows what lies above.", 9_000.0,
                         low=500.0, group="Tone"),
            shared.percent("diffusion", "Diffusion", "How far each answer is smeared.", 40.0,
                         group="Tone"),
            shared.percent("width", "Width", "How far the ears are apart.", 100.0, high=200.0,
                         group="Output"),
            Parameter("law", "Level law", "Whether reflections are as loud as what goes in, as "
                      "pink noise tells it, or have its energy where all differ, and more where "
                      "they meet.", default="loudness", kind=Kind.CHOICE, group="Output",
                      choices=(Choice("loudness", "Loudness"), Choice("energy", "Energy"))),
            shared.level("level", "Level", "Of the reflections, whatever the room.", 0.0, low=-36.0,
                         high=12.0, group="Output"),
            shared.mix("Reflections against the direct signal.", 35.0),
        ),
    )
)  # fmt: skip
class Reflections(Effect):
    """Twenty-four mirror images of either channel, read from a line."""

    def __init__(self, part: EffectPart, address: str, movement: Movement, rate: int) -> None:
        super().__init__(part, address, movement, rate)
        loudness = part.text("law") == "loudness"
        self._correlation = pink_correlation() if loudness else NO_CORRELATION

    def initial_state(self) -> State:
        """See `Effect.initial_state`."""
        longest = (ORDERS + 1) * float(np.linalg.norm(PROPORTIONS)) * LARGEST / SOUND
        smear = ring_size(float(DIFFUSER_SECONDS.max()) * self.rate)
        return {
            "lines": np.zeros((2, ring_size(longest * self.rate)), np.float32),
            "smear": np.zeros((2, 2, smear), np.float32),
            "dark": np.zeros((2, 2)),
        }

    def process_stereo(self, block: Block, signal: Signal, sidechain: Signal | None) -> None:
        """See `Effect.process_stereo`."""
        keys = ("size", "distance", "walls", "width", "diffusion", "level", "mix")
        value: dict[str, NDArray[np.float64]] = {
            key: self.trajectory(key).values(block.moments)[0] for key in keys
        }
        smeared = 0.5 * math.pi * value["diffusion"] / 100.0
        damping = self.trajectory("damping").compact(block.moments)[0]
        _run(
            signal,
            self.state["lines"],
            self.state["smear"],
            self.state["dark"],
            block.span.first * TICK,
            float(self.rate),
            IMAGES,
            PROPORTIONS,
            SOURCE,
            LISTENER,
            value["size"],
            FARTHEST * value["distance"] / 100.0,
            value["walls"] / 100.0,
            APART * value["width"] / 100.0,
            one_pole_at(damping, self.rate),
            np.cos(smeared),
            np.sin(smeared),
            DIFFUSER_SECONDS,
            gain(value["level"]) * value["mix"] / 100.0,
            1.0 - value["mix"] / 100.0,
            self._correlation,
        )

    def tail(self) -> float:
        """See `Processor.tail`."""
        size = self.trajectory("size").reach()[1]
        farthest = (ORDERS + 1) * float(np.linalg.norm(PROPORTIONS)) * size / SOUND
        return farthest + 14.0 * float(DIFFUSER_SECONDS.max())
