"""Pictures that were drawn to their end, kept on disk.

They are shown at once when a sound is opened again, and are the ground of the first picture of what
an edit makes of it.
"""

from __future__ import annotations

import json
import math
import os
import shutil
import threading
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from hashlib import sha256
from pathlib import Path
from zipfile import BadZipFile

import numpy as np
from numpy.typing import NDArray

from caligo.document.score import Score
from caligo.document.sound import Sound
from caligo.document.tempo import TempoMap
from caligo.engine.layers.voicing import Voicing
from caligo.engine.render.engine import DEFAULT_RATE
from caligo.engine.stems.keys import StemKeys
from caligo.engine.stems.store import RESERVE
from caligo.engine.views.long_view import COLUMNS, Summary, Tile
from caligo.measure.findings import Finding
from caligo.movement.hold_still import Frozen, HoldStill

PROBES = 72
"""Probes that a preview is made from, in the middles of as many equal parts of the length."""
KEPT_PROBES = 24
"""Of these, the ones in the middles of so many parts are kept with a picture."""
FEW_PROBES = 8
"""The same where the whole is so short that there are no more."""
MOST = 200
"""Pictures that are kept: 20 to 30 MB."""
QUIET = -120.0
"""What stands for silence, in LUFS, in a file."""


@dataclass(frozen=True, slots=True)
class Probe:
    """What is seen at one moment, in the middle of one of `PROBES` parts of the length.

    Levels ``[ROWS]`` and an image ``[IMAGE]`` as bytes, loudness in LUFS, and width.
    """

    index: int
    levels: NDArray[np.uint8]
    image: NDArray[np.uint8]
    loudness: float
    width: float


@dataclass(frozen=True, slots=True)
class Drawn:
    """A picture drawn to its end, and the probes that its preview was made from.

    Parameters
    ----------
    levels, image, loudness, width
        Of every column: bytes ``[COLUMNS, ROWS]`` and ``[COLUMNS, IMAGE]``, LUFS and width
        ``[COLUMNS]``.
    probes, probe_images, probe_loudness, probe_width
        The same of the probes that are kept ``[kept, ROWS]``, ``[kept, IMAGE]``, ``[kept]``, which
        lie in the middles of equal parts of the length.
    """

    levels: NDArray[np.uint8]
    image: NDArray[np.uint8]
    loudness: NDArray[np.float32]
    width: NDArray[np.float32]
    probes: NDArray[np.uint8]
    probe_images: NDArray[np.uint8]
    probe_loudness: NDArray[np.float32]
    probe_width: NDArray[np.float32]
    summary: Summary

    @classmethod
    def of(cls, probes: Mapping[int, Probe], tiles: Sequence[Tile], summary: Summary) -> Drawn:
        """From the probes of the preview and the tiles of the exact one, in order."""

        def line(values: Iterable[float]) -> NDArray[np.float32]:
            return np.array([max(value, QUIET) for value in values], np.float32)

        part = PROBES // (KEPT_PROBES if len(probes) >= KEPT_PROBES else FEW_PROBES)
        seen = [probes[index] for index in range(part // 2, PROBES, part)]
        return cls(
            np.concatenate([tile.levels for tile in tiles])[:COLUMNS],
            np.concatenate([tile.image for tile in tiles])[:COLUMNS],
            line(value for tile in tiles for value in tile.loudness)[:COLUMNS],
            line(value for tile in tiles for value in tile.width)[:COLUMNS],
            np.array([probe.levels for probe in seen]),
            np.array([probe.image for probe in seen]),
            line(probe.loudness for probe in seen),
            line(probe.width for probe in seen),
            summary,
        )

    def place_of(self, index: int) -> int:
        """Which of the kept probes one of `PROBES` is."""
        return index * len(self.probes) // PROBES

    def tile(self) -> Tile:
        """The whole picture."""
        loudness = [float(v) if v > QUIET else -math.inf for v in self.loudness]
        return Tile(0, 1, True, self.levels, self.image, loudness, self.width.tolist())


def picture_key(sound: Sound, score: Score, hold_still: HoldStill = False) -> str:
    """What a picture depends on, as one word: all that is heard."""
    voicing = Voicing(sound, score.notes, TempoMap(score))
    return StemKeys(sound, score, voicing, DEFAULT_RATE, hold_still).of_mix()


def family_of(sound: Sound, score: Score, hold_still: HoldStill = False) -> str:
    """What the states of a sound have in common while it is edited, as one word."""
    still = "frozen" if isinstance(hold_still, Frozen) else str(hold_still)
    ids = sorted(part.id for part in (*sound.layers, *sound.buses))
    return sha256(json.dumps([ids, score.length, still]).encode()).hexdigest()[:16]


class PictureStore:
    """A folder of finished pictures; the least used are let go."""

    def __init__(self, directory: Path, most: int = MOST) -> None:
        self._directory = directory
        self._most = most
        directory.mkdir(parents=True, exist_ok=True)

    def has(self, key: str) -> bool:
        """Whether exactly this has been drawn."""
        return any(self._directory.glob(f"*-{key}.npz"))

    def read(self, key: str) -> Drawn | None:
        """The picture of exactly this, if it has been drawn."""
        return self._first(self._directory.glob(f"*-{key}.npz"))

    def newest(self, family: str) -> Drawn | None:
        """The picture of a family that was drawn or shown last."""
        try:
            paths = self._directory.glob(f"{family}-*.npz")
            found = sorted(paths, key=lambda p: -p.stat().st_mtime)
        except OSError:
            return None
        return self._first(found)

    def _first(self, paths: Iterable[Path]) -> Drawn | None:
        for path in paths:
            try:
                with np.load(path, allow_pickle=False) as file:
                    stored = json.loads(str(file["summary"]))
                    stored["findings"] = [Finding(**one) for one in stored["findings"]]
                    summary = Summary(**stored)
                    arrays = {name: file[name] for name in file.files if name != "summary"}
                os.utime(path)
                drawn = Drawn(summary=summary, **arrays)
            except (OSError, ValueError, TypeError, KeyError, EOFError, BadZipFile):
                continue
            if len(drawn.levels) == COLUMNS and len(drawn.probes) in (FEW_PROBES, KEPT_PROBES):
                return drawn
        return None

    def write(self, key: str, family: str, drawn: Drawn) -> None:
        """Keep a picture, whole or not at all; a full disk only costs the keeping."""
        scratch = self._directory / f"{key}.{os.getpid()}-{threading.get_ident()}"
        arrays = {name: getattr(drawn, name) for name in Drawn.__slots__ if name != "summary"}
        try:
            if shutil.disk_usage(self._directory).free >= RESERVE:
                with scratch.open("wb") as file:
                    summary = json.dumps(asdict(drawn.summary))
                    np.savez_compressed(file, summary=summary, **arrays)
                scratch.replace(self._directory / f"{family}-{key}.npz")
            held = sorted(self._directory.glob("*.npz"), key=lambda p: -p.stat().st_mtime)
            for path in held[self._most :]:
                path.unlink(missing_ok=True)
        except OSError:
            scratch.unlink(missing_ok=True)
