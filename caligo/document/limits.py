"""How many of a thing a sound may have; the screen reads these from the catalogue."""

from __future__ import annotations

MOST_LAYERS = 8
MOST_SOURCES = 4
"""Sources of one layer."""
MOST_FILTERS = 4
MOST_EFFECTS = 8
"""Effects in one chain."""
MOST_BUSES = 4
MOST_MODULATORS = 32
MOST_ROUTES = 128
MOST_LANES = 32
MOST_POINTS = 512
"""Points of one lane."""
MOST_ROLLS = 24
"""Earlier seeds that a modulator keeps."""
DEEPEST_CHAIN = 3
"""Chains inside effects inside chains."""

LIMITS = {
    "layers": MOST_LAYERS,
    "sources": MOST_SOURCES,
    "filters": MOST_FILTERS,
    "effects": MOST_EFFECTS,
    "buses": MOST_BUSES,
    "modulators": MOST_MODULATORS,
    "routes": MOST_ROUTES,
    "lanes": MOST_LANES,
    "points": MOST_POINTS,
    "rolls": MOST_ROLLS,
    "sends": MOST_BUSES,
}
