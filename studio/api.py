"""The JSON API: one schema, one way to say what went wrong."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ObjectDoesNotExist
from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import HttpError, ValidationError

from caligo.document import DocumentError
from caligo.document.pitch import PitchError
from caligo.formats.midi import MidiError
from caligo.formats.scala import ScalaError
from caligo.formats.sfz import SfzError
from caligo.material.reading import MaterialError, TooManyChannels
from studio import errors
from studio.library.api import router as library
from studio.library.chains_api import router as chains
from studio.library.editing import RevisionConflict
from studio.library.removed_api import router as removed
from studio.library.scales_api import router as scales
from studio.library.scores_api import router as scores
from studio.live.messages import message_schemas
from studio.live.rolls_api import router as rolls
from studio.material.api import router as material
from studio.material.loops_api import router as loops
from studio.preparation_api import router as preparation
from studio.renders.api import router as renders


class CaligoAPI(NinjaAPI):
    """The API, with the messages of the WebSocket described beside it."""

    def get_openapi_schema(self, **options: Any) -> Any:
        """See `NinjaAPI.get_openapi_schema`."""
        schema = super().get_openapi_schema(**options)
        schema["components"]["schemas"].update(message_schemas())
        return schema


api = CaligoAPI(title="Caligo", version="1", docs_url=None)
api.add_router("", library)
api.add_router("", removed)
api.add_router("", scores)
api.add_router("", scales)
api.add_router("", chains)
api.add_router("", renders)
api.add_router("", material)
api.add_router("", loops)
api.add_router("", rolls)
api.add_router("", preparation)


@api.exception_handler(DocumentError)
def _document_error(request: HttpRequest, error: Any) -> HttpResponse:
    problems = [p.as_json() for p in error.problems[: errors.MOST_PROBLEMS]]
    return errors.error_response(422, str(error), problems=problems)


@api.exception_handler(PitchError)
@api.exception_handler(MidiError)
@api.exception_handler(MaterialError)
@api.exception_handler(ScalaError)
@api.exception_handler(SfzError)
def _unreadable(request: HttpRequest, error: Any) -> HttpResponse:
    more = {"channels": error.channels} if isinstance(error, TooManyChannels) else {}
    return errors.error_response(422, str(error), **more)


@api.exception_handler(RevisionConflict)
def _conflict(request: HttpRequest, error: Any) -> HttpResponse:
    return errors.error_response(409, str(error), revision=error.revision)


@api.exception_handler(ObjectDoesNotExist)
@api.exception_handler(ValidationError)
@api.exception_handler(HttpError)
@api.exception_handler(Exception)
def _any_other(request: HttpRequest, error: Any) -> HttpResponse:
    return errors.of(error, request)
