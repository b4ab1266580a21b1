"""Weather: white light, and wind at the slit of the dome."""

from __future__ import annotations

from demo.build import (
    Document,
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


def snowblind() -> Document:
    """White light from everywhere at once."""
    return {
        "schema": 13,
        "name": "Snowblind",
        "notes": "Everything bright and without edges; snow breaks underneath as the chord ages.",
        "tags": ["bright", "wash", "wide"],
        "seed": 2026,
        "layers": [
            layer(
                "white",
                "White",
                {"table": "saw", "unison": 12, "pattern": "octave_up", "detune": 28,
                 "spread": 100},
                filters=[
                    part("filter1", "lowpass", cutoff=700, slope="12", resonance=6),
                    part("filter2", "highpass", cutoff=240, slope="12"),
                ],
                more=[
                    beside("glint", "wavetable", table="sine", octave=2, unison=4, detune=9,
                           spread=100, level=-11, entry="2", own_envelope="yes",
                           own_delay=hold(0.2), own_attack=hold(0.5)),
                ],
                envelope={"attack": hold(0.12), "release": seconds(6), "sustain": -2,
                          "decay": hold(0.3)},
                sends={"nave": -3},
                params={"level": -8, "octave": 1},
            ),
            layer(
                "under",
                "Under snow",
                source("harmonic", rule="all", count=5, tilt=-8, bundle=3, bundle_spread=5,
                       place="random", width=50),
                filters=[part("filter1", "lowpass", cutoff=800)],
                envelope={"attack": seconds(4), "release": seconds(6)},
                sends={"nave": -12},
                params={"level": -8, "drift": 9},
            ),
            layer(
                "crystals",
                "Crystals",
                source("grains", recording=by_name()["snow_steps"], position=30, travel=40,
                       density=9, size=0.06, size_scatter=80, pitch=7, pitch_scatter=9,
                       level_scatter=24, pan_scatter=100, time_scatter=100, follow=False,
                       position_scatter=60),
                filters=[part("filter1", "highpass", cutoff=2400, resonance=40)],
                envelope={"attack": hold(0.5), "attack_bend": -40, "release": seconds(5),
                          "velocity": 0},
                sends={"nave": -6},
                params={"level": -17},
            ),
        ],
        "buses": [nave(14.0, chorus={"depth": 4, "mix": 60}, size=180, damping=9000, low_cut=260)],
        "modulators": [
            mover("glare", "Glare", "lfo", period=seconds(83), second="triangle", blend=50,
                  phase=75),
            mover("gust", "Gust", "random", seed=8, period=seconds(9), roughness=55),
            mover("flake", "Flake", "random", per_note=True, seed=6, period=seconds(5.5)),
        ],
        "routes": routes(
            ("glare", "white.filter1.cutoff", 1.5),
            ("glare", "white.glint.level", 7),
            ("gust", "white.filter2.cutoff", 0.8),
            ("flake", "white.source.level", 6),
            ("gust", "white.source.detune", 14),
            ("glare", "under.source.count", 3.5),
            ("flake", "under.source.fine", 6),
            ("gust", "crystals.source.density", 2),
            ("gust", "crystals.filter1.cutoff", 0.7),
        ),
    }  # fmt: skip


def slit_wind() -> Document:
    """Wind that finds the slit of the dome, and the note in it."""
    return {
        "schema": 13,
        "name": "Slit Wind",
        "notes": "Noise through very sharp filters that follow the keys; droplets off the roof.",
        "tags": ["wind", "noise", "ice"],
        "seed": 711,
        "layers": [
            layer(
                "whistle",
                "Whistle",
                source("noise", tilt=-3, width=80),
                filters=[
                    part("filter1", "highpass", cutoff=262, resonance=92, key_follow=100),
                    part("filter2", "lowpass", cutoff=262, resonance=92, key_follow=100),
                ],
                envelope={"attack": seconds(4), "release": seconds(5), "velocity": 6},
                sends={"nave": -4},
                params={"level": -27, "octave": 1},
            ),
            layer(
                "gale",
                "Gale",
                source("spectral", recording=by_name()["wind_slit"], position=10, travel=0.4,
                       blur=0.15, scatter=100, width=100, follow=False),
                filters=[
                    part("filter1", "lowpass", cutoff=900, slope="12"),
                    part("filter2", "highpass", cutoff=120, slope="12"),
                ],
                envelope={"attack": seconds(6), "release": seconds(6), "velocity": 0},
                sends={"nave": -9},
                params={"level": -10.5, "key_high": 45},
            ),
            layer(
                "drops",
                "Drops",
                source("noise", tilt=0, dust=100, dust_rate=2.5, dust_range=24, width=100),
                filters=[
                    part("filter1", "lowpass", cutoff=1900, resonance=94),
                    part("filter2", "highpass", cutoff=900, resonance=60),
                ],
                envelope={"attack": hold(0.35), "release": seconds(4), "velocity": 0},
                sends={"nave": -3},
                params={"level": 4, "key_low": 50},
            ),
        ],
        "buses": [nave(8.0, size=150, damping=6000, low_cut=150)],
        "modulators": [
            mover("gust", "Gust", "random", seed=31, period=seconds(11), roughness=45),
            mover("own", "Own gusts", "random", per_note=True, seed=32, period=seconds(7),
                  roughness=35),
            mover("drip", "Drip", "random", per_note=True, seed=33, period=seconds(0.6),
                  steps=100),
            mover("front", "Front", "envelope", attack=hold(0.6), attack_bend=-20, sustain=55,
                  decay=hold(0.3)),
        ],
        "routes": routes(
            ("own", "whistle.source.level", 9),
            ("gust", "whistle.filter2.cutoff", 0.12),
            ("gust", "gale.filter1.cutoff", 1.2),
            ("gust", "gale.source.level", 5),
            ("front+", "gale.filter1.cutoff", 1.3),
            ("drip", "drops.filter1.cutoff", 0.9),
            ("front", "drops.source.dust_rate", 2.2),
            ("own", "whistle.source.tilt", 2.5),
        ),
    }  # fmt: skip
