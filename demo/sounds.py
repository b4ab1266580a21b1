"""The sounds of The Long Exposure."""

from __future__ import annotations

from demo.build import Document, beats, hold, layer, mover, nave, part, routes, seconds


def dome_air() -> Document:
    """The reference sound: air moving under a steel dome."""
    return {
        "schema": 1,
        "name": "Dome Air",
        "notes": "Air under the steel dome; opens with the shutter and never quite settles.",
        "tags": ["pad", "wide", "slow"],
        "seed": 1891,
        "layers": [
            layer(
                "ground",
                "Ground",
                {"table": "glass_plate", "position": 38, "unison": 7, "detune": 11, "spread": 85},
                filters=[
                    part("filter1", "lowpass", cutoff=880, resonance=18, key_follow=36),
                    part("filter2", "highpass", cutoff=70, slope="12"),
                ],
                envelope={
                    "attack": seconds(7.5),
                    "release": seconds(6.5),
                    "sustain": -3,
                    "decay": hold(0.3),
                },
                sends={"nave": -8},
                params={"level": 1.0},
            )
        ],
        "buses": [nave(9.0, chorus={"depth": 2.4, "mix": 45}, size=130, damping=5200)],
        "modulators": [
            mover("swell", "Slow swell", "lfo", period=seconds(104), phase=70),
            mover("weather", "Weather", "random", per_note=True, seed=7, period=seconds(26)),
            mover("flutter", "Flutter", "random", seed=3, period=seconds(1.8), roughness=45),
            mover(
                "dawn",
                "Dawn",
                "envelope",
                attack=hold(0.62),
                attack_bend=-35,
                sustain=70,
                decay=hold(0.3),
            ),
        ],
        "routes": routes(
            ("dawn", "ground.filter1.cutoff", 1.5),
            ("swell", "ground.source.position", 34),
            ("weather", "ground.source.fine", 5),
            ("flutter", "ground.source.detune", 3.5),
            ("weather", "ground.filter1.resonance", 12),
        ),
    }


def gelatin_choir() -> Document:
    """Two layers that breathe against each other, voices that are not voices."""
    return {
        "schema": 1,
        "name": "Gelatin Choir",
        "notes": "Hummed vowels in warm light; the upper layer comes in with the second half.",
        "tags": ["choir", "warm"],
        "seed": 412,
        "layers": [
            layer(
                "low",
                "Low voices",
                {"table": "breath_hole", "position": 22, "unison": 5, "detune": 14, "spread": 60},
                filters=[
                    part("filter1", "lowpass", cutoff=1500, resonance=8, key_follow=40),
                    part("filter2", "highpass", cutoff=90, slope="12"),
                ],
                envelope={"attack": seconds(3.2), "release": seconds(4.5), "sustain": -2},
                sends={"nave": -6},
                params={"level": -1.0, "pan": -12},
            ),
            layer(
                "high",
                "High voices",
                {"table": "breath_hole", "position": 55, "unison": 9, "detune": 19, "spread": 95},
                filters=[
                    part("filter1", "highpass", cutoff=420, resonance=12),
                    part("filter2", "lowpass", cutoff=4200, slope="12"),
                ],
                envelope={
                    "delay": hold(0.2),
                    "attack": hold(0.35),
                    "release": seconds(6),
                    "sustain": 0,
                },
                sends={"nave": -3},
                params={"octave": 1, "level": -10, "pan": 15, "key_low": 45, "key_fade": 5},
            ),
        ],
        "buses": [nave(6.5, chorus={"period": 4.2, "depth": 3.0, "mix": 55}, damping=4200)],
        "modulators": [
            mover(
                "breath",
                "Breath",
                "lfo",
                per_note=True,
                period=seconds(19),
                skew=-30,
                depth_change=50,
                period_change=45,
            ),
            mover(
                "vowel", "Vowel", "random", per_note=True, seed=9, period=seconds(31), roughness=10
            ),
            mover(
                "tremor",
                "Tremor",
                "lfo",
                per_note=True,
                period=seconds(0.22),
                fade=seconds(5),
                depth_change=80,
                period_change=60,
            ),
            mover("key", "Key", "key", centre=57),
        ],
        "routes": routes(
            ("vowel", "low.source.position", 20),
            ("vowel", "high.source.position", 38),
            ("breath", "low.filter1.cutoff", 0.8),
            ("breath", "high.source.level", 5),
            ("tremor", "low.source.fine", 7),
            ("tremor", "high.source.fine", 9),
            ("key", "high.filter1.cutoff", 0.4),
        ),
    }


def plate_glass() -> Document:
    """Bright, thin and patient: light through stacked glass."""
    return {
        "schema": 1,
        "name": "Plate Glass",
        "notes": "Stacked plates held to the light; both filters in parallel, moving apart.",
        "tags": ["bright", "glass"],
        "seed": 77,
        "layers": [
            layer(
                "glass",
                "Glass",
                {"table": "rime", "position": 30, "unison": 4, "detune": 6, "spread": 100},
                filters=[
                    part("filter1", "lowpass", cutoff=900, resonance=46, key_follow=80),
                    part("filter2", "highpass", cutoff=1600, resonance=30, key_follow=60),
                ],
                envelope={
                    "attack": seconds(1.6),
                    "release": seconds(5),
                    "sustain": -4,
                    "decay": seconds(9),
                },
                sends={"nave": -4},
                params={"arrangement": "parallel", "blend": 45, "octave": 1, "level": -3},
            ),
            layer(
                "edge",
                "Edge",
                {"table": "glass_plate", "position": 70, "unison": 2, "detune": 3},
                filters=[part("filter1", "lowpass", cutoff=2600, slope="12")],
                envelope={"attack": hold(0.5), "release": seconds(4), "attack_bend": -40},
                sends={"nave": -7},
                params={"level": -9, "pan": 20},
            ),
        ],
        "buses": [nave(12.0, size=160, damping=7500, low_cut=220)],
        "modulators": [
            mover(
                "drift", "Drift", "random", per_note=True, seed=5, period=seconds(17), roughness=30
            ),
            mover("other", "Other drift", "random", per_note=True, seed=12, period=seconds(23)),
            mover("steps", "Facets", "random", per_note=True, seed=2, period=beats(11), steps=85),
            mover("turn", "Turn", "lfo", period=seconds(61), second="swell", blend=40),
        ],
        "routes": routes(
            ("drift", "glass.filter1.cutoff", 1.4),
            ("other", "glass.filter2.cutoff", 1.1),
            ("steps", "glass.source.position", 26),
            ("turn", "glass.blend", 40),
            ("turn", "glass.pan", 35),
            ("other", "edge.source.position", 24),
        ),
    }


def tracking_motor() -> Document:
    """The clockwork that keeps the telescope on its star."""
    return {
        "schema": 1,
        "name": "Tracking Motor",
        "notes": "Clockwork under the floor: 33 sixteenths against the bar, so it never lines up.",
        "tags": ["motor", "low", "pulse"],
        "seed": 33,
        "layers": [
            layer(
                "drive",
                "Drive",
                {"table": "aperture", "position": 20, "unison": 3, "detune": 7, "spread": 40},
                filters=[
                    part("filter1", "lowpass", cutoff=420, resonance=34, key_follow=50),
                    part("filter2", "highpass", cutoff=35, slope="12"),
                ],
                envelope={"attack": seconds(0.8), "release": seconds(2.5), "sustain": -3},
                sends={"nave": -16},
                params={"octave": -1, "level": -1},
            ),
            layer(
                "gear",
                "Gear",
                {"table": "emulsion", "position": 50, "unison": 2, "detune": 9, "spread": 80},
                filters=[part("filter1", "lowpass", cutoff=1100, resonance=24, key_follow=30)],
                envelope={"attack": seconds(2.5), "release": seconds(3), "sustain": 0},
                sends={"nave": -10},
                params={"level": -3},
            ),
        ],
        "buses": [nave(4.0, chorus={"period": 7, "depth": 1.2, "mix": 30}, size=80, damping=3500)],
        "modulators": [
            mover(
                "tooth",
                "Tooth",
                "lfo",
                period=beats(0.5),
                shape="swell",
                second="fall",
                blend=30,
                depth_change=40,
            ),
            mover("round", "Round", "lfo", period=beats(8.25), skew=35),
            mover("load", "Load", "random", seed=4, period=seconds(14), roughness=35),
            mover("wear", "Wear", "envelope", attack=hold(0.9), attack_bend=-30, sustain=100),
        ],
        "routes": [
            *routes(
                ("tooth+", "gear.filter1.cutoff", 1.6),
                ("round", "drive.filter1.cutoff", 1.1),
                ("load", "drive.source.position", 34),
                ("load", "gear.source.position", 40),
                ("wear+", "drive.filter1.resonance", 22),
            ),
            {
                "id": "r9",
                "from": "tooth",
                "to": "gear.source.level",
                "depth": 6,
                "polarity": "unipolar",
                "scaled_by": "load",
            },
        ],
    }


def snowblind() -> Document:
    """White light from everywhere at once."""
    return {
        "schema": 1,
        "name": "Snowblind",
        "notes": "Everything bright and without edges; the saw layer clears as the chord ages.",
        "tags": ["bright", "wash", "wide"],
        "seed": 2026,
        "layers": [
            layer(
                "white",
                "White",
                {"table": "saw", "unison": 12, "detune": 32, "spread": 100},
                filters=[
                    part("filter1", "lowpass", cutoff=700, slope="12", resonance=6),
                    part("filter2", "highpass", cutoff=240, slope="12"),
                ],
                envelope={
                    "attack": hold(0.12),
                    "release": seconds(6),
                    "sustain": -2,
                    "decay": hold(0.3),
                },
                sends={"nave": -3},
                params={"level": -3, "octave": 1},
            ),
            layer(
                "under",
                "Under snow",
                {"table": "triangle", "unison": 3, "detune": 5, "spread": 50},
                filters=[part("filter1", "lowpass", cutoff=800)],
                envelope={"attack": seconds(4), "release": seconds(6)},
                sends={"nave": -12},
                params={"level": -6},
            ),
        ],
        "buses": [nave(14.0, chorus={"depth": 4, "mix": 60}, size=180, damping=9000, low_cut=260)],
        "modulators": [
            mover(
                "glare", "Glare", "lfo", period=seconds(83), second="triangle", blend=50, phase=75
            ),
            mover("gust", "Gust", "random", seed=8, period=seconds(9), roughness=55),
            mover("flake", "Flake", "random", per_note=True, seed=6, period=seconds(5.5)),
        ],
        "routes": routes(
            ("glare", "white.filter1.cutoff", 1.5),
            ("gust", "white.filter2.cutoff", 0.8),
            ("flake", "white.source.level", 6),
            ("gust", "white.source.detune", 14),
            ("glare", "under.level", -5),
            ("flake", "under.source.fine", 6),
        ),
    }


def cold_storage() -> Document:
    """The plate vault at night: a low hum that stays where it is and is never the same."""
    return {
        "schema": 1,
        "name": "Cold Storage",
        "notes": "The vault's compressor two floors below; bare, dark, close to mono.",
        "tags": ["drone", "dark"],
        "seed": 58,
        "layers": [
            layer(
                "hum",
                "Hum",
                {"table": "emulsion", "position": 12, "unison": 3, "detune": 4, "spread": 25},
                filters=[
                    part("filter1", "lowpass", cutoff=420, resonance=22),
                    part("filter2", "lowpass", cutoff=1400, slope="12"),
                ],
                envelope={"attack": seconds(5), "release": seconds(5)},
                sends={"nave": -14},
                params={"level": 1},
            ),
        ],
        "buses": [nave(7.0, size=110, damping=2200, width=60)],
        "modulators": [
            mover(
                "compressor",
                "Compressor",
                "lfo",
                shape="square",
                second="sine",
                blend=65,
                period=seconds(47),
                skew=-40,
                period_change=40,
            ),
            mover(
                "seep", "Seep", "random", per_note=True, seed=21, period=seconds(13), roughness=40
            ),
        ],
        "routes": routes(
            ("compressor", "hum.source.position", 30),
            ("compressor", "hum.filter1.cutoff", 0.9),
            ("seep", "hum.filter1.cutoff", 0.7),
            ("seep", "hum.source.fine", 4),
            ("seep", "hum.source.detune", 3),
        ),
    }


SOUNDS = (dome_air, gelatin_choir, plate_glass, tracking_motor, snowblind, cold_storage)
"""All demo sounds."""
