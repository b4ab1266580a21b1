"""Lanes: trajectories of parameters that are drawn by hand over the cue."""

from __future__ import annotations

from caligo.catalogue import Kind, Moves
from caligo.document.addresses import Address, find_parameters, near_addresses
from caligo.document.problems import Problem
from caligo.document.score import LONGEST_SCORE
from caligo.document.sound import AutomationLane, Sound
from caligo.document.times import Time, time_range


def value_range(address: Address) -> tuple[float, float]:
    """The lowest and highest value that a parameter may have, in the unit that it is given in."""
    parameter = address.parameter
    value = address.part.params.get(parameter.key)
    if parameter.kind is not Kind.TIME or not isinstance(value, Time):
        return parameter.low, parameter.high
    return time_range(value.unit, parameter.low, parameter.high)


def _check(sound: Sound, lane: AutomationLane, address: Address | None) -> list[Problem]:
    at = f"lanes.{lane.id}"
    if address is None:
        near = near_addresses(sound, lane.target)
        return [Problem(f"{at}.to", "there is no such parameter", lane.target, near)]
    if address.parameter.moves is Moves.NO:
        return [Problem(f"{at}.to", f"{address.parameter.name} cannot be moved", lane.target)]
    late = next((p.time for p in lane.points if lane.unit == "s" and p.time > LONGEST_SCORE), None)
    if late is not None:
        allowed = f"0 to {LONGEST_SCORE:g} s"
        return [Problem(f"{at}.points", "no cue is as long as this", late, allowed)]
    low, high = value_range(address)
    wrong = next((p for p in lane.points if not low <= p.value <= high), None)
    if wrong is None:
        return []
    allowed = f"{low:g} to {high:g} {address.parameter.unit}".strip()
    return [Problem(f"{at}.points", "this value is not possible", wrong.value, allowed)]


def check_lanes(sound: Sound) -> list[Problem]:
    """Lanes whose parameter is not there or has two, and values out of range."""
    problems, targets = [], set()
    addresses = find_parameters(sound, (lane.target for lane in sound.lanes))
    for lane in sound.lanes:
        if lane.target in targets:
            problems.append(
                Problem(f"lanes.{lane.id}.to", "this parameter has a lane already", lane.target)
            )
        targets.add(lane.target)
        problems += _check(sound, lane, addresses[lane.target])
    return problems
