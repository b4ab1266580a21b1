"""Compile every kernel ahead of its use, and load what a process needs before it is asked for."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from pkgutil import walk_packages
from typing import Any

import caligo
from caligo.catalogue import catalogue
from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.document.limits import MOST_EFFECTS, MOST_FILTERS
from caligo.document.sound import Sound
from caligo.engine.listening.live import Listening
from caligo.engine.precompile.first_kernels import FIRST_KERNELS
from caligo.engine.views.long_view import fine
from caligo.engine.views.pictures import close_up, picture
from caligo.engine.views.trajectories import trajectories
from caligo.kernels.cache import directory, has, prune
from caligo.kernels.compilation import compile_kernels, compile_missing, missing

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
Document = dict[str, Any]


def everything() -> Sound:
    """A sound that holds every module of the catalogue once, with something moving in it."""
    modules = catalogue()

    def named(family: str) -> list[Document]:
        return [{"id": f"{family}_{m.kind}", "kind": m.kind} for m in modules if m.family == family]

    effects, filters, movers = named("effect"), named("filter"), named("modulator")
    layers = [
        {
            "id": f"layer{i}",
            "name": f"Layer {i}",
            "source": {"id": "source", "kind": source["kind"]},
            "filters": filters[:MOST_FILTERS],
            "params": MODULATED if i == 1 else {},
            "sends": [{"id": "send", "bus": "nave"}],
        }
        for i, source in enumerate((named("source") * 2)[: max(2, len(named("source")))])
    ]
    return read_sound(
        {
            "name": "Everything",
            "layers": layers,
            "buses": [{"id": "nave", "name": "Nave", "effects": effects[:MOST_EFFECTS]}],
            "modulators": [m | {"name": m["kind"], "scope": "note"} for m in movers],
            "routes": [
                {
                    "id": f"r{i}",
                    "from": m["id"],
                    "to": f"layer0.{'source.level' if i else filters[0]['id'] + '.cutoff'}",
                    "depth": 0.5,
                    "scaled_by": m["id"],
                    "curve": 10,
                }
                for i, m in enumerate(movers)
            ],
            "lanes": [
                {
                    "id": f"lane{i}",
                    "to": to,
                    "points": [
                        {"time": 0.0, "value": value, "bend": 0.2},
                        {"time": 1.0, "value": 2.0 * value},
                    ],
                }
                for i, (to, value) in enumerate((("sound.pace", 50.0), ("layer0.level", -9.0)))
            ],
        }
    )


def import_all() -> None:
    """Import every module of the core, so that all kernels are declared."""
    for module in walk_packages(caligo.__path__, "caligo."):
        if not module.name.endswith("__main__"):
            import_module(module.name)


def warm(
    progress: Callable[[int, int], None] = lambda done, total: None, *, first_only: bool = False
) -> None:
    """Compile every kernel that is not in the cache, those of a first sound before others.

    Parameters
    ----------
    progress : callable, optional
        Receives how many are compiled, and of how many.
    first_only : bool, optional
        Whether to leave the others for later.

    Raises
    ------
    OSError
        Some could not be kept.
    """
    import_all()
    first = [kernel for kernel in missing() if kernel.name in FIRST_KERNELS]
    rest = [kernel for kernel in missing() if kernel.name not in FIRST_KERNELS]
    total = len(first) + len(rest)
    for done, _ in enumerate(compile_missing(first), start=1):
        progress(done, total)
    if not first_only:
        # Forked now, they know the device functions that most kernels share.
        compile_kernels(rest, lambda done: progress(len(first) + done, total))
        prune()
    if not all(has(kernel.key) for kernel in (first if first_only else first + rest)):
        raise OSError(f"some kernels could not be kept in {directory()}; the log above says why")


def warm_drawing() -> None:
    """Load from disk what drawing needs."""
    sound, score = everything(), held_chord("C2 G2", 30.0)
    trajectories(sound, score, 20)
    next(fine(sound, score))
    for layer in sound.layers:
        picture(sound, score, layer)
        close_up(sound, score, layer, 1.0, 1.2)


def warm_listening() -> None:
    """Load from disk what listening needs, so that the first time is as quick as the second."""
    sound = everything()
    listening = Listening(sound, held_chord("C2 G2", 2.0), start=1.0, most_preroll=0.1)
    listening.press(60)
    listening.block()
    listening.edit(sound)
    listening.block()
    changed = sound.model_copy(deep=True)
    changed.layers[0].params["level"] = -20.0
    changed.layers[0].filters[0].bypass = True
    listening.edit(changed)
    listening.block()
    listening.panic()
    listening.block()
