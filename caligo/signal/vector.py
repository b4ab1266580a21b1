"""Eight numbers that go through one instruction: the channels of four voices, or eight delay lines.

A recursive filter waits for each sample's result before it can begin the next, so a compiler
cannot make vector instructions of its samples; of voices it can. A kernel that is written for
single numbers takes a vector of them as well: sums, differences, products and quotients work on
all eight at once, and each gets the same bits wherever it lies and whatever lies beside it.

There are vectors of 64-bit and of 32-bit floats; an array's dtype says which it holds.
"""

from __future__ import annotations

from caligo.kernels import Instruction

WIDTH = 8
"""Numbers in a vector: as many 64-bit floats as the widest instructions of today take."""


def _instruction(name: str) -> Instruction:
    return Instruction("caligo.signal.vector_instructions", name)


load = _instruction("load")
"""``load(rows, n)``: row `n` of ``[rows, WIDTH]``, floats without gaps."""
load_from = _instruction("load_from")
"""``load_from(numbers, n)``: eight floats of ``[numbers]``, without gaps, from number `n` on."""
store = _instruction("store")
"""``store(rows, n, vector)``: write row `n` of ``[rows, WIDTH]``."""
in_each = _instruction("in_each")
"""``in_each(number)``: a number eight times."""
load_channels, store_channels = _instruction("load_channels"), _instruction("store_channels")
"""``load_channels(signal, first, n, rows, row)``: eight samples from `n` on of four voices from
`first` on, of ``[voices, 2, samples]``. They go into eight rows of ``[rows, WIDTH]`` from
`row` on, the channels of a voice beside each other. ``store_channels(rows, row, signal, first, n)``
writes them back. Samples are 32-bit floats without gaps."""
load_lines, store_lines = _instruction("load_lines"), _instruction("store_lines")
"""The same of eight lines from `first` on, of ``[lines, samples]``."""
totals = _instruction("totals")
"""``totals(a, b, c, d, e, f, g, h)``: the sums of eight vectors, as one: of `a` first."""
