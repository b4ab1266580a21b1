"""The API of material: take in, look, change, cut, and let go."""

from __future__ import annotations

import contextlib
import os
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from ninja import File, Router, Status
from ninja.files import UploadedFile

from caligo.document import Sound as SoundDocument
from caligo.document import read_score, read_sound
from caligo.document.sound import Layer
from caligo.engine.views.pictures import close_up
from caligo.material import steps
from caligo.material.cards import Card, RecordingCard
from caligo.material.instruments import sfz_of
from caligo.material.needed import used
from caligo.material.reading import MaterialError
from caligo.material.store import MaterialStore, current, described
from studio.cleanup import UPLOADS
from studio.library.models import Sound
from studio.material import cutting, work
from studio.material.imports import on_disk, take_in, take_in_instrument
from studio.material.schemas import (
    CardChange,
    CutIn,
    CutOut,
    Finite,
    InstrumentOut,
    JobName,
    JobOut,
    KeptTable,
    MaterialOut,
    OutlineOut,
    Take,
    TakenIn,
)
from studio.schemas import ErrorOut
from studio.sending import sent
from studio.signals import sound_changed

router = Router(tags=["material"])
MOST_PICTURE_BYTES = 20 << 20
CLOSE_UP = 4.0
"""Seconds that a close look at a layer goes back."""


def _users() -> dict[str, list[str]]:
    """The names of the sounds that use a piece, by its key."""
    found: dict[str, list[str]] = {}
    for sound, keys in _sounds():
        name = sound.name if sound.here else f"{sound.name} (deleted)"
        for key in keys:
            found.setdefault(key, []).append(name)
    return {key: sorted(set(names)) for key, names in found.items()}


def _sounds() -> Iterator[tuple[Sound, set[str]]]:
    """Every sound, those deleted too, with the keys of the material that it names."""
    for sound in Sound.everything.select_related("cue__production"):
        yield sound, used(SoundDocument.model_validate(sound.document))


def _described(store: MaterialStore, card: Any, users: dict[str, list[str]]) -> dict[str, Any]:
    return {
        "card": card,
        "shipped": store.is_shipped(card.key),
        "used_by": users.get(card.key, []),
    }


@router.get("/material", response=list[MaterialOut])
def material(request: HttpRequest) -> Any:
    """Everything in the material library, by name."""
    store, users = current(), _users()
    return [_described(store, card, users) for card in store.cards()]


@router.post("/material", response={201: TakenIn, 422: ErrorOut})
def add(request: HttpRequest, file: File[UploadedFile], job: JobName = "", take: Take = "") -> Any:
    """Take in a recording, as a job that may be asked for and cancelled.

    Of a file with more than two channels it is said what to `take`: a mix, or two of them.
    """
    return Status(201, take_in(file, job, take))


@router.get("/material/jobs/{job}", response={200: JobOut, 404: ErrorOut})
def how_far(request: HttpRequest, job: JobName) -> Any:
    """How far a job is."""
    found = work.job(job)
    if found is None:
        raise Sound.DoesNotExist
    return {"progress": found.progress}


@router.post("/material/jobs/{job}/cancel", response={204: None})
def cancel_job(request: HttpRequest, job: JobName) -> Any:
    """Cancel a job; one that is over stays as it is."""
    work.cancel(job)
    return Status(204, None)


@router.post("/material/instrument", response={201: InstrumentOut, 422: ErrorOut})
def add_instrument(request: HttpRequest, files: File[list[UploadedFile]]) -> Any:
    """Take in an SFZ file with its samples."""
    return Status(201, take_in_instrument(files))


@router.post("/material/picture", response={200: CutOut, 422: ErrorOut})
def cut_picture(request: HttpRequest, file: File[UploadedFile], frames: int = 32) -> Any:
    """The table that a picture would make; nothing is kept."""
    with on_disk(file, MOST_PICTURE_BYTES) as path:
        return cutting.shown(*cutting.cut_picture(path, file.name or "", _bounded(frames)))


@router.post("/material/picture/audio", response={422: ErrorOut})
def hear_picture(request: HttpRequest, file: File[UploadedFile], frames: int = 32) -> HttpResponse:
    """The table that a picture would make, heard."""
    with on_disk(file, MOST_PICTURE_BYTES) as path:
        return _wav(cutting.heard(*cutting.cut_picture(path, file.name or "", _bounded(frames))))


@router.post("/material/picture/keep", response={201: KeptTable, 422: ErrorOut})
def keep_picture(
    request: HttpRequest, file: File[UploadedFile], frames: int = 32, name: str = ""
) -> Any:
    """Keep the table that a picture makes."""
    title = file.name or "a picture"
    with on_disk(file, MOST_PICTURE_BYTES) as path:
        spectra, _ = cutting.cut_picture(path, title, _bounded(frames))
    card = current().add_table(
        spectra, name or title, f"cut from the picture {title}", cut={"way": "picture"}
    )
    return Status(201, {"card": card})


def _bounded(frames: int) -> int:
    return min(max(frames, 1), 128)


def _wav(content: bytes) -> HttpResponse:
    return HttpResponse(content, content_type="audio/wav")


def _changed(store: MaterialStore, card: Card, given: CardChange) -> Card:
    """A card with what is given changed, measured anew where that changes its level."""
    changed: dict[str, Any] = {} if given.name is None else {"name": given.name}
    if isinstance(card, RecordingCard):
        steps.check(given.steps or [], card.frames / card.rate)
        for field in ("root", "loop", "steps"):
            if getattr(given, field) is not None:
                changed[field] = getattr(given, field)
        if given.no_loop:
            changed["loop"] = None
        if given.no_root:
            changed["root"] = None
    fresh: Card = card.model_copy(update=changed)
    # Of what goes by its own loudness a root changes nothing.
    if isinstance(fresh, RecordingCard) and (
        "steps" in changed or ("root" in changed and fresh.played is not None)
    ):
        original = store.original(card.key)
        if original is not None:
            fresh = described(fresh, original[1])
    return fresh


@router.patch("/material/{key}", response={200: MaterialOut, 404: ErrorOut, 422: ErrorOut})
def change(request: HttpRequest, key: str, given: CardChange) -> Any:
    """Rename a piece, correct its root, set its loop or its steps."""
    store, before = current(), ""

    def changed(card: Card) -> Card:
        nonlocal before
        before = card.signature()
        return _changed(store, card, given)

    fresh = store.update(key, changed)
    if fresh is None:
        raise Sound.DoesNotExist
    if fresh.signature() != before:
        for sound, keys in _sounds():
            if key in keys:
                sound_changed.send(None, sound_id=sound.pk)
    return _described(store, fresh, _users())


@router.delete("/material/{key}", response={204: None, 404: ErrorOut, 422: ErrorOut})
def remove(request: HttpRequest, key: str) -> Any:
    """Let go of a piece that no sound uses; it can be brought back."""
    users = _users().get(key, [])
    if users:
        raise MaterialError(f"it is used by {', '.join(users)}; choose something else there first")
    store = current()
    if store.card(key) is None:
        raise Sound.DoesNotExist
    if store.is_shipped(key):
        raise MaterialError("it came with Caligo and stays; only your own changes can be undone")
    store.remove(key)
    return Status(204, None)


@router.post("/material/{key}/bring-back", response={204: None, 422: ErrorOut})
def bring_back(request: HttpRequest, key: str) -> Any:
    """Bring back a piece that was deleted in the last month."""
    if not current().bring_back(key):
        raise MaterialError("it is in the library already, or was deleted too long ago")
    return Status(204, None)


@router.get("/material/{key}/outline", response={200: OutlineOut, 422: ErrorOut})
def look(
    request: HttpRequest,
    key: str,
    start: Finite = 0.0,
    end: Finite = 1e9,
    columns: int = 600,
) -> Any:
    """The outline of a stretch of a recording, in seconds after its steps."""
    low, high, seconds = work.in_a_worker("outline", key, start, end, min(max(columns, 1), 4000))
    return {"low": low.tolist(), "high": high.tolist(), "seconds": seconds}


@router.get("/material/{key}/spectrogram", response={422: ErrorOut})
def draw_detail(
    request: HttpRequest,
    key: str,
    start: Finite = 0.0,
    end: Finite = 1e9,
    columns: int = 600,
    rows: int = 128,
) -> HttpResponse:
    """Levels of a stretch as bytes, row by row, the lowest first."""
    size = min(max(columns, 1), 2000), min(max(rows, 8), 512)
    levels = work.in_a_worker("spectrogram", key, start, end, *size)
    return HttpResponse(levels, content_type="application/octet-stream")


@router.get("/material/{key}/audio", response={422: ErrorOut})
def hear(request: HttpRequest, key: str) -> StreamingHttpResponse:
    """A recording after its steps."""
    with _passing(".wav") as path:
        work.in_a_worker("as_wav", key, path)
        return sent(path, "audio/wav", passing=True)


@contextlib.contextmanager
def _passing(ending: str) -> Iterator[Path]:
    """A file of no name, to be removed once it has been sent; on an error it goes at once."""
    handle, name = tempfile.mkstemp(ending, UPLOADS, settings.DATA_DIR)
    os.close(handle)
    try:
        yield Path(name)
    except BaseException:
        Path(name).unlink()
        raise


@router.post("/material/{key}/cut", response={200: CutOut, 422: ErrorOut})
def cut(request: HttpRequest, key: str, given: CutIn) -> Any:
    """A cut, to look at; nothing is kept."""
    return cutting.shown(*cutting.cut(key, given))


@router.post("/material/{key}/cut/audio", response={422: ErrorOut})
def hear_cut(request: HttpRequest, key: str, given: CutIn) -> HttpResponse:
    """A cut, to hear; nothing is kept."""
    return _wav(cutting.heard(*cutting.cut(key, given)))


@router.post("/material/{key}/cut/keep", response={201: KeptTable, 422: ErrorOut})
def keep_cut(request: HttpRequest, key: str, given: CutIn) -> Any:
    """Keep a cut as a table."""
    spectra, hertz = cutting.cut(key, given)
    method = "by cycles" if given.method == "cycles" else "by its spectrum"
    source = current().card(key)
    name = "a recording" if source is None else source.name
    card = current().add_table(
        spectra,
        given.name,
        f"cut from {name} {method} at {hertz:.1f} Hz",
        source=key,
        cut={"way": given.method} | given.model_dump(exclude={"name", "method"}),
    )
    return Status(201, {"card": card})


def _layer(sound: SoundDocument, layer_id: str, source_id: str) -> Layer:
    """A layer with one of its sources alone; the first where none is named."""
    for layer in sound.layers:
        for source in layer.sources:
            if layer.id == layer_id and source_id in ("", source.id):
                return layer.with_source(source)
    raise Sound.DoesNotExist


@router.get(
    "/sounds/{sound_id}/layers/{layer_id}/close-up",
    response={200: dict[str, Any], 404: ErrorOut},
)
def look_at_layer(
    request: HttpRequest, sound_id: int, layer_id: str, at: Finite, source: str = ""
) -> Any:
    """What one of a layer's sources, the first if none is named, did before a moment."""
    held = Sound.objects.select_related("cue__score").get(pk=sound_id)
    sound = read_sound(held.document)
    layer = _layer(sound, layer_id, source)
    score = read_score(held.cue.score.document)
    at = min(max(at, 0.1), score.length)
    start = max(0.0, at - CLOSE_UP)
    return {"start": start, "end": at, **close_up(sound, score, layer, start, at)}


@router.get("/sounds/{sound_id}/layers/{layer_id}/instrument", response={404: ErrorOut})
def download_instrument(
    request: HttpRequest, sound_id: int, layer_id: str, source: str = ""
) -> StreamingHttpResponse:
    """A layer's sampler, the first if none is named, as SFZ with its samples, in a ZIP file."""
    sound = read_sound(Sound.objects.get(pk=sound_id).document)
    layer = _layer(sound, layer_id, source)
    store = current()
    zones = [zone.params_as_json() for zone in layer.source.of_kind("zone")]
    text, files = sfz_of(zones, store, f"{sound.name}, {layer.name}")
    with _passing(".zip") as path, _passing(".wav") as sample:
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("instrument.sfz", text)
            for key, file in files.items():
                work.in_a_worker("as_wav", key, sample)
                archive.write(sample, file)
        sample.unlink()
        return sent(path, "application/zip", "instrument.zip", passing=True)
