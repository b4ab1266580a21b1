"""Instructions: functions of kernels that are written in LLVM's code."""

from __future__ import annotations

from functools import cached_property
from importlib import import_module
from typing import Any


class Instruction:
    """A function that kernels call, known by name until one of them is compiled.

    What teaches it to numba imports numba, and lies in a module of its own.

    Parameters
    ----------
    module, name : str
        Where one of numba's intrinsics is found.
    """

    modules: set[str] = set()
    """Modules that teach numba instructions, of all that have been declared."""

    def __init__(self, module: str, name: str) -> None:
        self.module, self.name = module, name
        self.modules.add(module)

    def __call__(self, *args: Any) -> Any:
        """Refuse: it has no machine code of its own."""
        raise TypeError(f"{self.name} is an instruction: only kernels call it")

    @cached_property
    def _numba_type_(self) -> Any:
        """What numba takes it for."""
        from numba.core.registry import cpu_target

        return cpu_target.typing_context.resolve_value_type(
            getattr(import_module(self.module), self.name)
        )
