"""Figures of the sound, measured from outside: each a command that docs/figures.md lists."""
