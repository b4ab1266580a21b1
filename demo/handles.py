"""Macros and drawn lanes of the demo sounds: what each sound is played with."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import wraps

from demo.build import Document

Turn = tuple[str, float]
"""An address, and how far the macro moves it on the whole, in the unit of its routes."""


@dataclass(frozen=True, slots=True)
class Handle:
    """A macro.

    Parameters
    ----------
    middle
        Whether it rests in its middle and goes both ways from there; else it begins at nothing.
    """

    id: str
    name: str
    about: str
    turns: tuple[Turn, ...]
    middle: bool = False


@dataclass(frozen=True, slots=True)
class Drawn:
    """A lane: an address, and its points in seconds, value and bend."""

    to: str
    points: tuple[tuple[float, float, float], ...]


def _light(*turns: Turn) -> Handle:
    return Handle("light", "Light", "From a shut dome to an open sky.", turns, middle=True)


def _room(*turns: Turn) -> Handle:
    return Handle("room", "Room", "How far away it stands.", turns)


HANDLES: dict[str, tuple[tuple[Handle, ...], tuple[Drawn, ...]]] = {
    "Dome Air": (
        (
            _light(("ground.filter1.cutoff", 1.6), ("nave.reverb.damping", 0.8)),
            _room(("ground.to_nave.level", 9.0), ("ground.level", -5.0)),
            Handle("drift", "Drift", "How restless the air is.",
                   (("ground.source.detune", 14.0), ("ground.drift", 12.0))),
        ),
        (Drawn("ground.to_nave.level", ((0, -14, 0), (62, -13, 0), (102, -7, 40), (224, -9, 0))),),
    ),
    "Gelatin Choir": (
        (
            _light(("low.filter1.cutoff", 1.2), ("high.filter2.cutoff", 1.0)),
            _room(("low.to_nave.level", 8.0), ("middle.to_nave.level", 8.0)),
        ),
        (Drawn("high.level", ((0, -20, 0), (80, -14, 30), (92, -6, 0), (180, -7, 0),
                              (256, -16, 0))),),
    ),
    "Plate Glass": (
        (
            _light(("glass.filter1.cutoff", 1.4), ("splinters.filter1.cutoff", 0.8)),
            Handle("shards", "Shards", "More and louder splinters.", (("splinters.level", 8.0),)),
        ),
        (),
    ),
    "Snowblind": (
        (
            _light(("white.filter1.cutoff", 1.5), ("under.filter1.cutoff", 1.0)),
            Handle("flurry", "Flurry", "From still air to driving snow.",
                   (("crystals.level", 6.0), ("crystals.filter1.cutoff", -0.8))),
        ),
        (Drawn("flurry.value", ((0, 0, 0), (62, 5, -30), (140, 70, 0), (150, 25, 40),
                                (286, 10, 0))),),
    ),
    "Slit Wind": (
        (
            Handle("gale", "Gale", "How hard it blows.",
                   (("gale.level", 8.0), ("gale.filter1.cutoff", 1.2), ("whistle.level", 6.0))),
            _room(("gale.to_nave.level", 8.0), ("drops.to_nave.level", 8.0)),
        ),
        (),
    ),
    "Polar Axis": (
        (
            _light(("climb.filter1.cutoff", 1.5), ("bell.level", 5.0)),
            _room(("climb.to_nave.level", 8.0), ("climb.level", -4.0)),
        ),
        (),
    ),
    "Tracking Motor": (
        (
            Handle("load", "Load", "How hard the motor works.",
                   (("drive.filter1.cutoff", 1.4), ("gear.level", 5.0))),
            _room(("drive.to_nave.level", 10.0), ("pawl.to_nave.level", 8.0)),
        ),
        (Drawn("load.value", ((0, 0, 0), (25, 10, 0), (96, 55, 50), (104, 15, 0),
                              (198, 45, 0))),),
    ),
    "Lamp Hum": (
        (
            Handle("glow", "Glow", "From a cold to a hot lamp.",
                   (("glow.filter1.cutoff", 1.3), ("coil.filter1.cutoff", 0.8))),
            Handle("sparks", "Sparks", "How much the embers crackle.", (("embers.level", 8.0),)),
        ),
        (),
    ),
    "Cold Storage": (
        (
            Handle("door", "Door", "From behind the door into the room.",
                   (("hum.filter2.cutoff", 1.6), ("vault.filter1.cutoff", 1.4))),
            _room(("hum.to_nave.level", 8.0), ("vault.to_nave.level", 6.0)),
        ),
        (),
    ),
    "Darkroom": (
        (
            _light(("tray.filter1.damping", 1.4), ("fluid.filter1.cutoff", 0.9)),
            Handle("tap", "Tap", "How fast it drips.", (("drops.source.dust_rate", 1.8),)),
            _room(("drops.to_pipes.level", 9.0), ("tray.to_pipes.level", 9.0)),
        ),
        (Drawn("tray.level", ((0, -20, 0), (44, -19, 30), (96, -11, 0), (256, -14, 0))),),
    ),
    "Meridian": (
        (
            _light(("arc.filter1.cutoff", 1.8), ("circle.filter1.cutoff", 1.0)),
            Handle("grit", "Grit", "How hard tape and ladder are driven.",
                   (("arc.filter1.drive", 14.0), ("arc.tape.drive", 9.0))),
            _room(("arc.to_nave.level", 8.0), ("circle.to_nave.level", 6.0)),
        ),
        (),
    ),
    "Night Watch": (
        (
            _light(("watch.filter2.cutoff", 1.4), ("breath.filter2.cutoff", 1.0)),
            Handle("mouth", "Mouth", "From a closed to an open mouth.",
                   (("watch.filter1.width", 1.0), ("watch.filter1.vowel", -1.0))),
            _room(("watch.to_nave.level", 8.0), ("watch.to_wind.level", 8.0)),
        ),
        (),
    ),
    "Radio Room": (
        (
            Handle("signal", "Signal", "From static to a clear carrier.",
                   (("static.level", -10.0), ("carrier.level", 5.0))),
            Handle("weather", "Weather", "How broken it comes through.",
                   (("static.steps.mix", 50.0), ("carrier.fold.drive", 8.0))),
        ),
        (Drawn("signal.value", ((0, 10, 0), (25, 20, 0), (98, 70, 40), (112, 15, 0),
                                (198, 55, 0))),),
    ),
}  # fmt: skip
"""Macros and lanes by the sound's name."""


def handled(make: Callable[[], Document]) -> Callable[[], Document]:
    """A maker of a sound that has its macros and lanes."""

    @wraps(make)
    def made() -> Document:
        sound = make()
        handles, lanes = HANDLES.get(sound["name"], ((), ()))
        taken = {m["id"] for m in sound["modulators"]} | {x["id"] for x in sound["layers"]}
        names = {h.id: h.id if h.id not in taken else f"{h.id}_macro" for h in handles}
        sound["modulators"] += [_macro(handle, names[handle.id]) for handle in handles]
        sound["routes"] += [
            {
                "id": f"h{i}",
                "from": names[handle.id],
                "to": to,
                "depth": depth,
                "polarity": "bipolar" if handle.middle else "unipolar",
            }
            for i, (handle, (to, depth)) in enumerate(
                ((handle, turn) for handle in handles for turn in handle.turns), start=1
            )
        ]
        sound["lanes"] = [
            {
                "id": f"lane{i}",
                "to": _renamed(lane.to, names),
                "points": [{"time": t, "value": v, "bend": b} for t, v, b in lane.points],
            }
            for i, lane in enumerate(lanes, start=1)
        ]
        return sound

    return made


def _renamed(address: str, names: dict[str, str]) -> str:
    owner, _, key = address.partition(".")
    return f"{names[owner]}.{key}" if key == "value" else address


def _macro(handle: Handle, id: str) -> Document:
    return {
        "id": id,
        "name": handle.name,
        "kind": "macro",
        "about": handle.about,
        "params": {"value": 50 if handle.middle else 0},
    }
