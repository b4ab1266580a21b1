"""Kernels: functions that numba compiles, once for a machine and ahead of their use.

A *kernel* is called from Python and is declared with the types of its arguments; a *device
function* is called by kernels only, and takes whatever types they hand it. Both words are those of
GPU programming.
"""

from caligo.kernels.compiled import KernelTypeError
from caligo.kernels.declare import CONTRACT, device, kernel, tuple_type

__all__ = ["CONTRACT", "KernelTypeError", "device", "kernel", "tuple_type"]
