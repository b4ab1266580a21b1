"""The amount over a chain of effects, as layers, buses and the master have it."""

from caligo.catalogue.parameter import Moves, Parameter


def amount_parameter(what: str) -> Parameter:
    """How much of a chain of effects is heard."""
    return Parameter(
        "amount",
        "Effects amount",
        f"How much of {what} is heard: 0 % is dry, 100 % the chain as it stands.",
        unit="%",
        high=100.0,
        default=100.0,
        moves=Moves.SHARED,
    )
