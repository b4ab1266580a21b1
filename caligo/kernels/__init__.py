"""Kernels: functions that numba compiles, once for a machine and ahead of their use.

A *kernel* is called from Python and is declared with the types of its arguments; a *device
function* is called by kernels only, and takes whatever types they hand it. Both words are those of
GPU programming. An *instruction* is what only kernels call too, written in LLVM's code.
"""

from caligo.kernels.declare import CONTRACT, device, kernel
from caligo.kernels.instruction import Instruction
from caligo.kernels.signature import KernelTypeError, TupleType

__all__ = ["CONTRACT", "Instruction", "KernelTypeError", "TupleType", "device", "kernel"]
