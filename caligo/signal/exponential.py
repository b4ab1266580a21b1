"""Powers of two, logarithms and sines in loops, made so that they become vector instructions."""

from __future__ import annotations

import math

from caligo.kernels import CONTRACT, Instruction, device

LN2 = math.log(2.0)
# Taylor's series of 2**x around 0.
C2, C3, C4, C5 = LN2**2 / 2, LN2**3 / 6, LN2**4 / 24, LN2**5 / 120
C6, C7, C8, C9 = LN2**6 / 720, LN2**7 / 5040, LN2**8 / 40320, LN2**9 / 362880
ROOT = math.sqrt(2.0)
# log2 x = 2 / ln 2 * artanh((x - 1) / (x + 1)), by the series of the inverse hyperbolic tangent.
A1, A3, A5, A7 = 2.0 / LN2, 2.0 / (3.0 * LN2), 2.0 / (5.0 * LN2), 2.0 / (7.0 * LN2)
A9, A11, A13 = 2.0 / (9.0 * LN2), 2.0 / (11.0 * LN2), 2.0 / (13.0 * LN2)
# A double of IEEE 754: eleven bits of exponent over 52 of the fraction.
FRACTION_BITS, BIAS = 52, 1023
FRACTION, ONE = (1 << FRACTION_BITS) - 1, BIAS << FRACTION_BITS
# A number added to one this large is rounded to a whole one, which stands in its last bits.
WHOLES = 1.5 * 2.0**FRACTION_BITS
# Whole numbers below 2**52 are the last bits of a double of this exponent.
COUNTING, UNCOUNTED = (BIAS + FRACTION_BITS) << FRACTION_BITS, 2.0**FRACTION_BITS
LARGEST = 1000.0
# Taylor's series of the sine of a turn.
TURN = 2.0 * math.pi
S1, S3, S5, S7 = TURN, -(TURN**3) / 6, TURN**5 / 120, -(TURN**7) / 5040
S9, S11 = TURN**9 / 362880, -(TURN**11) / 39916800
S13, S15 = TURN**13 / 6227020800, -(TURN**15) / 1307674368000


@device(fastmath=CONTRACT, inline="always")
def exp2_near(x: float) -> float:
    """``2**x`` for x within an eighth of an octave of 0, exact to a double's last digit or two.

    Nothing but products and sums, so that a loop over it becomes vector instructions.

    Examples
    --------
    >>> abs(exp2_near.called(100 / 1200) / 2 ** (100 / 1200) - 1) < 4e-16
    True
    """
    high = C5 + x * (C6 + x * (C7 + x * (C8 + x * C9)))
    return 1.0 + x * (LN2 + x * (C2 + x * (C3 + x * (C4 + x * high))))


_bits_of = Instruction("caligo.signal.bit_instructions", "bits_of")
_number_of = Instruction("caligo.signal.bit_instructions", "number_of")


@device(fastmath=CONTRACT)
def log2(x: float) -> float:
    """The logarithm to the base of two of a positive double, exact to 1e-11.

    Like all here made of steps that become vector instructions in a loop.

    Examples
    --------
    >>> round(log2.called(10.0), 7)
    3.3219281
    """
    bits = _bits_of(x)
    exponent = _number_of((bits >> FRACTION_BITS) | COUNTING) - (UNCOUNTED + BIAS)
    fraction = _number_of((bits & FRACTION) | ONE)
    s = (fraction - ROOT) / (fraction + ROOT)
    q = s * s
    high = A7 + q * (A9 + q * (A11 + q * A13))
    found: float = exponent + 0.5 + s * (A1 + q * (A3 + q * (A5 + q * high)))
    return found


@device(fastmath=CONTRACT)
def exp2(x: float) -> float:
    """Two to the power of a double within `LARGEST` of 0, exact to 1e-11.

    Examples
    --------
    >>> exp2.called(-3.0), round(exp2.called(0.5), 9)
    (0.125, 1.414213562)
    """
    held = min(max(x, -LARGEST), LARGEST)
    counted = held + WHOLES
    rest = held - (counted - WHOLES)
    power: float = _number_of((_bits_of(counted) + BIAS) << FRACTION_BITS)
    return power * exp2_near(rest)


@device(fastmath=CONTRACT)
def exp2_fine(x: float) -> float:
    """Like `exp2`, exact to 1e-15: for frequencies, whose errors add up to phases over minutes.

    Examples
    --------
    >>> abs(exp2_fine.called(7.3) / 2.0**7.3 - 1.0) < 1e-15
    True
    """
    held = min(max(x, -LARGEST), LARGEST)
    counted = held + WHOLES
    rest = held - (counted - WHOLES)
    power: float = _number_of((_bits_of(counted) + BIAS) << FRACTION_BITS)
    fourth = exp2_near(0.25 * rest)
    squared = fourth * fourth
    return power * (squared * squared)


@device(inline="always")
def sine_of_turns(x: float) -> float:
    """``sin(2 pi x)``, exact to 1e-11 and never beyond 1.

    Examples
    --------
    >>> abs(sine_of_turns.called(2.2) - math.sin(0.4 * math.pi)) < 1e-11
    True
    """
    t = x - math.floor(x + 0.5)
    a = min(abs(t), 0.5 - abs(t))
    q = a * a
    high = S7 + q * (S9 + q * (S11 + q * (S13 + q * S15)))
    return math.copysign(a * (S1 + q * (S3 + q * (S5 + q * high))), t)
