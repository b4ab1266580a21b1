"""The sounds of The Long Exposure."""

from __future__ import annotations

from demo.handles import handled
from demo.machines import cold_storage, lamp_hum, tracking_motor
from demo.nights import last_winter
from demo.pads import dome_air, gelatin_choir, plate_glass, polar_axis
from demo.weather import slit_wind, snowblind
from demo.workshops import darkroom, meridian, night_watch, radio_room

MAKERS = (
    dome_air, gelatin_choir, plate_glass, tracking_motor, snowblind, cold_storage, polar_axis,
    lamp_hum, slit_wind, last_winter, darkroom, meridian, night_watch, radio_room,
)  # fmt: skip
SOUNDS = tuple(handled(make) for make in MAKERS)
"""All demo sounds."""
