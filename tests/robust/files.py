"""Mutated files of every kind that is read.

    python -m tests.robust.files 10000

Each is answered clearly, within 2 s and 400 MB, and never by an exception of another kind.
"""

from __future__ import annotations

import io
import json
import random
import resource
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import mido
import numpy as np
import soundfile
from PIL import Image

from caligo.command.inputs import InputError, read_json
from caligo.document import DocumentError, read_sound
from caligo.document.held import held_chord
from caligo.formats.midi import MidiError, read_midi, write_midi
from caligo.formats.scala import ScalaError, read_scala
from caligo.formats.sfz import SfzError, read_sfz
from caligo.material.cutting import by_picture
from caligo.material.reading import MaterialError, read_recording
from demo.pads import dome_air

SLOWEST = 2.0
LARGEST_MB = 400
LONGEST_TEXT = 2_000
CLEAR = (DocumentError, InputError, MidiError, ScalaError, SfzError, MaterialError)


def _audio(container: str, subtype: str) -> bytes:
    wave = 0.3 * np.sin(np.arange(9_000) / 30.0).astype(np.float32)
    out = io.BytesIO()
    soundfile.write(out, np.stack([wave, wave], axis=1), 22_050, format=container, subtype=subtype)
    return out.getvalue()


def _png() -> bytes:
    out = io.BytesIO()
    Image.fromarray((np.outer(np.arange(40), np.arange(60)) % 256).astype(np.uint8)).save(
        out, "PNG"
    )
    return out.getvalue()


def _busy_midi() -> bytes:
    file = mido.MidiFile(file=io.BytesIO(write_midi(held_chord("C2 G2", 20.0))))
    track = file.tracks[0]
    for i in range(200):
        track.insert(1, mido.MetaMessage("set_tempo", tempo=400_000 + i, time=3))
        track.insert(1, mido.MetaMessage("marker", text=f"M{i}", time=2))
        track.insert(1, mido.Message("control_change", control=i % 120, value=i % 128, time=1))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


SFZ = b"""<control> default_path=samples/
<group> lovel=1 hivel=127 tune=-5
<region> sample=a b.wav key=c4 loop_mode=loop_continuous loop_start=10 loop_end=2000
<region> sample=c.wav lokey=30 hikey=50 pitch_keycenter=40 volume=-3.5 // a remark
"""
SCALA = b"! a.scl\n!\nA scale\n 5\n!\n 9/8\n 386.3\n 3/2\n 900.0\n 2/1\n"

Read = Callable[[Path, bytes], object]
KINDS: dict[str, tuple[list[bytes], Read]] = {
    "midi": (
        [write_midi(held_chord("C2 G2 D3", 8.0)), _busy_midi()],
        lambda _, data: read_midi(data, "a.mid"),
    ),
    "sfz": ([SFZ], lambda _, data: read_sfz(data.decode("utf-8", "replace"))),
    "scala": ([SCALA], lambda _, data: read_scala(data.decode("utf-8", "replace"))),
    "wav": (
        [_audio("WAV", "PCM_16"), _audio("WAV", "FLOAT")],
        lambda path, _: read_recording(path, "a.wav"),
    ),
    "flac": ([_audio("FLAC", "PCM_16")], lambda path, _: read_recording(path, "a.flac")),
    "ogg": ([_audio("OGG", "VORBIS")], lambda path, _: read_recording(path, "a.ogg")),
    "png": ([_png()], lambda path, _: by_picture(path, "a.png")),
    "json": ([json.dumps(dome_air()).encode()], lambda path, _: read_sound(read_json(path))),
}


def mutated(r: random.Random, seed: bytes) -> bytes:
    """A file with some bytes changed, cut, doubled, moved or blown up."""
    data = bytearray(seed)
    for _ in range(r.choice([1, 1, 2, 4, 12])):
        at = r.randrange(len(data) + 1)
        match r.randrange(8):
            case 0 if data:
                data[min(at, len(data) - 1)] = r.randrange(256)
            case 1 if data:
                data[min(at, len(data) - 1)] ^= 1 << r.randrange(8)
            case 2:
                del data[at : at + r.choice([1, 4, 50])]
            case 3:
                data[at:at] = data[at : at + r.choice([4, 40, 400])]
            case 4:
                data[at:at] = r.choice([b"\0", b"\xff", b"9", b"[", b"<", b"-", b"="]) * r.choice(
                    [1, 8, 300]
                )
            case 5:
                data = data[: r.randrange(len(data) + 1)]
            case 6:
                word = r.choice([b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\0\0\0\0", b"1e999"])
                data[at : at + len(word)] = word
            case _ if r.random() < 0.02:
                data[at:at] = r.choice([b"a", b"7", b" ", b"{", b"\n"]) * (1 << 20)
    return bytes(data)


def run(
    kind: str, count: int, seed: int = 1, slowest: float = SLOWEST
) -> tuple[Counter[str], list[str]]:
    """The tally of answers, and complaints."""
    r = random.Random(f"{kind}{seed}")
    seeds, read = KINDS[kind]
    tally: Counter[str] = Counter()
    complaints = []
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"a.{kind}"
        for number in range(count):
            data = mutated(r, r.choice(seeds))
            path.write_bytes(data)
            began = time.perf_counter()
            try:
                read(path, data)
                tally["read"] += 1
            except CLEAR as error:
                tally["refused"] += 1
                if len(str(error)) > LONGEST_TEXT:
                    complaints.append(f"{kind} {number}: {len(str(error))} characters")
            except Exception as error:
                complaints.append(f"{kind} {number}: {error!r:.200}")
            taken = time.perf_counter() - began
            if taken > slowest:
                complaints.append(f"{kind} {number}: {taken:.1f} s")
    return tally, complaints


def main() -> None:
    """Print the tally of each kind."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    bad = 0
    for kind in KINDS:
        tally, complaints = run(kind, count)
        bad += len(complaints)
        said = ", ".join(f"{what} {times}" for what, times in sorted(tally.items()))
        print(f"{kind}: {said}, complaints {len(complaints)}", flush=True)
        for complaint in complaints[:8]:
            print("   ", complaint)
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    print(f"memory grew by {grown:.0f} MB at most (wanted: {LARGEST_MB})")
    raise SystemExit(1 if bad or grown > LARGEST_MB else 0)


if __name__ == "__main__":
    main()
