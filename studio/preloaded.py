"""Imported by the process that workers are forked from: all that they need, loaded and warm."""

from __future__ import annotations

import contextlib

from caligo.engine.precompile.precompile import import_all, warm_drawing
from caligo.kernels.compilation import load_kept, missing

import_all()
load_kept()
# Where kernels are missing, they are compiled by workers. What fails here fails again in the task
# that needs it, where somebody is notified.
if not missing():
    with contextlib.suppress(Exception):
        warm_drawing()
