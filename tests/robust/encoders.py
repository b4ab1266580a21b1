"""Recordings as encoders and taggers really write them.

    python -m tests.robust.encoders [FOLDER...]

Each encoder that this machine has (`lame`, `flac`, `sox`, `oggenc`) writes 20 seconds by its
options; what is read back must last as long. Every file of the folders that are named, such as the
test data in the source archives of mutagen and scipy, must be read or refused with a message; the
length of an MP3 file is compared with what `lame` decodes.
"""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

from caligo.material.reading import MaterialError, RecordingReader

RATE, SECONDS = 44_100, 20.0
PADDING = 0.06
"""Seconds that an encoder may add: its delay, and the last frame's rest."""
SLOWEST = 5.0
WAYS = {
    "lame": [
        ["-V0"], ["-V5"], ["-V9"], ["-b", "128"], ["-b", "320"], ["--abr", "160"], ["-V5", "-t"],
        ["-b", "128", "-t"], ["-b", "64", "-m", "m"], ["--resample", "22.05", "-V5"],
        ["--resample", "11.025", "-b", "32"], ["-b", "192", "--nores"],
        ["-V2", "--add-id3v2", "--tt", "Dome"], ["-V2", "--id3v1-only", "--tt", "Dome"],
    ],
    "flac": [["-0"], ["-5"], ["-8"], ["-5", "--blocksize=576"], ["-5", "--no-padding"]],
    "oggenc": [["-q", "-1"], ["-q", "10"], ["--downmix"], ["--resample", "22050"]],
    "sox": [
        ["-r", "8000"], ["-r", "192000"], ["-b", "8"], ["-b", "24"], ["-b", "32"],
        ["-e", "float", "-b", "64"], ["-e", "u-law"], ["-e", "a-law"], ["-e", "ms-adpcm"],
        ["-e", "ima-adpcm"], ["-t", "aiff"], ["-t", "aifc"], ["-t", "au"], ["-t", "caf"],
        ["-t", "w64"], ["-t", "wav", "-c", "1"],
    ],
}  # fmt: skip
ENDINGS = {"lame": "mp3", "flac": "flac", "oggenc": "ogg", "sox": "wav"}
AUDIO = {
    ".wav",
    ".mp3",
    ".flac",
    ".ogg",
    ".oga",
    ".opus",
    ".aif",
    ".aiff",
    ".aifc",
    ".au",
    ".m4a",
    ".wv",
}


def encode(encoder: str, options: list[str], source: Path, target: Path) -> None:
    """Write a file by an encoder."""
    command = {
        "lame": ["lame", "--quiet", *options, source, target],
        "flac": ["flac", "-s", *options, "-o", target, source],
        "oggenc": ["oggenc", "-Q", *options, "-o", target, source],
        "sox": ["sox", source, *options, target],
    }[encoder]
    subprocess.run(command, check=True, capture_output=True)


def read(path: Path) -> float:
    """Seconds of a file, all of which is read.

    Raises
    ------
    MaterialError
        It is refused.
    """
    with RecordingReader(path) as reader:
        frames = sum(piece.shape[1] for piece in reader.pieces())
        assert frames == reader.frames
        return frames / reader.rate


def decoded_by_lame(path: Path, channels: int, rate: int) -> float:
    """Seconds that `lame` decodes."""
    done = subprocess.run(
        ["lame", "--decode", "--quiet", "-t", path, "-"], capture_output=True, check=False
    )
    return len(done.stdout) / 2 / channels / rate


def try_encoders(folder: Path) -> tuple[int, list[str]]:
    """Read what each encoder writes: how many files, and what is wrong."""
    t = np.arange(round(RATE * SECONDS)) / RATE
    noise = np.random.default_rng(5).standard_normal((len(t), 2))
    source = folder / "source.wav"
    soundfile.write(
        source,
        0.3 * np.sin(2 * np.pi * 220 * t)[:, None] + 0.1 * noise * t[:, None] / SECONDS,
        RATE,
    )
    tried, wrong = 0, []
    for encoder, ways in WAYS.items():
        if not shutil.which(encoder):
            print(f"{encoder} is not here, and is left out")
            continue
        for number, options in enumerate(ways):
            ending = options[1] if options[0] == "-t" and encoder == "sox" else ENDINGS[encoder]
            target = folder / f"{encoder}{number}.{ending}"
            encode(encoder, options, source, target)
            tried += 1
            try:
                seconds = read(target)
            except MaterialError as error:
                wrong.append(f"{encoder} {' '.join(options)}: {error}")
                continue
            if not -1e-3 <= seconds - SECONDS <= PADDING:
                wrong.append(f"{encoder} {' '.join(options)}: {seconds:.3f} s")
    return tried, wrong


def try_folder(folder: Path) -> tuple[int, list[str]]:
    """Read a folder's audio files: how many, and what is wrong."""
    tried, wrong = 0, []
    for path in sorted(folder.rglob("*")):
        if path.suffix.lower() not in AUDIO:
            continue
        tried, begin = tried + 1, time.monotonic()
        try:
            seconds = read(path)
            output = f"{seconds:.3f} s"
            if path.suffix.lower() == ".mp3" and shutil.which("lame"):
                header = soundfile.info(path) if seconds else None
                channels, rate = (header.channels, header.samplerate) if header else (2, RATE)
                by_lame = decoded_by_lame(path, channels, rate)
                output += f", lame {by_lame:.3f} s"
                if abs(by_lame - seconds) > PADDING:
                    wrong.append(f"{path.name}: {output}")
        except MaterialError as error:
            output = f"refused: {error}"
        if time.monotonic() - begin > SLOWEST:
            wrong.append(f"{path.name} took longer than {SLOWEST:g} s")
        print(f"{path.name}: {output}")
    return tried, wrong


def main() -> None:
    """Try all, and tell."""
    with tempfile.TemporaryDirectory() as folder:
        tried, wrong = try_encoders(Path(folder))
    for given in sys.argv[1:]:
        more, amiss = try_folder(Path(given))
        tried, wrong = tried + more, wrong + amiss
    print(f"{tried} files, {len(wrong)} wrong")
    if wrong:
        raise SystemExit("\n".join(wrong))


if __name__ == "__main__":
    main()
