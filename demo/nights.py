"""Nights: a sound that holds one chord for twenty minutes and never comes back to where it was."""

from __future__ import annotations

from demo.build import Document, beats, by_name, hold, layer, mover, nave, part, seconds, source

TRAIL = [0, 35, -15, 60, 20, -40, 75, -5, 45, -60, 30, 10, -25, 80, -35, 5, 55, -70, 25, 40, -10,
         65, -45, 15, 90, -30, 50, -55, 0, 70, -20, 35, -80]  # fmt: skip
"""Thirty-three steps: over bars of four they meet the bar line again after 33 bars."""


def last_winter() -> Document:
    """Everything that moves: steps against the bar, a curve over the whole, chance for each."""
    shelf = by_name()
    return {
        "schema": 13,
        "name": "Last Winter",
        "notes": "One chord for twenty minutes. A night's course is drawn over the whole length, a "
        "pattern of 33 sixteenths goes against the bar, and each of nine numbers drifts by itself.",
        "tags": ["drone", "long", "slow"],
        "seed": 1902,
        "layers": [
            layer(
                "field",
                "Field",
                {"table": "glass_plate", "position": 30, "unison": 5, "detune": 9, "spread": 80},
                filters=[
                    part("filter1", "lowpass", cutoff=620, resonance=16, key_follow=40),
                    part("filter2", "highpass", cutoff=45, slope="12"),
                ],
                envelope={"attack": seconds(14), "release": seconds(18), "decay": hold(0.2),
                          "sustain": -2},
                sends={"nave": -9},
                params={"level": -4},
            ),
            layer(
                "wire",
                "Wire",
                source("spectral", recording=shelf["bowed_wire"], travel=4, position=25, blur=1.5),
                filters=[part("filter1", "lowpass", cutoff=1800, resonance=8),
                         part("filter2", "highpass", cutoff=160)],
                envelope={"attack": seconds(30), "release": seconds(14)},
                sends={"nave": -5},
                params={"level": -10},
            ),
        ],
        "buses": [nave(14.0, size=160, damping=4200)],
        "modulators": [
            mover("night", "Night", "curve", period=hold(1), at=[0, 22, 48, 63, 100],
                  values=[-80, 20, 100, -10, -100], bends=[30, -20, 40, 0, 0]),
            mover("trail", "Trail", "steps", period=beats(0.25), values=TRAIL, glide=70),
            mover("orbit", "Orbit", "lfo", period=seconds(97.3), phase=20),
            mover("wobble", "Wobble", "lfo", per_note=True, period=seconds(61.7)),
            mover("unrest", "Unrest", "random", per_note=True, seed=11, period=seconds(38),
                  apart=True, roughness=15),
            mover("clouds", "Clouds", "random", seed=5, period=seconds(140)),
            mover("ice", "Ice", "random", seed=8, period=seconds(41), roughness=20),
            mover("tremble", "Tremble", "follower", follows="recording",
                  recording=shelf["wind_slit"], fall=6, rise=3),
            {"id": "dusk", "name": "Dusk", "kind": "macro", "about": "From midnight to light.",
             "params": {"value": 50}},
            {"id": "frost", "name": "Frost", "kind": "macro", "about": "Thin and glassy, or full.",
             "params": {"value": 0}},
        ],
        "routes": [
            {"id": f"r{i}", "from": source_, "to": to, "depth": depth, "polarity": polarity}
            for i, (source_, to, depth, polarity) in enumerate(
                (
                    ("night", "field.filter1.cutoff", 1.5, "bipolar"),
                    ("night", "wire.level", 6, "bipolar"),
                    ("night", "wire.source.position", 22, "bipolar"),
                    ("orbit", "field.source.position", 24, "bipolar"),
                    ("wobble", "field.source.fine", 3, "bipolar"),
                    ("trail", "field.filter1.resonance", 7, "bipolar"),
                    ("clouds", "orbit.period", 0.6, "bipolar"),
                    ("clouds", "unrest.period", 0.5, "bipolar"),
                    ("unrest", "field.source.detune", 5, "bipolar"),
                    ("unrest", "field.source.position", 9, "bipolar"),
                    ("unrest", "field.filter1.cutoff", 0.35, "bipolar"),
                    ("unrest", "field.note_pan", 12, "bipolar"),
                    ("unrest", "wire.source.fine", 5, "bipolar"),
                    ("unrest", "wire.source.blur", 1.0, "bipolar"),
                    ("unrest", "wire.filter1.cutoff", 0.5, "bipolar"),
                    ("clouds", "wire.to_nave.level", 3, "bipolar"),
                    ("clouds", "nave.reverb.damping", 0.4, "bipolar"),
                    ("tremble", "wire.filter1.resonance", 10, "unipolar"),
                    ("dusk", "field.filter1.cutoff", 1.2, "bipolar"),
                    ("dusk", "wire.level", 4, "bipolar"),
                    ("frost", "field.filter2.cutoff", 2.2, "unipolar"),
                    ("frost", "wire.filter1.cutoff", 1.4, "unipolar"),
                    ("ice", "field.filter1.cutoff", 0.9, "bipolar"),
                    ("ice", "wire.level", 7, "bipolar"),
                ),
                start=1,
            )
        ],
    }  # fmt: skip
