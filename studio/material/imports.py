"""Uploaded files: onto the disk, checked, and imported."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePath

from django.conf import settings
from ninja.files import UploadedFile

from caligo.formats.sfz import SfzError, read_sfz
from caligo.material.cards import RecordingCard
from caligo.material.instruments import base_name, zones_of
from caligo.material.reading import MaterialError
from caligo.material.store import current
from studio.cleanup import UPLOADS
from studio.material.schemas import InstrumentOut, TakenIn
from studio.material.work import in_a_worker

MOST_SFZ_BYTES = 1 << 20


@contextmanager
def on_disk(file: UploadedFile, limit: int) -> Iterator[Path]:
    """The uploaded file under a temporary name, with its own ending.

    Raises
    ------
    MaterialError
        If it is larger than `limit` bytes, or the disk is full.
    """
    name = file.name or "the file"
    if (file.size or 0) > limit:
        raise MaterialError(
            f"{name} has {(file.size or 0) >> 20} MB; at most {limit >> 20} MB can be imported"
        )
    with tempfile.TemporaryDirectory(prefix=UPLOADS, dir=settings.DATA_DIR) as folder:
        path = Path(folder) / f"upload{PurePath(name).suffix.lower()[:8]}"
        try:
            with path.open("wb") as out:
                for chunk in file.chunks():
                    out.write(chunk)
        except OSError as error:
            raise MaterialError(
                f"{name} could not be imported: {error.strerror}. Is the disk full?"
            ) from None
        yield path


def take_in(file: UploadedFile, job: str = "", take: str = "") -> TakenIn:
    """Import a recording; one that is there already is recognised by its samples."""
    name = file.name or "Recording"
    with on_disk(file, settings.MAX_MATERIAL_BYTES) as path:
        try:
            origin = f"imported from {name}"
            card, fresh = in_a_worker(
                "take_in", path, PurePath(name).stem, origin, name, take, name=job
            )
        except OSError as error:
            raise MaterialError(
                f"{name} could not be kept: {error.strerror}. Is the disk full?"
            ) from None
    return TakenIn(card=card, fresh=fresh)


def take_in_instrument(files: list[UploadedFile]) -> InstrumentOut:
    """An SFZ file with its samples: zones for the sampler.

    Samples that were not given are looked for in the material library by their names.

    Raises
    ------
    MaterialError, SfzError
    """
    texts = [f for f in files if (f.name or "").lower().endswith(".sfz")]
    if len(texts) != 1:
        raise MaterialError("choose one .sfz file together with the samples that it names")
    if (texts[0].size or 0) > MOST_SFZ_BYTES:
        raise MaterialError(f"{texts[0].name} is larger than 1 MB, too large for an SFZ file")
    try:
        sfz = read_sfz(texts[0].read().decode("utf-8-sig"))
    except UnicodeDecodeError:
        raise SfzError(f"{texts[0].name} is not text; is it an SFZ file?") from None
    cards = {
        base_name(f"{card.name}{PurePath(card.file).suffix}"): card
        for card in current().cards()
        if isinstance(card, RecordingCard)
    }
    taken = 0
    for file in files:
        if file is not texts[0]:
            entry = take_in(file)
            cards[base_name(file.name or "")] = entry.card
            taken += entry.fresh
    zones, skipped = zones_of(sfz, cards)
    if not zones:
        missing = ", ".join(list(skipped)[:5])
        raise MaterialError(f"none of the samples was found: {missing}. Choose them as well")
    return InstrumentOut(zones=zones, skipped=skipped, taken_in=taken)
