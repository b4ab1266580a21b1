"""The ``caligo`` command, for people and for scripts."""

from caligo.command.main import main

__all__ = ["main"]
