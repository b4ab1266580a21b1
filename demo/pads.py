"""Pads: the air under the dome, voices in warm light, stacked glass."""

from __future__ import annotations

from demo.build import (
    Document,
    beats,
    beside,
    by_name,
    hold,
    layer,
    mover,
    nave,
    part,
    routes,
    seconds,
    source,
)


def dome_air() -> Document:
    """The reference sound: air moving under a steel dome."""
    return {
        "schema": 13,
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
    """Voices that are not voices: one table at two places, and a frozen hum above them."""
    shelf = by_name()
    vowel = shelf["hummed_vowel_table"]
    return {
        "schema": 13,
        "name": "Gelatin Choir",
        "notes": "A hummed vowel three times: as a table, as another place in it, and frozen.",
        "tags": ["choir", "warm"],
        "seed": 412,
        "layers": [
            layer(
                "low",
                "Low voices",
                {"table": "cut", "cut": vowel, "position": 25, "unison": 5, "detune": 14,
                 "spread": 60},
                filters=[
                    part("filter1", "lowpass", cutoff=1500, resonance=8, key_follow=40),
                    part("filter2", "highpass", cutoff=90, slope="12"),
                ],
                more=[
                    beside("air", "noise", tilt=-3, width=80, level=-12, entry="2",
                           own_envelope="yes", own_delay=hold(0.05), own_attack=hold(0.4)),
                ],
                envelope={"attack": seconds(3.2), "release": seconds(4.5), "sustain": -2},
                sends={"nave": -6},
                params={"level": -3.0, "pan": -12, "drift": 8},
            ),
            layer(
                "middle",
                "Middle voices",
                {"table": "cut", "cut": vowel, "position": 75, "unison": 3, "detune": 9,
                 "spread": 90, "warp": "bend", "warp_amount": 0},
                filters=[part("filter1", "lowpass", cutoff=2600, slope="12")],
                envelope={"attack": hold(0.25), "release": seconds(5), "sustain": 0},
                sends={"nave": -5},
                params={"level": -9, "pan": 18, "drift": 10},
            ),
            layer(
                "high",
                "Frozen hum",
                source("spectral", recording=shelf["hummed_vowel"], position=35, travel=0.03,
                       formants=80, scatter=35, width=80, threshold=-60),
                filters=[
                    part("filter1", "highpass", cutoff=300, resonance=6),
                    part("filter2", "lowpass", cutoff=5200, slope="12"),
                ],
                envelope={"delay": hold(0.15), "attack": hold(0.35), "release": seconds(6),
                          "sustain": 0},
                sends={"nave": -3},
                params={"octave": 1, "level": -6, "pan": 8, "key_low": 45, "key_fade": 5},
            ),
        ],
        "buses": [nave(6.5, chorus={"period": 4.2, "depth": 3.0, "mix": 55}, damping=4200)],
        "modulators": [
            mover("breath", "Breath", "lfo", per_note=True, period=seconds(19), skew=-30,
                  depth_change=50, period_change=45),
            mover("vowel", "Vowel", "random", per_note=True, seed=9, period=seconds(31),
                  roughness=10),
            mover("tremor", "Tremor", "lfo", per_note=True, period=seconds(0.22),
                  fade=seconds(5), depth_change=80, period_change=60),
            mover("key", "Key", "key", centre=57),
            mover("years", "Years", "envelope", attack=hold(0.7), attack_bend=-20, sustain=100),
            mover("hands", "Hands", "random", seed=26, period=seconds(29), roughness=20),
        ],
        "routes": routes(
            ("vowel", "low.source.position", 22),
            ("vowel", "middle.source.position", -20),
            ("years", "middle.source.warp_amount", 55),
            ("years+", "high.source.shift", 60),
            ("vowel", "high.source.position", 25),
            ("breath", "low.filter1.cutoff", 0.9),
            ("breath", "low.air.level", 6),
            ("breath", "high.source.level", 5),
            ("tremor", "low.source.fine", 7),
            ("key", "high.filter1.cutoff", 0.4),
            ("hands", "low.filter1.cutoff", 2.0),
            ("hands", "middle.filter1.cutoff", -1.2),
            ("hands", "middle.level", -7),
            ("hands", "high.level", 8),
        ),
    }  # fmt: skip


def plate_glass() -> Document:
    """Bright, thin and patient: partials of a stiff plate, and dust of a struck one."""
    return {
        "schema": 13,
        "name": "Plate Glass",
        "notes": "Prime partials of something stiff, rippling, that break into shards of "
        "themselves; splinters of a struck plate above.",
        "tags": ["bright", "glass"],
        "seed": 77,
        "layers": [
            layer(
                "glass",
                "Glass",
                source("harmonic", rule="primes", other_rule="odd", morph=0, count=5, tilt=-5,
                       stiffness=180, ripple=22, ripple_length=6, ripple_period=seconds(52),
                       bundle=2, bundle_spread=3, place="turning", width=85,
                       turn_period=seconds(71)),
                filters=[
                    part("filter1", "lowpass", cutoff=2400, resonance=24, key_follow=80),
                    part("filter2", "highpass", cutoff=900, resonance=20, key_follow=60),
                ],
                envelope={"attack": seconds(1.6), "release": seconds(5), "sustain": -4,
                          "decay": seconds(9)},
                inserts=[part("shards", "live_grains", position=0.6, position_scatter=2.2,
                              density=9, size=0.45, size_scatter=40, pitch=12, reverse=35,
                              level_scatter=12, pan_scatter=90, mix=25)],
                sends={"nave": -4},
                params={"arrangement": "parallel", "blend": 40, "level": -2},
            ),
            layer(
                "splinters",
                "Splinters",
                source("grains", recording=by_name()["struck_plate"], position=2, travel=0,
                       position_scatter=6, density=2.2, size=0.9, size_scatter=60, reverse=35,
                       pitch_scatter=0, level_scatter=18, pan_scatter=100, follow=True,
                       time_scatter=100),
                filters=[part("filter1", "highpass", cutoff=700, slope="12")],
                envelope={"attack": hold(0.4), "release": seconds(4), "attack_bend": -40},
                sends={"nave": -3},
                params={"level": -7, "octave": 1},
            ),
        ],
        "buses": [nave(12.0, size=160, damping=7500, low_cut=220)],
        "modulators": [
            mover("drift", "Drift", "random", per_note=True, seed=5, period=seconds(17),
                  roughness=30),
            mover("other", "Other drift", "random", per_note=True, seed=12, period=seconds(23)),
            mover("steps", "Facets", "random", per_note=True, seed=2, period=beats(11), steps=85),
            mover("turn", "Turn", "lfo", period=seconds(61), second="swell", blend=40),
            mover("growth", "Growth", "envelope", attack=hold(0.85), attack_bend=-25,
                  sustain=100),
        ],
        "routes": routes(
            ("drift", "glass.filter1.cutoff", 1.2),
            ("growth+", "glass.source.count", 30),
            ("growth+", "glass.source.morph", 70),
            ("steps", "glass.source.ripple_length", 0.8),
            ("turn", "glass.blend", 35),
            ("growth+", "glass.shards.mix", 35),
            ("turn", "glass.shards.density", 1.2),
            ("other", "splinters.source.density", 1.6),
            ("growth+", "splinters.source.position_scatter", 30),
        ),
    }  # fmt: skip


def polar_axis() -> Document:
    """A tone that rises for ever and never gets anywhere, around the pole."""
    return {
        "schema": 13,
        "name": "Polar Axis",
        "notes": "Octaves on an endless climb, half an octave a minute; a far bell, frozen.",
        "tags": ["drone", "rising"],
        "seed": 90,
        "layers": [
            layer(
                "climb",
                "Climb",
                source("harmonic", rule="octaves", count=9, tilt=0, endless=0.5, bundle=3,
                       bundle_spread=7, place="turning", width=70, turn_period=seconds(97)),
                filters=[part("filter1", "lowpass", cutoff=1150, resonance=8)],
                more=[
                    beside("root", "wavetable", table="sine", unison=2, detune=3, spread=20,
                           level=-16, filtered=0, key_high=52, own_envelope="yes",
                           own_delay=seconds(8), own_attack=seconds(20)),
                ],
                envelope={"attack": seconds(6), "release": seconds(6)},
                sends={"nave": -8},
                params={"level": -4, "drift": 4},
            ),
            layer(
                "bell",
                "Far bell",
                source("spectral", recording=by_name()["far_bell"], position=12, travel=0.02,
                       scatter=25, balance=40, blur=0.3, width=100, follow=True),
                filters=[part("filter1", "highpass", cutoff=180, slope="12")],
                envelope={"attack": hold(0.3), "release": seconds(6)},
                sends={"nave": -4},
                params={"level": 0, "octave": 2},
            ),
        ],
        "buses": [nave(14.0, size=190, damping=5200, low_cut=120)],
        "modulators": [
            mover("night", "Night", "lfo", period=seconds(131), phase=70),
            mover("haze", "Haze", "random", per_note=True, seed=3, period=seconds(21)),
        ],
        "routes": routes(
            ("night", "climb.filter1.cutoff", 1.3),
            ("haze", "climb.source.bundle_spread", 5),
            ("haze", "bell.source.position", 8),
            ("night", "bell.source.shift", 45),
            ("night", "bell.level", 6),
        ),
    }  # fmt: skip
