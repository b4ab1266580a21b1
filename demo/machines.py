"""Machines: the tracking motor, the vault at night, lamps that hum."""

from __future__ import annotations

from demo.build import (
    SPACE,
    Document,
    acts,
    beats,
    bus,
    by_name,
    hold,
    layer,
    mover,
    nave,
    operator,
    part,
    routes,
    seconds,
    source,
)


def tracking_motor() -> Document:
    """The clockwork that keeps the telescope on its star."""
    motor = part("zone1", "zone", recording=by_name()["motor"])
    return {
        "schema": 13,
        "name": "Tracking Motor",
        "notes": "Clockwork under the floor: 33 sixteenths against the bar, so it never lines up.",
        "tags": ["motor", "low", "pulse"],
        "seed": 33,
        "layers": [
            layer(
                "drive",
                "Drive",
                source(
                    "operators",
                    operator(1, pan=-10),
                    operator(2, ratio=2, offset=0.4, level=-80),
                    operator(3, ratio=3, offset=-0.3, level=-14, pan=25, way="past"),
                    operator(4, ratio=0.5, level=-80),
                    acts(2, 1, 1.1),
                    acts(4, 2, 0.8),
                    acts(3, 3, 0.6),
                ),
                filters=[
                    part("filter1", "lowpass", cutoff=620, resonance=34, key_follow=50),
                    part("filter2", "highpass", cutoff=35, slope="12"),
                ],
                envelope={"attack": seconds(0.8), "release": seconds(2.5), "sustain": -3},
                sends={"nave": -16},
                params={"level": -3},
            ),
            layer(
                "gear",
                "Gear",
                {"table": "emulsion", "position": 50, "unison": 2, "detune": 9, "spread": 80,
                 "warp": "pulse", "warp_amount": 20},
                filters=[part("filter1", "lowpass", cutoff=1100, resonance=24, key_follow=30)],
                envelope={"attack": seconds(2.5), "release": seconds(3), "sustain": 0},
                sends={"nave": -10},
                params={"level": -6.5},
            ),
            layer(
                "pawl",
                "Pawl",
                source("sampler", motor, follow=False),
                filters=[part("filter1", "highpass", cutoff=240, resonance=18)],
                envelope={"attack": seconds(5), "release": seconds(3)},
                sends={"nave": -8},
                params={"level": -5.5, "key_high": 45},
            ),
        ],
        "buses": [nave(4.0, chorus={"period": 7, "depth": 1.2, "mix": 30}, size=80, damping=3500)],
        "modulators": [
            mover("tooth", "Tooth", "lfo", period=beats(0.5), shape="swell", second="fall",
                  blend=30, depth_change=40),
            mover("round", "Round", "lfo", period=beats(8.25), skew=35),
            mover("load", "Load", "random", seed=4, period=seconds(14), roughness=35),
            mover("wear", "Wear", "envelope", attack=hold(0.9), attack_bend=-30, sustain=100),
            mover("cold", "Cold", "random", seed=15, period=seconds(33), roughness=20),
        ],
        "routes": [
            *routes(
                ("tooth+", "gear.filter1.cutoff", 1.6),
                ("round", "drive.filter1.cutoff", 1.1),
                ("load", "drive.source.modulation21.amount", 0.9),
                ("wear+", "drive.source.modulation42.amount", 2.2),
                ("load", "gear.source.position", 40),
                ("load", "gear.source.warp_amount", 20),
                ("wear+", "pawl.filter1.cutoff", 1.5),
                ("cold", "drive.filter1.cutoff", 1.4),
                ("cold", "gear.level", 8),
                ("cold", "gear.source.position", 25),
                ("cold", "pawl.level", -6),
            ),
            {
                "id": "wound",
                "from": "tooth",
                "to": "gear.source.level",
                "depth": 6,
                "polarity": "unipolar",
                "scaled_by": "load",
            },
        ],
    }  # fmt: skip


def cold_storage() -> Document:
    """The plate vault at night: a low hum that stays where it is and is never the same."""
    return {
        "schema": 13,
        "name": "Cold Storage",
        "notes": "The vault's compressor two floors below; bare, dark, close to mono.",
        "tags": ["drone", "dark"],
        "seed": 58,
        "layers": [
            layer(
                "hum",
                "Hum",
                source(
                    "operators",
                    operator(1),
                    operator(2, ratio=1, offset=0.21, level=-6),
                    operator(3, ratio=3, offset=0.5, level=-80),
                    operator(4, wave="noise", ratio=8, level=-80),
                    acts(3, 1, 0.8),
                    acts(4, 2, 0.2),
                ),
                filters=[
                    part("filter1", "lowpass", cutoff=520, resonance=22),
                    part("filter2", "lowpass", cutoff=1400, slope="12"),
                ],
                envelope={"attack": seconds(5), "release": seconds(5)},
                sends={"nave": -14},
                params={"level": -2, "ring_by": "sine", "ring_ratio": 0.252, "ring_amount": 0},
            ),
            layer(
                "vault",
                "Vault",
                source("spectral", recording=by_name()["dome_rail"], position=20, travel=0.12,
                       scatter=100, width=45, follow=False, pitch=-5),
                filters=[part("filter1", "lowpass", cutoff=520, resonance=12)],
                envelope={"attack": hold(0.2), "release": seconds(5)},
                sends={"nave": -12},
                params={"level": -7.5, "key_high": 40},
            ),
        ],
        "buses": [nave(7.0, size=110, damping=2200, width=60)],
        "modulators": [
            mover("compressor", "Compressor", "lfo", shape="square", second="sine", blend=65,
                  period=seconds(47), skew=-40, period_change=40),
            mover("seep", "Seep", "random", per_note=True, seed=21, period=seconds(13),
                  roughness=40),
            mover("frost", "Frost", "envelope", attack=hold(0.8), attack_bend=-40, sustain=100),
        ],
        "routes": routes(
            ("compressor", "hum.source.modulation31.amount", 1.1),
            ("compressor", "hum.filter1.cutoff", 0.9),
            ("seep", "hum.filter1.cutoff", 0.6),
            ("seep", "hum.source.fine", 4),
            ("frost+", "hum.source.modulation42.amount", 1.6),
            ("frost", "hum.ring_amount", 45),
            ("frost+", "vault.filter1.cutoff", 1.2),
            ("compressor", "vault.level", 5),
        ),
    }  # fmt: skip


def lamp_hum() -> Document:
    """Lamps over the counting table: edgy lows, soft highs, embers in the glass."""
    return {
        "schema": 13,
        "name": "Lamp Hum",
        "notes": "A split: fed-back operators below C3, soft even partials above; embers between.",
        "tags": ["split", "hum", "crackle"],
        "seed": 604,
        "layers": [
            layer(
                "coil",
                "Coil",
                source(
                    "operators",
                    operator(1),
                    operator(2, ratio=2.0, offset=0.3, level=-10),
                    operator(3, ratio=6.98, level=-80),
                    acts(1, 1, 0.9),
                    acts(3, 2, 0.6),
                    unison=2,
                    detune=4,
                    spread=60,
                ),
                filters=[part("filter1", "lowpass", cutoff=1300, resonance=16, key_follow=30)],
                envelope={"attack": seconds(2.2), "release": seconds(3)},
                sends={"nave": -12},
                params={"level": -4, "key_high": 50, "key_fade": 6},
            ),
            layer(
                "glow",
                "Glow",
                source("harmonic", rule="even", other_rule="all", count=5, tilt=-9, bundle=2,
                       bundle_spread=4, place="fan", width=70),
                filters=[part("filter1", "lowpass", cutoff=2400, slope="12")],
                envelope={"attack": hold(0.2), "release": seconds(5)},
                sends={"nave": -6},
                params={"level": -3, "key_low": 46, "key_fade": 6},
            ),
            layer(
                "embers",
                "Embers",
                source("noise", tilt=-2, dust=100, dust_rate=5, dust_range=30, width=100),
                filters=[
                    part("filter1", "highpass", cutoff=1500, resonance=78),
                    part("filter2", "lowpass", cutoff=2600, resonance=72),
                ],
                envelope={"attack": seconds(8), "release": seconds(4), "velocity": 0},
                sends={"nave": -4},
                params={"level": 2, "key_low": 46},
            ),
        ],
        "buses": [
            bus("nave", "Nave",
                part("walls", "reflections", size=7.5, distance=70, walls=70, damping=5_200,
                     mix=45),
                part("reverb", "reverb", decay=3.6, level=SPACE, size=70, damping=5_200,
                     low_cut=180)),
        ],
        "modulators": [
            mover("flicker", "Flicker", "random", seed=14, period=seconds(0.9), roughness=60),
            mover("spark", "Spark", "random", per_note=True, seed=15, period=seconds(2.3),
                  steps=90),
            mover("warm", "Warming", "envelope", attack=hold(0.75), attack_bend=-30, sustain=80,
                  decay=hold(0.2)),
            mover("mains", "Mains", "lfo", period=seconds(37), second="triangle", blend=50),
        ],
        "routes": routes(
            ("warm+", "coil.source.modulation32.amount", 2.4),
            ("mains", "coil.filter1.cutoff", 0.8),
            ("flicker", "coil.source.level", 1.5),
            ("warm+", "glow.source.count", 16),
            ("mains", "glow.source.morph", 50),
            ("spark", "embers.filter1.cutoff", 1.2),
            ("spark", "embers.filter2.cutoff", 1.0),
            ("warm", "embers.source.dust_rate", 2.5),
        ),
    }  # fmt: skip
