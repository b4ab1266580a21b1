"""Imported by the process that workers are forked from: all that they need, loaded and warm."""

from __future__ import annotations

import contextlib

import studio.renders.rendering
import studio.stage.drawing  # noqa: F401
from caligo.engine.warm import warm_drawing

# What fails here fails again in the task that needs it, where somebody is told.
with contextlib.suppress(Exception):
    warm_drawing()
