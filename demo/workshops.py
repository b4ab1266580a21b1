"""Workshops: darkroom, meridian hut, radio room; what runs, drips and whispers there."""

from __future__ import annotations

from demo.build import (
    SPACE,
    Document,
    beats,
    bus,
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


def darkroom() -> Document:
    """Drops into trays, each a note, and strings in the pipes that answer them."""
    return {
        "schema": 13,
        "name": "Darkroom",
        "notes": "Noise through five sharp filters drips; pipes ring along in the chord's root, "
        "and every echo comes back an octave higher.",
        "tags": ["drops", "echoes", "dark"],
        "seed": 404,
        "layers": [
            layer(
                "drops",
                "Drops",
                source("noise", tilt=0, dust=100, dust_rate=1.6, dust_range=18, width=100,
                       level=12),
                filters=[part("filter1", "bandpass", cutoff=524, width=0.09, stages=4,
                              key_follow=100)],
                envelope={"attack": seconds(2), "release": seconds(5), "velocity": 0},
                inserts=[part("echo", "delay", left=beats(0.75), right=beats(1), feedback=58,
                              crossing=60, pitch_left=1200, pitch_right=1200, pitched=35,
                              damping=3800, low_cut=240, mix=38, ducking=6)],
                sends={"pipes": -8},
                params={"level": 12},
            ),
            layer(
                "tray",
                "Tray",
                source("noise", tilt=-4, width=60),
                filters=[part("filter1", "comb", cutoff=261.6255653, feedback=97, damping=3200,
                              spread=0.01, mix=100),
                         part("filter2", "highpass", cutoff=90, slope="6")],
                envelope={"attack": seconds(8), "release": seconds(7)},
                sends={"pipes": -12},
                params={"level": -1},
            ),
            layer(
                "fluid",
                "Fluid",
                {"table": "sine", "unison": 3, "detune": 6, "spread": 60},
                filters=[part("filter1", "notch", cutoff=420, width=1.2, parting=1.4,
                              key_follow=60)],
                envelope={"attack": seconds(6), "release": seconds(7)},
                sends={"pipes": -14},
                params={"level": -4, "octave": 1},
            ),
        ],
        "buses": [bus("pipes", "Pipes",
                      part("strings", "resonators", chord=[0, 12, 19, 24, 31], root=55,
                           decay=5, damping=4200, mix=55, spread=85),
                      part("reverb", "reverb", decay=7, size=110, damping=4200, low_cut=140,
                           level=SPACE))],
        "master": {"effects": [part("width", "width", width=115, mono_below=140)]},
        "modulators": [
            mover("tap", "Tap", "random", per_note=True, seed=3, period=seconds(1.1), steps=100),
            mover("flow", "Flow", "random", per_note=True, seed=9, period=seconds(19),
                  roughness=25),
            mover("lamp", "Safe lamp", "lfo", period=seconds(71), phase=30),
            mover("breath", "Breath", "random", seed=14, period=seconds(33)),
        ],
        "routes": routes(
            ("tap", "drops.filter1.cutoff", 0.6),
            ("flow", "tray.source.level", 7),
            ("flow", "tray.filter1.damping", 0.8),
            ("lamp", "fluid.filter1.parting", 1.2),
            ("breath", "fluid.source.level", 4),
            ("lamp", "pipes.strings.damping", 0.7),
            ("breath", "drops.source.dust_rate", 1.2),
            ("breath", "drops.echo.pitched", 20),
        ),
    }  # fmt: skip


def meridian() -> Document:
    """The transit instrument turning: driven, wide, and never quite in one place."""
    return {
        "schema": 13,
        "name": "Meridian",
        "notes": "A driven ladder under a slow hand; tape, phaser and ensemble make it wide, and a "
                 "plate answers.",
        "tags": ["warm", "wide", "analogue"],
        "seed": 88,
        "layers": [
            layer(
                "arc",
                "Arc",
                {"table": "saw", "unison": 4, "detune": 11, "spread": 70},
                filters=[part("filter1", "ladder", cutoff=900, resonance=46, drive=12,
                              key_follow=35, spread=0.25)],
                envelope={"attack": seconds(5), "attack_bend": -20, "release": seconds(6),
                          "decay": hold(0.4), "sustain": -3},
                inserts=[part("tape", "saturation", curve="tape", drive=9, bias=12, mix=80),
                         part("phaser", "phaser", period=seconds(43), centre=760, depth=1.5,
                              feedback=35, mix=42)],
                sends={"nave": -9},
                params={"level": 2},
            ),
            layer(
                "circle",
                "Circle",
                source("harmonic", rule="odd", count=24, tilt=-5, place="random", width=70),
                filters=[part("filter1", "allpass", cutoff=900, stages=8, feedback=55,
                              key_follow=50, spread=0.5),
                         part("filter2", "peak", cutoff=1_900, gain=7, width=0.7,
                              key_follow=30)],
                envelope={"attack": seconds(9), "release": seconds(8)},
                inserts=[part("many", "ensemble", depth=55, shimmer=35, mix=75)],
                sends={"nave": -6},
                params={"level": -4, "octave": 1},
            ),
        ],
        "buses": [bus("nave", "Nave", part("plate", "plate", decay=8.0, size=140, damping=5_200,
                                           low_cut=160, level=SPACE))],
        "master": {"effects": [
            part("apart", "micro_delay", left=0, right=11, mix=22),
            part("tone", "equalizer", shape1="low_cut", frequency1=32, shape2="bell",
                 frequency2=310, gain2=-2.5, width2=1.2, shape3="high_shelf", frequency3=6500,
                 gain3=2, width3=1.9),
        ]},
        "modulators": [
            mover("hand", "Hand", "random", per_note=True, seed=21, period=seconds(27),
                  roughness=20),
            mover("sidereal", "Sidereal", "lfo", period=seconds(86.164), phase=60),
            mover("seeing", "Seeing", "random", seed=5, period=seconds(4.5), roughness=60),
            mover("opening", "Opening", "envelope", attack=hold(0.85), attack_bend=30),
        ],
        "routes": routes(
            ("hand", "arc.filter1.cutoff", 0.8),
            ("opening", "arc.filter1.cutoff", 1.6),
            ("sidereal", "arc.filter1.resonance", 18),
            ("seeing", "arc.source.detune", 5),
            ("hand", "circle.filter1.cutoff", 1.1),
            ("sidereal", "circle.filter2.cutoff", 0.9),
            ("seeing", "circle.source.level", 3),
            ("sidereal", "master.tone.frequency2", 0.5),
        ),
    }  # fmt: skip


def night_watch() -> Document:
    """Voices that nobody has: vowels that pass, answered by the wind."""
    shelf = by_name()
    return {
        "schema": 13,
        "name": "Night Watch",
        "notes": "Vowels go round slowly, each voice at its own; the room is a recording of wind.",
        "tags": ["voices", "slow", "cold"],
        "seed": 230,
        "layers": [
            layer(
                "watch",
                "Watch",
                {"table": "saw", "unison": 5, "detune": 14, "spread": 85},
                filters=[part("filter1", "vowel", vowel=2.4, size=112, width=130),
                         part("filter2", "lowpass", cutoff=5200, slope="12")],
                envelope={"attack": seconds(4), "release": seconds(5), "velocity": 3},
                inserts=[part("sweep", "flanger", period=seconds(31), delay=1.2, depth=2.5,
                              feedback=-25, mix=24),
                         part("sway", "tremolo", period=seconds(7.3), depth=22, turn=60)],
                sends={"wind": -6, "nave": -8},
                params={"level": -9, "drift": 6},
            ),
            layer(
                "breath",
                "Breath",
                source("noise", tilt=-2, width=90),
                filters=[part("filter1", "vowel", vowel=3.4, size=95, width=70),
                         part("filter2", "lowpass", cutoff=3600, slope="6")],
                envelope={"attack": seconds(6), "release": seconds(6), "velocity": 0},
                inserts=[part("round", "auto_pan", period=seconds(37), depth=70)],
                sends={"nave": -4},
                params={"level": -19},
            ),
        ],
        "buses": [
            bus("wind", "Wind",
                part("haze", "spectral_blur", blur=2.5, threshold=-74, mix=45),
                part("answer", "convolution", recording=shelf["wind_slit"],
                                     length=4, decay=26, level=2, mix=100),
                part("pass", "filter", passes="lows", cutoff=3400, slope="12")),
            nave(10.0, size=160, damping=5600, low_cut=180),
        ],
        "master": {"effects": [
            part("near", "band_compressor", threshold=-26, ratio=1.8, floor=-44, lift_ratio=1.25,
                 low_level=-1, mix=70)]},
        "modulators": [
            mover("say", "Say", "random", per_note=True, seed=61, period=seconds(16),
                  roughness=15),
            mover("throat", "Throat", "random", per_note=True, seed=62, period=seconds(41)),
            mover("lantern", "Lantern", "lfo", period=seconds(59), phase=10),
            mover("gusts", "Gusts", "random", seed=63, period=seconds(9), roughness=50),
        ],
        "routes": routes(
            ("say", "watch.filter1.vowel", 1.5),
            ("throat", "watch.filter1.size", 0.2),
            ("say", "breath.filter1.vowel", 1.2),
            ("gusts", "breath.source.level", 7),
            ("lantern", "watch.filter2.cutoff", 0.9),
            ("gusts", "wind.pass.cutoff", 0.8),
            ("lantern", "watch.sweep.depth", 1.5),
        ),
    }  # fmt: skip


def radio_room() -> Document:
    """Carriers from far away: shifted, ringing, broken, and turned down by the motor below."""
    shelf = by_name()
    return {
        "schema": 13,
        "name": "Radio Room",
        "notes": "Static and a folded tone drift against each other; the pulse underneath pushes "
        "all of it down.",
        "tags": ["static", "metal", "pulse"],
        "seed": 1_420,
        "layers": [
            layer(
                "pulse",
                "Pulse",
                {"table": "sine", "unison": 1},
                filters=[part("filter1", "lowpass", cutoff=240, slope="6")],
                envelope={"attack": seconds(1.5), "release": seconds(3)},
                inserts=[part("beat", "tremolo", period=beats(2), depth=85),
                         part("body", "saturation", curve="soft", drive=14, mix=60)],
                sends={},
                params={"level": -12, "octave": -1, "key_high": 50},
            ),
            layer(
                "carrier",
                "Carrier",
                {"table": "sine", "unison": 2, "detune": 5, "spread": 90},
                filters=[part("filter1", "lowpass", cutoff=4200, slope="12")],
                envelope={"attack": seconds(6), "release": seconds(6)},
                inserts=[part("fold", "folder", drive=9, lean=15, mix=65),
                         part("side", "frequency_shifter", shift=0.23, opposed=True, mix=50),
                         part("duck", "compressor", threshold=-26, ratio=2.5, attack=12,
                              release=420, side="pulse")],
                sends={"nave": -7},
                params={"level": -1, "octave": 1},
            ),
            layer(
                "static",
                "Static",
                source("grains", recording=shelf["radio_static"], position=20, travel=9,
                       density=14, size=0.12, size_scatter=50, pitch_scatter=5, pan_scatter=90,
                       level_scatter=14, time_scatter=70, follow=False),
                filters=[part("filter1", "bandpass", cutoff=1500, width=2.4)],
                envelope={"attack": seconds(5), "release": seconds(5), "velocity": 0},
                inserts=[part("steps", "reduction", bits=9, samples=9000, mix=40),
                         {"id": "bands", "kind": "multiband",
                          "params": {"low_split": 300, "high_split": 2600, "high_level": -2},
                          "chains": [
                              {"id": "low", "effects": []},
                              {"id": "middle", "effects": [
                                  part("ring", "ring_modulator", frequency=98, mix=45)]},
                              {"id": "high", "effects": [
                                  part("echo", "delay", left=seconds(0.31), right=seconds(0.43),
                                       feedback=40, mix=35)]},
                          ]}],
                sends={"nave": -9},
                params={"level": -2},
            ),
        ],
        "buses": [nave(6.0, size=100, damping=6500, low_cut=220)],
        "master": {"effects": [part("hold", "limiter", gain=2, ceiling=-3)]},
        "modulators": [
            mover("tuning", "Tuning", "random", seed=71, period=seconds(13), roughness=30),
            mover("fade", "Fade", "random", seed=72, period=seconds(23), roughness=20),
            mover("drift", "Drift", "lfo", period=seconds(47), second="triangle", blend=40),
            mover("bell", "Bell", "random", per_note=True, seed=73, period=seconds(29)),
        ],
        "routes": routes(
            ("tuning", "static.filter1.cutoff", 1.3),
            ("fade", "static.source.level", 8),
            ("drift", "carrier.fold.drive", 7),
            ("tuning", "carrier.side.shift", 0.4),
            ("bell", "carrier.source.level", 4),
            ("drift", "static.bands.middle.ring.frequency", 1.1),
            ("fade", "static.steps.samples", 1.2),
        ),
    }  # fmt: skip
