"""Which partials a harmonic source has, and how rules shape them as one thing."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from caligo.catalogue import Choice
from caligo.kernels import CONTRACT, device, kernel
from caligo.movement.chance import combine, mix, signed, unit
from caligo.movement.notes import Floats
from caligo.signal.arrays import are_equal
from caligo.signal.exponential import exp2_fine
from caligo.synthesis.phases import FADES, HIGHEST

MOST = 256
"""Sines in a voice."""
WRAP = 9.0
"""Octaves over which an endless glide turns round; it begins one below the note."""
EDGE = 0.05
"""Octaves at the ends of an endless glide that are silent, where partials are wrapped."""
STIFFEST = 20_000.0
"""The most of stiffness, in millionths."""
BOOST = 15.8
"""The most that a band or a ripple is made up for: 24 dB."""

RULES = (
    Choice("all", "All"),
    Choice("odd", "Odd"),
    Choice("even", "Even, with the first"),
    Choice("octaves", "Octaves"),
    Choice("primes", "Primes, with the first"),
    Choice("every", "Every n-th"),
    Choice("list", "Own list"),
)
NO_RULE = Choice("none", "None")
PLACES = (
    Choice("centre", "In the centre"),
    Choice("alternate", "Left and right in turn"),
    Choice("fan", "A fan from low to high"),
    Choice("random", "At random"),
    Choice("turning", "Turning slowly"),
)


def is_prime(number: int) -> bool:
    """Whether a number has no divisors but 1 and itself."""
    return number > 1 and all(number % d for d in range(2, math.isqrt(number) + 1))


FIXED, COUNTED, LISTED = range(3)
"""What moves a partial's number: nothing, *every*, or the way from the own list to the second."""


def numbers_of(rule: str, every: float, own: Sequence[float], most: int = MOST) -> Floats:
    """The partial numbers of a rule, rising ``[at most most]``; multiples of the note's pitch."""
    if rule == "list":
        return np.array(sorted({v for v in own if v > 0.0})[:most], dtype=np.float64)
    if rule == "octaves":
        return np.array([2.0**k for k in range(min(most, 10))])
    if rule == "primes":
        found = [1, *(n for n in range(2, 1620) if is_prime(n))]
        return np.array(found[:most], dtype=np.float64)
    k = np.arange(most, dtype=np.float64)
    if rule == "odd":
        return 1.0 + 2.0 * k
    if rule == "even":
        return np.where(k == 0, 1.0, 2.0 * k)
    return 1.0 + k * (every if rule == "every" else 1)


def joined_rules(
    rules: Sequence[Floats], moved_by: Sequence[int], most: int
) -> tuple[Floats, Floats, NDArray[np.int64]]:
    """The partials of rules as one row, rising as they rest.

    Parameters
    ----------
    rules
        Each rule's partial numbers, rising.
    moved_by
        What moves each rule's numbers. A number that moves is not joined with one that does not.

    Returns
    -------
    numbers
        Partial numbers ``[partials]``, at most `most`.
    ranks
        Each number's rank in each rule ``[rules, partials]``; infinite where it has none.
    movers
        What moves each number ``[partials]``.
    """
    # However far apart counted partials lie, the first is the note.
    keys = [
        [(n, FIXED if by == COUNTED and n == 1.0 else by) for n in rule.tolist()]
        for rule, by in zip(rules, moved_by, strict=True)
    ]
    # Where no rule has any, one partial stands for all, and has no rank: it is silent.
    joined = sorted({key for rule in keys for key in rule})[:most] or [(1.0, FIXED)]
    ranks = np.full((len(rules), len(joined)), np.inf)
    for row, rule in enumerate(keys):
        rank = {key: i for i, key in enumerate(rule)}
        for i, key in enumerate(joined):
            ranks[row, i] = rank.get(key, np.inf)
    numbers, movers = zip(*joined, strict=True)
    return np.array(numbers), ranks, np.array(movers)


def moved_numbers(
    numbers: Floats,
    movers: NDArray[np.int64],
    rests: float,
    every: Floats,
    lists: tuple[Floats, Floats],
    glide: Floats,
) -> Floats:
    """Partial numbers at several moments ``[moments, partials]``.

    Parameters
    ----------
    numbers, movers
        See `joined_rules`.
    rests, every
        *Every* as it rests, and at each moment ``[moments]``.
    lists
        The own list, rising, and where each of its numbers glides to.
    glide
        How far, from 0 to 1 ``[moments]``: evenly in octaves.
    """
    found = np.repeat(numbers[None], len(every), axis=0)
    counted, listed = movers == COUNTED, movers == LISTED
    found[:, counted] = 1.0 + np.round((numbers[counted] - 1.0) / rests) * every[:, None]
    first = lists[0][np.searchsorted(lists[0], numbers[listed])]
    octaves = np.log2(lists[1][np.searchsorted(lists[0], numbers[listed])] / first)
    found[:, listed] = first * np.exp2(octaves * glide[:, None])
    return found


# The places of moved values in a row given to `shape`.
(
    COUNT,
    MORPH,
    THIRD,
    TILT,
    BAND,
    BAND_CENTRE,
    BAND_WIDTH,
    STRETCH,
    STIFFNESS,
    STIFFNESS_BY,
    SCATTER,
    BUNDLE_SPREAD,
    RIPPLE,
    RIPPLE_LENGTH,
    RIPPLE_AT,
    ENDLESS_AT,
    WIDTH,
    TURN_AT,
    HERTZ,
) = range(19)
VALUES = 19


@device
def _place(
    kind: int, slot: int, before: float, sounding: float, turn: float, seed: np.uint64
) -> float:
    """Where a partial is heard, -1 to 1; `kind` is the rule's place in `PLACES`.

    Of all that are `sounding` so many are `before` it: as one more fades in, the fan opens.
    """
    if kind == 1:
        # Which side the lowest is on is the note's own.
        return -1.0 if (np.uint64(slot) + (mix(seed) >> np.uint64(40))) % np.uint64(2) else 1.0
    if kind == 2:
        wide = sounding - 1.0
        return float(min(max((2.0 * before - wide) / max(wide, 1.0), -1.0), 1.0))
    if kind == 3:
        return signed(combine(seed, 4), slot)
    if kind == 4:
        # By the golden ratio no two neighbours are at the same place.
        return math.sin(2.0 * math.pi * (turn + 0.6180339887498949 * slot))
    return 0.0


@device
def _opened(values: np.ndarray, ranks: np.ndarray) -> float:
    """How far a partial with these `ranks` in the rules ``[3]`` sounds, 0 to 1."""
    morph, third = values[MORPH] / 100.0, values[THIRD] / 100.0
    first = min(max(values[COUNT] - ranks[0], 0.0), 1.0) * (1.0 - morph)
    second = min(max(values[COUNT] - ranks[1], 0.0), 1.0) * morph
    of_third = min(max(values[COUNT] - ranks[2], 0.0), 1.0)
    return float((first + second) * (1.0 - third) + of_third * third)


@device
def _below_limit(step: float) -> float:
    """How far a partial of so many cycles per sample is below where all fall silent, 0 to 1."""
    return float(min(max((HIGHEST - step) / (HIGHEST - FADES), 0.0), 1.0))


@device
def _bell(place: float) -> float:
    """The weight of a partial on its way round an endless glide, at `place` octaves of it."""
    if place < EDGE or place > WRAP - EDGE:
        return 0.0
    return 0.5 - 0.5 * math.cos(2.0 * math.pi * (place - EDGE) / (WRAP - 2.0 * EDGE))


@device(allocates=True)
def _chances(numbers: np.ndarray, seed: np.uint64) -> np.ndarray:
    """What chance makes of each partial ``[partials]``, in [-1, 1): by its number alone."""
    found = np.empty(len(numbers))
    own = combine(seed, 1)
    for i in range(len(numbers)):
        found[i] = signed(own, round(64.0 * numbers[i]))
    return found


@device
def _stiffness(values: np.ndarray) -> float:
    """B of a stiff string (Fletcher & Rossing): ``f_n = n f0 sqrt(1 + B n²)``."""
    if values[STIFFNESS] <= 0.0:
        return 0.0
    return float(min(values[STIFFNESS] * np.exp2(values[STIFFNESS_BY]), STIFFEST) * 1e-6)


@device(fastmath=CONTRACT)
def _multiples(
    values: np.ndarray,
    numbers: np.ndarray,
    octaves: np.ndarray,
    chances: np.ndarray,
    found: np.ndarray,
) -> None:
    """How many times the note's frequency each partial has, at one moment ``[partials]``.

    Parameters
    ----------
    octaves
        The partials' numbers as octaves above the first.
    chances
        See `_chances`.
    """
    stretch, scatter = 1.0 + values[STRETCH] / 1200.0, values[SCATTER] / 1200.0
    if stretch == 1.0 and scatter == 0.0:
        for i in range(len(numbers)):
            found[i] = numbers[i]
    else:
        for i in range(len(numbers)):
            found[i] = exp2_fine(stretch * octaves[i] + scatter * chances[i])
    stiff = _stiffness(values)
    if stiff > 0.0:
        # The first partial is kept on the note.
        for i in range(len(numbers)):
            found[i] *= math.sqrt((1.0 + stiff * numbers[i] * numbers[i]) / (1.0 + stiff))


@device(fastmath=CONTRACT)
def _carried_on(octaves: np.ndarray, travelled: float, found: np.ndarray) -> None:
    """Multiples of partials ``[partials]`` that an endless glide has carried on, in octaves."""
    for i in range(len(octaves)):
        distance = octaves[i] + 1.0 + travelled
        found[i] = exp2_fine(distance - WRAP * math.floor(distance / WRAP) - 1.0)


@device(allocates=True)
def _leans(count: int, bundle: int, seed: np.uint64) -> np.ndarray:
    """How far each of the bundles' sines ``[count]`` leans away from its partial, about -1 to 1."""
    found = np.zeros(count)
    if bundle > 1:
        own = combine(seed, 2)
        for at in range(count):
            found[at] = 2.0 * (at % bundle) / (bundle - 1) - 1.0 + 0.5 / bundle * signed(own, at)
    return found


@kernel("f8[:, ::1], f8[::1], f8[:, ::1], i8, b1, u8, f8[:, ::1], f8[:, ::1]", allocates=True)
def ratios(
    values: np.ndarray,
    resting: np.ndarray,
    numbers: np.ndarray,
    bundle: int,
    endless: bool,
    seed: np.uint64,
    base: np.ndarray,
    ratio: np.ndarray,
) -> None:
    """Multiples of the note's frequency at several moments.

    What did not change from one moment to the next is not computed again.

    Parameters
    ----------
    values
        ``[moments, VALUES]``, see `shape`.
    resting, numbers
        Partial numbers as they rest ``[partials]``, by which chance knows them, and as they are
        ``[moments, partials]``, or ``[1, partials]`` where they do not move.
    seed
        What differs by the source.
    base, ratio
        Receive the multiples of partials ``[moments, partials]``, and those of the sines that
        each consists of ``[moments, partials * bundle]``.
    """
    chances, places = _chances(resting, seed), np.log2(numbers[0])
    octaves, leans = np.empty(len(resting)), _leans(ratio.shape[1], bundle, seed)
    apart = np.ones(ratio.shape[1])
    for m in range(values.shape[0]):
        here, before = values[m], values[max(0, m - 1)]
        row = numbers[m if numbers.shape[0] > 1 else 0]
        stays = m > 0 and (numbers.shape[0] == 1 or are_equal(row, numbers[m - 1]))
        if not stays and m > 0:
            for i in range(len(row)):
                places[i] = math.log2(row[i])
        same = (
            stays
            and here[STRETCH] == before[STRETCH]
            and here[STIFFNESS] == before[STIFFNESS]
            and here[STIFFNESS_BY] == before[STIFFNESS_BY]
            and here[SCATTER] == before[SCATTER]
        )
        same_bundle = same and here[BUNDLE_SPREAD] == before[BUNDLE_SPREAD]
        if same_bundle and (not endless or here[ENDLESS_AT] == before[ENDLESS_AT]):
            base[m], ratio[m] = base[m - 1], ratio[m - 1]
            continue
        if bundle > 1 and not (m > 0 and here[BUNDLE_SPREAD] == before[BUNDLE_SPREAD]):
            for at in range(len(leans)):
                apart[at] = exp2_fine(here[BUNDLE_SPREAD] * leans[at] / 1200.0)
        if endless:
            if not same:
                _multiples(here, row, places, chances, octaves)
                for i in range(len(row)):
                    octaves[i] = math.log2(octaves[i])
            _carried_on(octaves, here[ENDLESS_AT], base[m])
        elif same:
            base[m] = base[m - 1]
        else:
            _multiples(here, row, places, chances, base[m])
        for i in range(len(row)):
            for at in range(i * bundle, (i + 1) * bundle):
                ratio[m, at] = base[m, i] * apart[at]


@device
def shape(
    values: np.ndarray,
    numbers: np.ndarray,
    ranks: np.ndarray,
    base: np.ndarray,
    ratio: np.ndarray,
    place: int,
    endless: bool,
    rate: int,
    voice_seed: np.uint64,
    level: np.ndarray,
    pan: np.ndarray,
) -> None:
    """Pyramid and places of the partials at one moment.

    Parameters
    ----------
    values
        The parameters' values ``[VALUES]``, in the units of the catalogue; the ripple's, the
        endless glide's and the turning's places in cycles, octaves and cycles; the note in Hz.
    numbers, ranks
        See `joined_rules`.
    base, ratio
        Multiples of the note's frequency ``[partials]`` and ``[partials * bundle]``, see `ratios`.
    voice_seed
        What differs by the note.
    level, pan
        Receive amplitudes that add up to a root mean square of 1, and places in [-1, 1],
        ``[partials * bundle]``.
    """
    hertz = values[HERTZ]
    bundle = len(ratio) // len(base)
    exponent = values[TILT] / 6.020599913279624
    band = values[BAND] / 100.0
    width = values[WIDTH] / 100.0
    reach = max(values[BAND_WIDTH], 0.01) / 2.0
    power = 0.0
    heard = 0.0
    left = 0.0
    before = 0.0
    sounding = 0.0
    if place == 2:
        for i in range(len(numbers)):
            sounding += _opened(values, ranks[:, i]) * _below_limit(base[i] * hertz / rate)
    for i in range(len(numbers)):
        n = numbers[i]
        weight = _opened(values, ranks[:, i])
        bell = _bell(math.log2(base[i]) + 1.0) if endless else 1.0
        plain = weight * bell * base[i] ** exponent
        shaped = plain
        if band > 0.0 and plain > 0.0:
            away = math.log2(base[i] * hertz / values[BAND_CENTRE]) / reach
            shaped *= 1.0 - band + band * math.exp(-0.5 * away * away)
        if values[RIPPLE] > 0.0:
            wave = math.cos(2.0 * math.pi * (n / values[RIPPLE_LENGTH] - values[RIPPLE_AT]))
            shaped *= 10.0 ** (values[RIPPLE] * (wave - 1.0) / 40.0)
        for k in range(bundle):
            at = i * bundle + k
            # Fade out below half the sample rate instead of folding back.
            room = _below_limit(ratio[at] * hertz / rate)
            if shaped > 0.0:
                left = max(left, room)
            level[at] = shaped * room / math.sqrt(bundle)
            pan[at] = width * _place(place, at, before, sounding, values[TURN_AT], voice_seed)
            power += 0.5 * level[at] * level[at]
        heard += 0.5 * plain * plain
        if place == 2:
            before += weight * _below_limit(base[i] * hertz / rate)
    opened = min(values[COUNT], 1.0)
    scale = 0.0
    if power > 0.0:
        # Where the lowest that sounds fades, all do.
        scale = opened * left * min(1.0 / math.sqrt(power), BOOST / math.sqrt(max(heard, 1e-30)))
    for at in range(len(numbers) * bundle):
        level[at] *= scale


@kernel("f8, u8, f8[::1]")
def start_phases(scatter: float, seed: np.uint64, phase: np.ndarray) -> None:
    """The phases ``[partials]`` with which partials begin, from all together to anywhere."""
    for p in range(len(phase)):
        phase[p] = scatter * unit(combine(seed, 3), p)
