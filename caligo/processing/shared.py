"""Parameters that effects share: one value for all notes, moved by routes."""

from __future__ import annotations

from caligo.catalogue import Kind, Moves, Parameter, Scale


def percent(
    key: str,
    name: str,
    help: str,
    default: float,
    *,
    low: float = 0.0,
    high: float = 100.0,
    group: str = "",
) -> Parameter:
    """A fraction in per cent."""
    return Parameter(
        key, name, help, unit="%", low=low, high=high, default=default,
        moves=Moves.SHARED, group=group,
    )  # fmt: skip


def mix(help: str, default: float = 100.0) -> Parameter:
    """How much of the effect is heard."""
    return percent("mix", "Mix", help, default, group="Output")


def hertz(
    key: str,
    name: str,
    help: str,
    default: float,
    *,
    low: float = 20.0,
    high: float = 20_000.0,
    group: str = "",
) -> Parameter:
    """A frequency."""
    return Parameter(
        key, name, help, unit="Hz", low=low, high=high, default=default,
        scale=Scale.LOGARITHMIC, moves=Moves.SHARED, group=group,
    )  # fmt: skip


def level(
    key: str,
    name: str,
    help: str,
    default: float,
    *,
    low: float,
    high: float,
    group: str = "",
) -> Parameter:
    """A level, or a change of level, in decibels."""
    return Parameter(
        key, name, help, unit="dB", low=low, high=high, default=default,
        scale=Scale.DECIBEL, moves=Moves.SHARED, group=group,
    )  # fmt: skip


def milliseconds(
    key: str,
    name: str,
    help: str,
    default: float,
    *,
    low: float,
    high: float,
    logarithmic: bool = False,
    group: str = "",
) -> Parameter:
    """A short time."""
    return Parameter(
        key, name, help, unit="ms", low=low, high=high, default=default,
        scale=Scale.LOGARITHMIC if logarithmic else Scale.LINEAR,
        moves=Moves.SHARED, group=group,
    )  # fmt: skip


def period(help: str, default: float, *, low: float = 0.05, group: str = "Movement") -> Parameter:
    """The length of one cycle, in seconds or beats, up to ten minutes."""
    return Parameter(
        "period", "Period", help, unit="s", low=low, high=600.0, default=default,
        kind=Kind.TIME, scale=Scale.LOGARITHMIC, moves=Moves.SHARED, group=group,
    )  # fmt: skip
