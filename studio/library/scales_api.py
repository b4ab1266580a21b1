"""The API of scales: a Scala file read, for a sound to use."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import HttpRequest
from ninja import File, Router
from ninja.files import UploadedFile

from caligo.document.sound import TuningScale
from caligo.formats.scala import ScalaError, read_scala
from studio.schemas import ErrorOut

router = Router(tags=["scales"])


@router.post("/scales", response={200: TuningScale, 422: ErrorOut})
def scale_of_file(request: HttpRequest, file: File[UploadedFile]) -> Any:
    """The scale in a Scala file, with its unison on middle C; nothing is saved."""
    name = file.name or "The file"
    if (file.size or 0) > settings.MAX_SCALE_BYTES:
        raise ScalaError(f"{name} is larger than 256 kB, too large for a scale")
    try:
        # The format's files are in ISO 8859-1.
        return read_scala(file.read().decode("latin-1"))
    except ScalaError as error:
        raise ScalaError(f"{name}: {error}") from None
