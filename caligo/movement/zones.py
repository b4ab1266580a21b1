"""Which keys and velocities a layer or source plays, and how much of them."""

from __future__ import annotations

from caligo.document.sound import Part


def _fade(value: float, low: float, high: float, width: float) -> float:
    """1 inside the range, 0 outside, and a line across `width` at borders that do not end it."""
    if not low <= value <= high:
        return 0.0
    gain = 1.0
    if width > 0:
        if low > 0:
            gain = min(gain, (value - low + 1) / (width + 1))
        if high < 127:
            gain = min(gain, (high - value + 1) / (width + 1))
    return gain


def zone_gain(part: Part, note: int, midi_velocity: int) -> float:
    """How much of a note a layer or source plays, by its key and velocity range."""
    key = _fade(note, part.number("key_low"), part.number("key_high"), part.number("key_fade"))
    velocity = _fade(
        midi_velocity,
        part.number("velocity_low"),
        part.number("velocity_high"),
        part.number("velocity_fade"),
    )
    return key * velocity
