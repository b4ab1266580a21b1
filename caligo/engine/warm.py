"""Compile every kernel once and keep the outcome on disk, so that nobody waits for it later."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from caligo.catalogue import catalogue
from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.document.sound import Sound
from caligo.engine.live import Listening
from caligo.engine.long_view import fine
from caligo.engine.offline import RenderRange, render_array, render_to_file
from caligo.engine.trajectories import trajectories
from caligo.measure.report import Reporter

MODULATED: dict[str, Any] = {
    "arrangement": "parallel",
    "drift": 5,
    "ring_by": "sine",
    "ring_amount": 50,
    "phase_by": "layer",
    "phase_layer": "layer0",
    "phase_depth": 30,
}
"""A layer that is modulated in both ways."""


def everything() -> Sound:
    """A sound that holds every module of the catalogue once, with something moving in it."""
    modules = catalogue()

    def named(family: str) -> list[dict[str, Any]]:
        return [{"id": f"{family}_{m.kind}", "kind": m.kind} for m in modules if m.family == family]

    effects, filters = named("effect"), named("filter")
    layers = [
        {
            "id": f"layer{i}",
            "name": f"Layer {i}",
            "source": {"id": "source", "kind": source["kind"]},
            "filters": filters[:2],
            "params": MODULATED if i == 1 else {},
            "sends": [{"id": "send", "bus": "nave"}],
        }
        for i, source in enumerate((named("source") * 2)[: max(2, len(named("source")))])
    ]
    return read_sound(
        {
            "name": "Everything",
            "layers": layers,
            "buses": [{"id": "nave", "name": "Nave", "effects": effects[:8]}],
            "modulators": [m | {"name": m["kind"], "scope": "note"} for m in named("modulator")],
            "routes": [
                {
                    "id": f"r{i}",
                    "from": m["id"],
                    "to": f"layer0.{target}",
                    "depth": 0.5,
                    "scaled_by": m["id"],
                    "curve": 10,
                }
                for i, m in enumerate(named("modulator"))
                for target in (["source.level"] if i else [f"{filters[0]['id']}.cutoff"])
            ],
        }
    )


def warm() -> None:
    """Run every kind of computation once."""
    sound, score = everything(), held_chord("C2 G2", 2.0)
    signal = render_array(sound, score)
    with tempfile.TemporaryDirectory() as folder:
        render_to_file(
            sound,
            score,
            Path(folder) / "warm.wav",
            sample_format="pcm16",
            span=RenderRange(1.0, 1.5),
        )
    reporter = Reporter(48_000)
    reporter.add(signal)
    reporter.finish()
    warm_drawing()
    warm_listening()


def warm_drawing() -> None:
    """Load from disk what drawing needs."""
    sound, score = everything(), held_chord("C2 G2", 30.0)
    trajectories(sound, score, 20)
    next(fine(sound, score))


def warm_listening() -> None:
    """Load from disk what listening needs, so that the first time is as quick as the second."""
    sound = everything()
    listening = Listening(sound, held_chord("C2 G2", 2.0), start=1.0, most_roll=0.1)
    listening.press(60)
    listening.block()
    listening.edit(sound)
    listening.block()
    listening.panic()
    listening.block()
