"""Speed and memory on this machine, as ratios: ``make bench``.

The reference sound is Dome Air: one wavetable layer, four notes, unison 7, two filters, chorus,
a reverb of 9 s, five moved parameters. Times of a shared machine vary; read them as ratios.
"""

from __future__ import annotations

import itertools
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np
import scipy.signal
from numpy.typing import NDArray

from caligo.document import Score, Sound, read_sound
from caligo.document.held import held_chord
from caligo.engine.listening.live import Listening
from caligo.engine.listening.skim import Skim, evenly
from caligo.engine.precompile.precompile import warm
from caligo.engine.render.engine import DEFAULT_RATE, Engine
from caligo.engine.views.long_view import COLUMNS, Summary, Tile, fine
from caligo.engine.views.picture_store import KEPT_PROBES, Drawn
from caligo.engine.views.preview import preview_tiles, probes
from caligo.measure.spectrogram import FLOOR, ROWS
from caligo.signal.state_variable import cutoff_gain, run, sharpness
from caligo.signal.ticks import TICK
from demo.bench_contention import beside_a_busy_thread
from demo.bench_movement import movement_fraction
from demo.bench_processors import processor_costs
from demo.bench_sources import cases, thick_cases
from demo.pads import dome_air, gelatin_choir
from demo.sounds import SOUNDS
from demo.timing import best
from studio.live.drawing import trajectories_packet
from studio.live.lead import AHEAD

ROOT = Path(__file__).parents[1]
MEMORY_PROBE = """
import sys
from pathlib import Path
from caligo.document import read_sound
from caligo.document.held import held_chord
from caligo.engine.render.offline import render_to_file
from demo.pads import dome_air
score = held_chord("C2 G2 D3 A3", 60.0 * float(sys.argv[1]))
render_to_file(read_sound(dome_air()), score, Path(sys.argv[2]), threads=2)
# Not ru_maxrss: that begins with what the process that started this one used.
peak = Path("/proc/self/status").read_text().split("VmHWM:")[1].split()[0]
print(int(peak) / 1024)
"""


REST = 0.7
"""Seconds between starts that are timed."""


def render(sound: Any, score: Score, seconds: float, threads: int = 1) -> None:
    """Render without keeping anything."""
    engine = Engine(sound, score, threads=threads)
    for _ in engine.stream(int(seconds * DEFAULT_RATE / TICK)):
        pass


def in_blocks(sound: Any, score: Score, block: int) -> None:
    """Render five seconds in blocks of so many samples."""
    for _ in Engine(sound, score).stream(int(5.0 * DEFAULT_RATE / TICK), block):
        pass


def say(what: str, value: str, wanted: str = "") -> None:
    """One line of the report."""
    print(f"{what:<58} {value:>16}   {wanted}", flush=True)


MOVERS = ("lfo", "random", "steps", "curve")
MOVED = ("filter1.cutoff", "filter1.resonance", "source.fine", "source.level", "pan", "level",
         "to_nave.level", "envelope.sustain")  # fmt: skip


def many_modulators() -> Any:
    """Gelatin Choir with 32 modulators and 128 routes, eight of which move other modulators."""
    document = gelatin_choir()
    layers = [layer["id"] for layer in document["layers"]]
    document["modulators"] = [
        {
            "id": f"m{i}",
            "name": f"M{i}",
            "kind": MOVERS[i % 4],
            "scope": "note" if i % 5 == 0 else "sound",
            "params": {"period": {"value": 3.0 + 1.7 * i, "unit": "s"}},
        }
        for i in range(32)
    ]
    targets = [f"{layer}.{key}" for layer in layers for key in MOVED]
    targets = [f"m{24 + i}.period" for i in range(8)] + [targets[i % 24] for i in range(120)]
    document["routes"] = [
        {"id": f"r{i}", "from": f"m{i % 24}", "to": target, "depth": 0.3}
        for i, target in enumerate(targets)
    ]
    return read_sound(document)


def bench_movement() -> None:
    """What movement costs, and how soon a skim is heard."""
    score = held_chord("C2 G2 D3 A3", 240.0)
    for make in SOUNDS:
        sound = read_sound(make())
        fraction = movement_fraction(lambda sound=sound: render(sound, score, 20.0))
        say(f"{sound.name}, movement's share of a render", f"{100 * fraction:.1f} %",
            "at most 10 %")  # fmt: skip
        moving = best(lambda sound=sound: render(sound, score, 20.0), 3)
        still = best(lambda sound=sound: render(still_copy(sound), score, 20.0), 3)
        say(f"{sound.name}, moving against all at rest, sources included",
            f"{moving / still:.2f}")  # fmt: skip
        first = best(lambda sound=sound: Skim(sound, score, evenly(240.0, 16.0)).block(), 2)
        say(f"{sound.name}, skim to the first samples", f"{1000 * first:.0f} ms",
            "at most 1000 ms")  # fmt: skip


def still_copy(sound: Sound) -> Sound:
    """A sound whose modulators are computed for nothing: every route is muted."""
    copy = sound.model_copy(deep=True)
    for mover in (*copy.routes, *copy.lanes):
        mover.muted = True
    return copy


def dearer_in_small_blocks(sound: Sound, score: Score) -> float:
    """How many times as long as in blocks of 8,192 it takes in blocks of 64."""
    in_blocks(sound, score, 8_192)
    small, large = (best(lambda b=b: in_blocks(sound, score, b), 2) for b in (TICK, 8_192))  # type: ignore[misc]
    return small / large


def bench_rendering() -> None:
    """Speed of rendering against real time."""
    sound, score = read_sound(dome_air()), held_chord("C2 G2 D3 A3", 240.0)
    one = best(lambda: render(sound, score, 30.0))
    say("Dome Air, one core", f"{30.0 / one:.1f} x real time", "at least 25")
    dearer = {
        one.name: dearer_in_small_blocks(one, score)
        for one in (read_sound(make()) for make in SOUNDS)
    }
    worst = max(dearer, key=lambda name: dearer[name])
    say(
        "Blocks of 64 against blocks of 8,192, Dome Air", f"{dearer[sound.name]:.1f} x", "at most 5"
    )
    say(f"The same, most in {worst}", f"{dearer[worst]:.1f} x", "at most 5")
    two = best(lambda: render(sound, score, 240.0, threads=2), 2)
    say("Dome Air, four minutes on two threads", f"{two:.1f} s", "at most 10 s")
    for what, made, wanted in cases():
        taken = best(lambda made=made: render(made, score, 15.0))  # type: ignore[misc]
        say(f"{what}, one core", f"{15.0 / taken:.1f} x real time", f"at least {wanted:.0f}")
    for what, made, chord, wanted in thick_cases():
        notes = held_chord(chord, 240.0)
        one, two = (
            best(lambda made=made, n=n, notes=notes: render(made, notes, 5.0, n), 2)  # type: ignore[misc]
            for n in (1, 2)
        )
        say(f"{what}, one core and two", f"{5.0 / one:.1f} and {5.0 / two:.1f} x real time",
            f"at least {wanted:.0f}")  # fmt: skip
    for make in SOUNDS[1:]:
        other = read_sound(make())
        taken = best(lambda other=other: render(other, score, 15.0), 2)  # type: ignore[misc]
        say(f"{other.name}, one core", f"{15.0 / taken:.1f} x real time")


def bench_command() -> None:
    """The whole command, from the start of its process to the finished file."""
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "caligo", "render", "Dome Air", "--minutes", "4"]
        command += ["--threads", "2", "-o", f"{folder}/bench.wav"]
        taken = best(lambda: subprocess.run(command, capture_output=True, check=True, cwd=ROOT), 2)
    say("caligo render, four minutes of Dome Air on two cores", f"{240.0 / taken:.1f} x real time",
        "at least 30, start included")  # fmt: skip


def first_whole(sound: Any, score: Score) -> Tile:
    """The first preview that covers the whole length without steps."""
    return next(t for t in preview_tiles(sound, score, threads=2) if len(t.levels) > 1)


def first_samples(sound: Sound, score: Score, start: float, times: int = 3) -> float:
    """Seconds from the wish to listen to the first block, the shortest of several."""
    found = []
    for _ in range(times):
        began = time.perf_counter()
        listening = Listening(sound, score, start=start)
        listening.block()
        found.append(time.perf_counter() - began)
        listening.end()
        # What had begun to warm up beside it ends soon, and is not to slow the next.
        time.sleep(REST)
    return min(found)


def listening_speed(sound: Sound, score: Score) -> float:
    """How many times as quick as real time, in stretches that can be gone back into."""
    listening = Listening(sound, score, start=20.0, replaceable=lambda: listening.frames - AHEAD)
    listening.end()

    def ten_seconds() -> None:
        until = listening.frames + 10 * DEFAULT_RATE
        while listening.frames < until:
            listening.stretch()

    return 10.0 / best(ten_seconds, 2)


def bench_listening() -> None:
    """How each demo sound is listened to before anything of it has been drawn."""
    score = held_chord("C2 G2 D3 A3", 240.0)
    for make in SOUNDS:
        sound = read_sound(make())
        starts = [first_samples(sound, score, at, 2) for at in (60.0, 180.0)]
        first = best(lambda sound=sound: first_whole(sound, score), 2)  # type: ignore[misc]
        say(f"{sound.name}, the whole coarse long view", f"{1000 * first:.0f} ms",
            "at most 400 ms")  # fmt: skip
        say(f"{sound.name}, listening", f"{listening_speed(sound, score):.1f} x real time",
            "at least 10")  # fmt: skip
        say(f"{sound.name}, first samples at minutes 1 and 3",
            f"{1000 * max(starts):.0f} ms", "at most 200 ms")  # fmt: skip
    mean, longest = beside_a_busy_thread()
    say("Gelatin Choir, a block beside a busy thread, mean and longest",
        f"{mean:.2f} and {longest:.2f} of its length", "less than 1")  # fmt: skip


def seen_from_afar(tiles: Iterable[Any]) -> NDArray[np.float64]:
    """A picture in dB ``[48, ROWS]``: means of 25 columns, paper from 82 dB under full scale on."""
    picture = np.zeros((COLUMNS, ROWS))
    for tile in tiles:
        if isinstance(tile, Tile):
            wide = np.repeat(tile.levels, tile.span, axis=0)
            picture[tile.first : tile.first + len(wide)] = wide
    decibels = np.maximum((1.0 - picture / 255.0) * FLOOR, -82.0)
    found: NDArray[np.float64] = decibels.reshape(48, -1, ROWS).mean(axis=1)
    return found


def away_from(exact: NDArray[np.float64], tiles: Iterable[Tile]) -> str:
    """How far each whole preview is from what is seen of the exact one, and when it came.

    Mean differences in the thirds of the rows.
    """
    rows, began = [], time.perf_counter()
    for tile in tiles:
        if len(tile.levels) > 1:
            taken = time.perf_counter() - began
            thirds = np.array_split(np.abs(seen_from_afar([tile]) - exact), 3, axis=1)
            away = ", ".join(f"{third.mean():.1f}" for third in thirds)
            rows.append(f"{away} dB after {1000 * taken:.0f} ms")
    return "; ".join(rows)


def edit_of(sound: Any) -> dict[str, Any]:
    """A sound whose first layer is 6 dB softer, with its first filter's corner an octave lower."""
    document: dict[str, Any] = sound.as_document()
    layer = document["layers"][0]
    layer["params"]["level"] = max(-80.0, layer["params"]["level"] - 6.0)
    for part in layer["filters"][:1]:
        if "cutoff" in part["params"]:
            part["params"]["cutoff"] = max(20.0, 0.5 * part["params"]["cutoff"])
    return document


def bench_previews() -> None:
    """How far the preview of each demo sound is from the exact one, seen from afar."""
    score = held_chord("C2 G2 D3 A3", 240.0)
    for make in SOUNDS:
        sound = read_sound(make())
        whole = list(fine(sound, score, threads=2))
        exact = seen_from_afar(whole)
        say(f"{sound.name}, coarse picture: lows, middle, highs",
            away_from(exact, preview_tiles(sound, score, threads=2)), "at most 6 dB")  # fmt: skip
        edited = read_sound(edit_of(sound))
        parts = seen_from_afar(fine(edited, score, threads=2))
        drawn = Drawn.of(
            {probe.index: probe for probe in probes(sound, score, threads=2, most=KEPT_PROBES)},
            [part for part in whole if isinstance(part, Tile)],
            Summary(),
        )
        say(f"{sound.name}, the same after an edit of the picture before",
            away_from(parts, preview_tiles(edited, score, threads=2, basis=drawn)),
            "at most 3 dB each")  # fmt: skip


def bench_answers() -> None:
    """How quickly the screen is answered."""
    many, long = many_modulators(), held_chord("C2 G2 D3 A3", 600.0)
    taken = best(lambda: trajectories_packet(many, long, 480, 1), 7)
    say("Trajectories of 32 modulators and 128 routes over 10 minutes", f"{1000 * taken:.0f} ms",
        "at most 100 ms")  # fmt: skip
    sound, score = read_sound(dome_air()), held_chord("C2 G2 D3 A3", 240.0)
    first = best(lambda: next(preview_tiles(sound, score)), 5)
    say("First coarse column of the long view", f"{1000 * first:.0f} ms", "at most 500 ms")
    for minute in (0, 2, 3.7):
        start = first_samples(sound, score, 60.0 * minute)
        say(f"Listen from {minute} min to the first samples", f"{1000 * start:.0f} ms",
            "at most 300 ms")  # fmt: skip
    listening = Listening(sound, score, start=180.0)
    listening.end()

    other = read_sound(dome_air() | {"buses": []} | {"layers": [sound.as_document()["layers"][0]
                                                                | {"sends": []}]})  # fmt: skip
    states = itertools.cycle((other, sound))

    def edited() -> None:
        listening.edit(next(states))
        listening.block()

    numbers = itertools.cycle(range(1, 90))

    def turned() -> None:
        changed = sound.model_copy(deep=True)
        changed.layers[0].filters[0].params["cutoff"] = 500.0 + next(numbers)
        listening.edit(changed)
        listening.block()

    listening.edit(sound)
    say("A number turned at minute 3 to its first samples", f"{1000 * best(turned, 9):.0f} ms",
        "at most 43 ms: 107 more are buffered")  # fmt: skip

    structure = 1000 * best(edited, 7)
    say("An edit of the structure to its first samples", f"{structure:.0f} ms",
        "at most 43 ms: 107 more are buffered")  # fmt: skip


def bench_filters() -> None:
    """The filter kernel against scipy's, which has neither movement nor resonance to follow."""
    signal = np.random.default_rng(1).standard_normal((4, 2, 1024 * TICK)).astype(np.float32)
    steady = np.ones((4, 1025))
    cutoff, damping = cutoff_gain(800.0 * steady, DEFAULT_RATE), sharpness(20.0 * steady, True)
    state = np.zeros((4, 2, 4))
    ours = best(lambda: run(signal, cutoff, damping, steady, False, state), 9)
    sections = scipy.signal.butter(4, 800.0, fs=DEFAULT_RATE, output="sos")
    theirs = best(lambda: scipy.signal.sosfilt(sections, signal, axis=2), 9)
    say("24 dB filter on 4 stereo voices, moved at every tick", f"{ours / theirs:.2f} x scipy")


def bench_memory() -> None:
    """Peak memory of renders to a file, each in a process of its own."""
    peaks = {}
    for minutes in (5, 30):
        with tempfile.TemporaryDirectory() as folder:
            command = [sys.executable, "-c", MEMORY_PROBE, str(minutes), f"{folder}/probe.wav"]
            done = subprocess.run(command, capture_output=True, text=True, check=True, cwd=ROOT)
        peaks[minutes] = float(done.stdout)
        say(f"Peak memory of a render of {minutes} minutes", f"{peaks[minutes]:.0f} MB",
            "at most 400 MB")  # fmt: skip
    say("30 minutes against 5", f"{peaks[30] / peaks[5]:.3f} x", "at most 1.1")


def main() -> None:
    """Measure everything."""
    warm()
    bench_rendering()
    bench_command()
    bench_listening()
    bench_previews()
    bench_answers()
    bench_movement()
    bench_filters()
    for line in processor_costs():
        say(*line)
    bench_memory()


if __name__ == "__main__":
    main()
