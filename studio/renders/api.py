"""The API of renders."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, StreamingHttpResponse
from ninja import Router, Status

from caligo.document import DocumentError, Problem
from caligo.formats.audio import SAMPLE_FORMATS
from studio.library.models import Sound
from studio.renders import jobs
from studio.renders.models import Render
from studio.renders.schemas import RenderIn, RenderOut
from studio.schemas import ErrorOut
from studio.sending import sent

router = Router(tags=["renders"])


@router.post("/sounds/{sound_id}/renders", response={201: RenderOut, 404: ErrorOut, 422: ErrorOut})
def create_render(request: HttpRequest, sound_id: int, given: RenderIn) -> Any:
    """Begin to render a sound as it is now."""
    sound = Sound.objects.select_related("cue__score").get(pk=sound_id)
    score = sound.cue.score.document
    end = (score["length"] if given.end is None else given.end) + given.tail
    if end <= given.start:
        raise DocumentError(
            [Problem("end", "the end lies before the start", end, f"more than {given.start:g} s")]
        )
    if given.container.upper() not in SAMPLE_FORMATS[given.sample_format].containers:
        raise DocumentError(
            [
                Problem(
                    "sample_format", "FLAC holds 16 or 24 bits", given.sample_format, "pcm16, pcm24"
                )
            ]
        )
    render = Render.objects.create(
        sound=sound,
        document=sound.document,
        score=score,
        container=given.container,
        sample_format=given.sample_format,
        rate=given.rate,
        start=given.start,
        end=end,
    )
    jobs.submit(render)
    return Status(201, render)


@router.get("/sounds/{sound_id}/renders", response={200: list[RenderOut], 404: ErrorOut})
def renders(request: HttpRequest, sound_id: int) -> Any:
    """A sound's renders, the newest first."""
    return Sound.objects.get(pk=sound_id).renders.all()[:50]


@router.get("/renders/{render_id}", response={200: RenderOut, 404: ErrorOut})
def read_render(request: HttpRequest, render_id: int) -> Any:
    """How a render stands."""
    return Render.objects.get(pk=render_id)


@router.post("/renders/{render_id}/cancel", response={200: RenderOut, 404: ErrorOut})
def cancel_render(request: HttpRequest, render_id: int) -> Any:
    """Stop a render."""
    render = Render.objects.get(pk=render_id)
    jobs.cancel(render)
    render.refresh_from_db()
    return render


@router.post("/renders/{render_id}/again", response={201: RenderOut, 404: ErrorOut})
def render_again(request: HttpRequest, render_id: int) -> Any:
    """Render the same once more, as it was then."""
    before = Render.objects.get(pk=render_id)
    again = Render.objects.create(
        sound=before.sound,
        document=before.document,
        score=before.score,
        container=before.container,
        sample_format=before.sample_format,
        rate=before.rate,
        start=before.start,
        end=before.end,
    )
    jobs.submit(again)
    return Status(201, again)


@router.get("/renders/{render_id}/file", response={404: ErrorOut})
def download_render(request: HttpRequest, render_id: int) -> StreamingHttpResponse:
    """The rendered file."""
    render = Render.objects.get(pk=render_id)
    path = jobs.path_of(render)
    if render.state != Render.State.DONE or not path.exists():
        raise Render.DoesNotExist
    kind = "audio/flac" if render.container == "flac" else "audio/wav"
    return sent(path, kind, render.file_name)
