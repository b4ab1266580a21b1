"""Powers of two in inner loops."""

from __future__ import annotations

import math

from numba import njit

LN2 = math.log(2.0)
# Taylor's series of 2**x around 0.
C2, C3, C4, C5 = LN2**2 / 2, LN2**3 / 6, LN2**4 / 24, LN2**5 / 120
C6, C7, C8, C9 = LN2**6 / 720, LN2**7 / 5040, LN2**8 / 40320, LN2**9 / 362880


@njit(cache=True, nogil=True, inline="always")
def exp2_near(x: float) -> float:
    """``2**x`` for x within an eighth of an octave of 0, exact to a double's last digit or two.

    Nothing but products and sums, so that a loop over it becomes vector instructions.

    Examples
    --------
    >>> abs(exp2_near(100 / 1200) / 2 ** (100 / 1200) - 1) < 4e-16
    True
    """
    high = C5 + x * (C6 + x * (C7 + x * (C8 + x * C9)))
    return 1.0 + x * (LN2 + x * (C2 + x * (C3 + x * (C4 + x * high))))
