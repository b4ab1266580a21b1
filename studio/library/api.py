"""The API of productions, cues, sounds and versions."""

from __future__ import annotations

import json
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Status
from ninja.files import UploadedFile

from caligo.catalogue import as_json
from caligo.document import DocumentError, Problem, read_sound
from caligo.document.limits import LIMITS
from studio.library.catalogue_schemas import CatalogueOut
from studio.library.editing import add_sound, edit_sound, keep_version, rename, warnings_of
from studio.library.models import Cue, Production, Sound, Version
from studio.library.removing import remove
from studio.library.schemas import (
    CueEntry,
    CueIn,
    OpenedSound,
    PatchIn,
    ProductionEntry,
    SoundEntry,
    SoundIn,
    SoundSaved,
    VersionDocument,
    VersionIn,
    VersionOut,
)
from studio.library.starting import new_cue, plain_sound
from studio.schemas import ErrorOut, NamedIn

router = Router(tags=["library"])

MAX_DOCUMENT_BYTES = 2 << 20


@router.get("/catalogue", response=CatalogueOut, by_alias=True)
def catalogue(request: HttpRequest) -> Any:
    """Every module and parameter, and the limits of counts."""
    return as_json() | {"limits": LIMITS}


@router.get("/productions", response=list[ProductionEntry])
def productions(request: HttpRequest) -> Any:
    """All productions with their cues and sounds."""
    return Production.objects.prefetch_related("cues__sounds")


@router.post("/productions", response={201: ProductionEntry})
def create_production(request: HttpRequest, given: NamedIn) -> Any:
    """A new production with one cue."""
    with transaction.atomic():
        production = Production.objects.create(name=given.name)
        cue = new_cue(production, "1m1", "First cue")
        add_sound(cue, plain_sound("New sound"))
    return Status(201, production)


@router.patch("/productions/{production_id}", response={200: ProductionEntry, 404: ErrorOut})
def rename_production(request: HttpRequest, production_id: int, given: NamedIn) -> Any:
    """Rename a production."""
    return rename(Production.objects, production_id, name=given.name)


@router.delete("/productions/{production_id}", response={204: None, 404: ErrorOut})
def delete_production(request: HttpRequest, production_id: int) -> Any:
    """Delete a production with all its cues and sounds; it can be brought back."""
    remove(Production.objects.get(pk=production_id))
    return Status(204, None)


@router.post("/productions/{production_id}/cues", response={201: CueEntry, 404: ErrorOut})
def create_cue(request: HttpRequest, production_id: int, given: CueIn) -> Any:
    """A new cue that holds a chord, with a plain sound."""
    with transaction.atomic():
        cue = new_cue(Production.objects.get(pk=production_id), given.number, given.name)
        add_sound(cue, plain_sound("New sound"))
    return Status(201, cue)


@router.patch("/cues/{cue_id}", response={200: CueEntry, 404: ErrorOut})
def rename_cue(request: HttpRequest, cue_id: int, given: CueIn) -> Any:
    """Rename or renumber a cue."""
    return rename(Cue.objects, cue_id, number=given.number, name=given.name)


@router.delete("/cues/{cue_id}", response={204: None, 404: ErrorOut})
def delete_cue(request: HttpRequest, cue_id: int) -> Any:
    """Delete a cue with its sounds; it can be brought back."""
    remove(Cue.objects.get(pk=cue_id))
    return Status(204, None)


@router.post("/cues/{cue_id}/sounds", response={201: SoundEntry, 404: ErrorOut, 422: ErrorOut})
def create_sound(request: HttpRequest, cue_id: int, given: SoundIn) -> Any:
    """A new sound, plain or a copy."""
    cue = Cue.objects.get(pk=cue_id)
    if given.copy_of is None:
        return Status(201, add_sound(cue, plain_sound(given.name)))
    original = Sound.objects.get(pk=given.copy_of)
    return Status(201, add_sound(cue, original.document | {"name": given.name}))


@router.post(
    "/cues/{cue_id}/sounds/import", response={201: SoundEntry, 404: ErrorOut, 422: ErrorOut}
)
def import_sound(request: HttpRequest, cue_id: int, file: File[UploadedFile]) -> Any:
    """A new sound from a JSON file."""
    cue = Cue.objects.get(pk=cue_id)
    if (file.size or 0) > MAX_DOCUMENT_BYTES:
        raise DocumentError(
            [Problem("", f"{file.name} is too large for a sound document", allowed="2 MB")]
        )
    try:
        document = json.loads(file.read().decode())
    except (json.JSONDecodeError, UnicodeDecodeError, RecursionError):
        raise DocumentError(
            [Problem("", f"{file.name} is not JSON; choose a sound exported from Caligo")]
        ) from None
    return Status(201, add_sound(cue, document))


@router.get("/sounds/{sound_id}", response={200: OpenedSound, 404: ErrorOut}, by_alias=True)
def open_sound(request: HttpRequest, sound_id: int) -> Any:
    """A sound with its score and where it belongs."""
    sound = Sound.objects.select_related("cue__production", "cue__score").get(pk=sound_id)
    return {
        "id": sound.pk,
        "revision": sound.revision,
        "document": sound.document,
        "cue": sound.cue,
        "production": sound.cue.production,
        "score": sound.cue.score.document,
        "score_revision": sound.cue.score.revision,
        "warnings": warnings_of(read_sound(sound.document)),
    }


@router.patch(
    "/sounds/{sound_id}",
    by_alias=True,
    response={200: SoundSaved, 404: ErrorOut, 409: ErrorOut, 422: ErrorOut},
)
def patch_sound(request: HttpRequest, sound_id: int, given: PatchIn) -> Any:
    """Edit a sound."""
    return edit_sound(sound_id, given.revision, given.patch)


@router.delete("/sounds/{sound_id}", response={204: None, 404: ErrorOut})
def delete_sound(request: HttpRequest, sound_id: int) -> Any:
    """Delete a sound with its versions; it can be brought back."""
    remove(Sound.objects.get(pk=sound_id))
    return Status(204, None)


@router.get("/sounds/{sound_id}/file", response={404: ErrorOut})
def download_sound(request: HttpRequest, sound_id: int) -> HttpResponse:
    """The sound's document as a file."""
    sound = Sound.objects.get(pk=sound_id)
    response = HttpResponse(json.dumps(sound.document, indent=1), content_type="application/json")
    response.headers["Content-Disposition"] = f'attachment; filename="sound-{sound.pk}.json"'
    return response


def _version(version: Version) -> dict[str, Any]:
    return {
        "id": version.pk,
        "number": version.number,
        "name": version.name,
        "created": version.created.isoformat(),
    }


@router.get("/sounds/{sound_id}/versions", response={200: list[VersionOut], 404: ErrorOut})
def versions(request: HttpRequest, sound_id: int) -> Any:
    """A sound's kept states, the newest first."""
    return [_version(v) for v in Sound.objects.get(pk=sound_id).versions.all()]


@router.post("/sounds/{sound_id}/versions", response={201: VersionOut, 404: ErrorOut})
def create_version(request: HttpRequest, sound_id: int, given: VersionIn) -> Any:
    """Keep the present state."""
    return Status(201, _version(keep_version(sound_id, given.name)))


@router.get("/versions/{version_id}", response={200: VersionDocument, 404: ErrorOut}, by_alias=True)
def read_version(request: HttpRequest, version_id: int) -> Any:
    """A kept state with its document."""
    version = Version.objects.get(pk=version_id)
    return _version(version) | {"document": version.document}


@router.delete("/versions/{version_id}", response={204: None, 404: ErrorOut})
def delete_version(request: HttpRequest, version_id: int) -> Any:
    """Delete a kept state; it can be brought back."""
    remove(Version.objects.get(pk=version_id))
    return Status(204, None)
