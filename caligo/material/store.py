"""The material library: directories of recordings and tables, found by hashes of their samples.

The first folder is written to; the others, such as the demo's, are only read. A card in an
earlier folder stands before one of the same key in a later.
"""

from __future__ import annotations

import io
import json
import math
import os
import shutil
import tempfile
import threading
from collections import OrderedDict
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from caligo.material.cards import CARD, Card, RecordingCard, TableCard
from caligo.material.channels import write_two
from caligo.material.long import ArrayFile, is_long, mapped
from caligo.material.pitch import detect
from caligo.material.reading import (
    MaterialError,
    RecordingReader,
    content_key,
    read_recording,
)
from caligo.material.recording import Recording, measured, played_loudness
from caligo.material.steps import apply, apply_long

SHIPPED = Path(__file__).resolve().parents[2] / "demo" / "material"
VARIABLE = "CALIGO_MATERIAL"
KEPT_BYTES = 400 << 20
"""Bytes of prepared recordings that are held ready in memory."""
LONGEST_KEY = 64
MADE = "made"
"""The folder of files that are made of long recordings, and can be made again."""


ASIDE = ".let-go"
"""Ending of the files of deleted cards, which can be brought back."""


def is_key(text: str) -> bool:
    """Whether a text may name a piece: a hash, and nothing that leads to another folder."""
    return 0 < len(text) <= LONGEST_KEY and text.isascii() and text.isalnum()


class MaterialStore:
    """Material in folders.

    Parameters
    ----------
    directories
        The first is written to, and made if it is missing.
    """

    def __init__(self, directories: list[Path]) -> None:
        self.directories = directories
        self._lock = threading.Lock()
        self._ready: OrderedDict[tuple[str, str], Recording] = OrderedDict()
        self._changing: dict[str, threading.Lock] = {}

    def card(self, key: str) -> RecordingCard | TableCard | None:
        """The card of a key, or None."""
        if not is_key(key):
            return None
        for directory in self.directories:
            path = directory / f"{key}.json"
            try:
                return CARD.validate_json(path.read_bytes())
            except (OSError, ValidationError):
                continue
        return None

    def cards(self) -> list[RecordingCard | TableCard]:
        """All cards, by name."""
        keys = {path.stem for directory in self.directories for path in directory.glob("*.json")}
        found = [card for key in keys if (card := self.card(key)) is not None]
        return sorted(found, key=lambda card: (card.name.lower(), card.key))

    def signature(self, key: str) -> str:
        """What changes when a piece sounds different; empty for one that is missing."""
        card = self.card(key)
        return "" if card is None else card.signature()

    def is_shipped(self, key: str) -> bool:
        """Whether a piece lies in a folder that is only read."""
        return is_key(key) and any(
            (directory / f"{key}.json").exists() for directory in self.directories[1:]
        )

    def path(self, card: RecordingCard | TableCard) -> Path | None:
        """The file that a card belongs to, or None if it is gone."""
        places = [directory / card.file for directory in self.directories]
        return next((place for place in places if place.exists()), None)

    def _place(self, card: RecordingCard) -> Path | None:
        """Where files made of a long recording are kept; none for a short one."""
        if not is_long(card.frames, card.channels):
            return None
        directory = self.directories[0]
        if directory == SHIPPED:
            directory = Path(tempfile.gettempdir()) / f"caligo-{os.getuid()}"
        return directory / MADE / f"{card.key}-{card.signature()}"

    def original(self, key: str) -> tuple[RecordingCard, NDArray[np.float32]] | None:
        """A recording ``[channels, samples]`` before its steps; None if it is not there whole.

        A long one is decoded to a file once, and mapped.
        """
        card = self.card(key)
        if not isinstance(card, RecordingCard):
            return None
        path = self.path(card)
        if path is None:
            return None
        try:
            if not is_long(card.frames, card.channels):
                return card, read_recording(path, card.name)[0]
            return card, mapped(self._decoded(card.key, path, card.name))
        except (MaterialError, OSError):
            return None

    def _decoded(self, key: str, path: Path, called: str) -> Path:
        """The samples of a long recording as a file."""
        place = (
            self.directories[0] if self.directories[0] != SHIPPED else Path(tempfile.gettempdir())
        )
        target = place / MADE / f"{key}.npy"
        if not target.exists():
            _decode(path, called, target)
        return target

    def recording(self, key: str) -> Recording | None:
        """A recording after its steps, from memory where it was used before; None if missing."""
        card = self.card(key)
        if not isinstance(card, RecordingCard):
            return None
        name = (key, card.signature())
        with self._lock:
            if name in self._ready:
                self._ready.move_to_end(name)
                return self._ready[name]
        found = self.original(key)
        if found is None:
            return None
        made = self._prepared(card, found[1])
        with self._lock:
            self._ready[name] = made
            while len(self._ready) > 1 and self._held() > KEPT_BYTES:
                self._ready.popitem(last=False)
        return made

    def _prepared(self, card: RecordingCard, samples: NDArray[np.float32]) -> Recording:
        place = self._place(card)
        if place is None:
            return Recording(card, apply(samples, card.rate, card.steps))
        stepped = place.with_name(f"{place.name}.npy")
        if not card.steps:
            return Recording(card, samples, place)
        if stepped.exists():
            return Recording(card, mapped(stepped), place)
        return Recording(card, apply_long(samples, card.rate, card.steps, stepped), place)

    def _held(self) -> int:
        # A recording's copies take five times as much as itself.
        return sum(6 * r.samples.nbytes for r in self._ready.values() if r.place is None)

    def spectra(self, key: str) -> NDArray[np.complex128] | None:
        """A cut table's spectra ``[frames, partials]``; None if missing."""
        card = self.card(key)
        path = self.path(card) if isinstance(card, TableCard) else None
        if path is None:
            return None
        try:
            found: NDArray[np.complex128] = np.load(path, allow_pickle=False).astype(complex)
        except (OSError, ValueError, EOFError):
            return None
        return found

    def write(self, card: RecordingCard | TableCard) -> None:
        """Keep a card, whole or not at all."""
        directory = self.directories[0]
        directory.mkdir(parents=True, exist_ok=True)
        text = json.dumps(card.model_dump(mode="json"), indent=1) + "\n"
        scratch = directory / f".{card.key}.{os.getpid()}.{threading.get_ident()}"
        scratch.write_text(text)
        path = directory / f"{card.key}.json"
        scratch.replace(path)
        # Taken in again, a piece is what it is now, not what it once was.
        path.with_suffix(ASIDE).unlink(missing_ok=True)

    def add_recording(
        self,
        path: Path,
        name: str,
        origin: str = "",
        called: str = "",
        *,
        take: str = "",
        progress: Callable[[float], None] = lambda _: None,
        interrupted: Callable[[], bool] = lambda: False,
    ) -> tuple[RecordingCard, bool]:
        """Import a file; returns its card, and whether it was new.

        `called` is what problems call the file, its own name if not given. `take` says what of a
        file with more than two channels, see `caligo.material.channels`. While a long one is
        decoded, `progress` receives the fraction that is done, and it stops where `interrupted`.

        Raises
        ------
        MaterialError
            See `caligo.material.reading.read_recording`.
        """
        called = called or path.name
        if take:
            with tempfile.TemporaryDirectory(dir=path.parent) as directory:
                two = Path(directory) / "two.wav"
                write_two(path, called, take, two)
                return self.add_recording(
                    two, name, origin, called, progress=progress, interrupted=interrupted
                )
        with RecordingReader(path, called) as reader:
            long, rate, ending = is_long(reader.frames, reader.channels), reader.rate, reader.ending
        if long:
            scratch = self.directories[0] / MADE / f".new.{os.getpid()}.{threading.get_ident()}.npy"
            _decode(path, called, scratch, progress, interrupted)
            samples = mapped(scratch)
        else:
            samples, rate = read_recording(path, called)
        try:
            return self._keep(path, name, origin, samples, rate, ending)
        finally:
            if long:
                scratch.unlink(missing_ok=True)

    def _keep(
        self,
        path: Path,
        name: str,
        origin: str,
        samples: NDArray[np.float32],
        rate: int,
        ending: str,
    ) -> tuple[RecordingCard, bool]:
        """Keep a file that has been read, unless its samples are known already."""
        key = content_key(samples, rate)
        known = self.card(key)
        if isinstance(known, RecordingCard) and self.path(known) is not None:
            return known, False
        directory = self.directories[0]
        directory.mkdir(parents=True, exist_ok=True)
        file = f"{key}{ending}"
        scratch = directory / f".{key}.{os.getpid()}{ending}"
        try:
            shutil.copyfile(path, scratch)
            scratch.replace(directory / file)
        finally:
            scratch.unlink(missing_ok=True)
        pitch = detect(samples, rate)
        root = None if pitch is None else round(pitch.key, 2)
        card = RecordingCard(
            key=key,
            name=_short(name),
            file=file,
            rate=rate,
            channels=samples.shape[0],
            frames=samples.shape[1],
            origin=origin,
            root=root if root is not None and 0 <= root <= 127 else None,
            detected=root,
        )
        card = described(card, samples)
        self.write(card)
        return card, True

    def add_table(
        self, spectra: NDArray[np.complex128], name: str, origin: str, **more: object
    ) -> TableCard:
        """Keep a cut table: its partials' complex amplitudes ``[frames, partials]``."""
        whole = np.ascontiguousarray(spectra.astype(np.complex64))
        key = content_key(whole.view(np.float32).reshape(1, -1), len(whole))
        directory = self.directories[0]
        directory.mkdir(parents=True, exist_ok=True)
        buffer = io.BytesIO()
        np.save(buffer, whole)
        scratch = directory / f".{key}.{os.getpid()}.npy"
        scratch.write_bytes(buffer.getvalue())
        scratch.replace(directory / f"{key}.npy")
        card = TableCard(
            key=key, name=_short(name), file=f"{key}.npy", frames=len(whole), origin=origin,
            **more,
        )  # fmt: skip
        self.write(card)
        return card

    def update(self, key: str, change: Callable[[Card], Card]) -> Card | None:
        """Change a piece's card; of changes made at once, each finds the one before.

        Parameters
        ----------
        key : str
        change : callable
            Is given the card as it is, and gives the one to keep.

        Returns
        -------
        Card or None
            The card that was kept; None if there is no such piece.
        """
        with self._lock:
            changing = self._changing.setdefault(key, threading.Lock())
        with changing:
            card = self.card(key)
            if card is None:
                return None
            fresh = change(card)
            self.write(fresh)
            return fresh

    def remove(self, key: str) -> None:
        """Delete a piece, which can be brought back; shipped ones become as they came."""
        card = self.directories[0] / f"{key}.json"
        if is_key(key) and card.exists():
            aside = card.with_suffix(ASIDE)
            card.replace(aside)
            aside.touch()

    def bring_back(self, key: str) -> bool:
        """Bring a deleted piece back; False if that cannot be done."""
        card = self.directories[0] / f"{key}.json"
        aside = card.with_suffix(ASIDE)
        if not is_key(key) or card.exists() or not aside.exists():
            return False
        aside.replace(card)
        return True

    def evict(self, moment: float) -> int:
        """Delete for good what was deleted before a moment in Unix time; how many pieces."""
        old = [a for a in self.directories[0].glob(f"*{ASIDE}") if a.stat().st_mtime < moment]
        for aside in old:
            try:
                card = CARD.validate_json(aside.read_bytes())
            except ValidationError:
                pass
            else:
                # A card that names another piece's file has no say in that.
                if Path(card.file).stem == aside.stem:
                    (self.directories[0] / card.file).unlink(missing_ok=True)
            aside.unlink()
        return len(old)


def _decode(
    path: Path,
    called: str,
    target: Path,
    progress: Callable[[float], None] = lambda _: None,
    interrupted: Callable[[], bool] = lambda: False,
) -> None:
    """The samples of an audio file as an array on disk."""
    with RecordingReader(path, called) as reader:
        needed = 4 * reader.frames * reader.channels
        target.parent.mkdir(parents=True, exist_ok=True)
        if shutil.disk_usage(target.parent).free < 2 * needed:
            raise MaterialError(
                f"{called} needs {2 * needed >> 20} MB of room on the disk, which is not there"
            )
        with ArrayFile(target, reader.channels, reader.frames) as file:
            at = 0
            for piece in reader.pieces():
                file.write(at, piece)
                at += piece.shape[1]
                progress(at / reader.frames)
                if interrupted():
                    raise MaterialError(f"{called} was not imported: it was cancelled")


def _short(name: str) -> str:
    return name.strip()[:80] or "Untitled"


def described(card: RecordingCard, samples: NDArray[np.float32]) -> RecordingCard:
    """The card with peak and loudness of the recording after its steps.

    `samples` is the recording as it came ``[channels, frames]``.
    """
    long = is_long(samples.shape[1], len(samples))
    with tempfile.TemporaryDirectory() as directory:
        if long and card.steps:
            heard = apply_long(samples, card.rate, card.steps, Path(directory) / "heard.npy")
        else:
            heard = samples if long else apply(samples, card.rate, card.steps)
        loudness, highest = measured(heard, card.rate)
        played = played_loudness(heard, card.rate, card.root, loudness)
    return card.model_copy(
        update={
            "peak": round(20.0 * math.log10(highest), 2) if highest > 0.0 else None,
            "loudness": None if loudness is None else round(loudness, 2),
            "played": None if played is None else round(played, 2),
        }
    )


def store_of(directories: list[str]) -> MaterialStore:
    """The material library of some directories; the same one each time, since it caches."""
    return _store_of(os.pathsep.join(directories))


@lru_cache(maxsize=8)
def _store_of(directories: str) -> MaterialStore:
    return MaterialStore(
        [Path(directory) for directory in directories.split(os.pathsep) if directory]
    )


def current() -> MaterialStore:
    """The material library of this process: directories of the environment, then the demo's.

    Returns
    -------
    MaterialStore
    """
    own = os.environ.get(VARIABLE, "")
    return _store_of(os.pathsep.join([own, str(SHIPPED)] if own else [str(SHIPPED)]))
