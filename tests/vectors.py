"""What the page computes as the core does, as numbers that both are tested against.

python -m tests.vectors     writes tests/vectors.json anew, by the core
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from caligo.document import read_score, read_sound
from caligo.document.pitch import note_name
from caligo.document.reseeding import with_roll
from caligo.document.tempo import TempoMap
from caligo.engine.layers.voicing import Voicing
from caligo.engine.views.trajectories import trajectories
from caligo.formats.audio import SAMPLE_FORMATS
from caligo.movement.curvature import curved
from caligo.movement.envelope import envelope_values
from caligo.movement.movement import Movement
from tests.core.builders import layer_of, one_note

FILE = Path(__file__).with_suffix(".json")
LANE = [
    {"time": 1.0, "value": 200.0, "bend": 60.0},
    {"time": 2.5, "value": 8_000.0, "bend": -35.0},
    {"time": 2.5, "value": 90.0, "bend": 0.0},
    {"time": 4.0, "value": 1_500.0, "bend": 0.0},
]
TEMPO = [{"time": 0.0, "bpm": 90.0}, {"time": 3.0, "bpm": 141.0}, {"time": 7.5, "bpm": 60.0}]


def _curvatures() -> list[list[float]]:
    return [
        [x, c, curved(x, c)]
        for c in (-6.0, -1.3, -1e-9, 0.0, 0.7, 4.0, 6.0)
        for x in (-0.5, 0.0, 0.1, 0.5, 0.93, 1.0, 2.0)
    ]


def _lane() -> dict[str, Any]:
    """A cutoff, in octaves, and a level's points divided by a thousand, in decibels."""
    times = np.array([0.0, 1.0, 1.3, 2.0, 2.499, 2.5, 3.1, 4.0, 6.0])
    layer = layer_of("wavetable") | {"filters": [{"id": "f", "kind": "lowpass"}]}
    linear = [point | {"value": point["value"] / 1_000.0 - 9.0} for point in LANE]
    sound = read_sound(
        {
            "name": "A",
            "layers": [layer],
            "lanes": [
                {"id": "one", "to": "ground.f.cutoff", "points": LANE},
                {"id": "two", "to": "ground.level", "points": linear},
            ],
        }
    )
    score = one_note(60, 8.0)
    movement = Movement(sound, score)
    voicing = Voicing(sound, score.notes, movement.setting.tempo)
    moments = voicing.moments(times, voicing.all)

    def values(path: str) -> list[float]:
        found = movement.trajectory(path).values(moments)
        return np.broadcast_to(found, (1, len(times)))[0].tolist()

    return {
        "times": times.tolist(),
        "logarithmic": {"points": LANE, "values": values("ground.f.cutoff")},
        "linear": {"points": linear, "values": values("ground.level")},
    }


def _envelopes() -> list[dict[str, Any]]:
    found = []
    for hold, params in (
        (4.0, {"delay": 0.2, "attack": 0.7, "hold": 0.3, "decay": 1.1, "release": 1.5}),
        (1.0, {"delay": 0.0, "attack": 1.6, "hold": 0.0, "decay": 0.4, "release": 0.8}),
    ):
        for bends in ((0.0, 0.0, 0.0), (80.0, -45.0, 30.0)):
            times = np.linspace(0.0, hold + params["release"], 161)[:-1:8].copy()
            values = np.empty((1, len(times)))
            envelope_values(
                times,
                np.zeros(1),
                np.array([hold]),
                np.array([[seconds] for seconds in params.values()]),
                np.array([10.0 ** (-9.0 / 20.0)]),
                np.array([[bend / 100.0] for bend in bends]),
                False,
                values,
            )
            found.append(
                {
                    "hold": hold,
                    "params": {key: {"value": v, "unit": "s"} for key, v in params.items()}
                    | {"sustain": -9.0}
                    | dict(zip(("attack_bend", "decay_bend", "release_bend"), bends, strict=True)),
                    "times": times.tolist(),
                    "values": values[0].tolist(),
                }
            )
    return found


def _routes() -> list[dict[str, Any]]:
    """What a level does over time before and after a depth is dragged."""
    found = []
    for more in (
        {},
        {"polarity": "unipolar"},
        {"curve": 60.0},
        {"curve": -45.0, "polarity": "unipolar"},
        {"scaled_by": "slow"},
    ):

        def lines(depth: float, more: dict[str, Any] = more) -> Any:
            sound = read_sound(
                {
                    "name": "A",
                    "layers": [layer_of("noise") | {"params": {"level": -20.0}}],
                    "modulators": [
                        {"id": "m", "name": "M", "kind": "lfo",
                         "params": {"period": {"value": 3.0, "unit": "s"}}},
                        {"id": "slow", "name": "S", "kind": "lfo",
                         "params": {"period": {"value": 7.0, "unit": "s"}}},
                    ],
                    "routes": [more | {"id": "r", "from": "m", "to": "ground.level",
                                       "depth": depth}],
                }
            )  # fmt: skip
            return trajectories(sound, one_note(60, 8.0), 12)

        before, after = lines(4.0), lines(9.0)
        found.append(
            {
                "route": {"curve": 0.0, "polarity": "bipolar", "scaled_by": None} | more,
                "depths": [4.0, 9.0],
                "modulators": {k: v.middle.tolist() for k, v in before.modulators.items()},
                "two_sided": before.two_sided,
                "before": before.parameters["ground.level"].middle.tolist(),
                "after": after.parameters["ground.level"].middle.tolist(),
            }
        )
    return found


def _rolls() -> list[dict[str, Any]]:
    """Seeds kept among as many as there may be, of which some have names."""
    full = [{"seed": i, "name": ""} for i in range(4)]
    named = [roll | {"name": f"Take {roll['seed']}"} for roll in full]
    cases = [
        ([], 5),
        (full[:3], 2),
        (full[:3], 9),
        (full, 99),
        (full, 0),
        (named[:2] + full[2:], 99),
        (named[:-1] + full[-1:], 99),
        (named, 99),
    ]
    return [
        {"rolls": rolls, "seed": seed, "most": 4, "kept": with_roll(rolls, seed, 4)}
        for rolls, seed in cases
    ]


def vectors() -> dict[str, Any]:
    """All of them, as JSON."""
    tempo = TempoMap(read_score({"length": 12.0, "tempo": TEMPO, "notes": []}))
    seconds = [0.0, 0.5, 3.0, 5.25, 7.5, 11.0]
    return {
        "curvature": _curvatures(),
        "notes": [[key, note_name(key)] for key in range(128)],
        "lane": _lane(),
        "envelopes": _envelopes(),
        "routes": _routes(),
        "beats": {"tempo": TEMPO, "seconds": seconds, "beats": [tempo.beats(s) for s in seconds]},
        "rolls": _rolls(),
        "sample_formats": {k: [c.lower() for c in f.containers] for k, f in SAMPLE_FORMATS.items()},
    }


def main() -> None:
    """Write the file."""
    FILE.write_text(json.dumps(vectors(), indent=1, ensure_ascii=False) + "\n")


if __name__ == "__main__":
    main()
