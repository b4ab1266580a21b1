"""The API of loops: found, heard and looked at before they are set."""

from __future__ import annotations

from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router

from caligo.material.cards import Loop
from caligo.material.seams import as_looped, seam
from studio.material import cutting
from studio.material.schemas import Finite, LoopOut, SeamOut
from studio.material.work import in_a_worker
from studio.schemas import ErrorOut

router = Router(tags=["material"])


@router.get("/material/{key}/loops", response={200: list[LoopOut], 422: ErrorOut})
def loops(request: HttpRequest, key: str) -> Any:
    """Loops that were found, the best first."""
    return in_a_worker("loops", key)


@router.get("/material/{key}/loop/audio", response={422: ErrorOut})
def hear_loop(
    request: HttpRequest, key: str, loop: Annotated[Loop, Query()], lead: Finite = 0.0
) -> HttpResponse:
    """A loop as the sampler plays it: `lead` seconds before it, one round, and a little more."""
    held = cutting.recording(key)
    content = cutting.wav(as_looped(held.samples, held.rate, loop, max(0.0, lead)), held.rate)
    return HttpResponse(content, content_type="audio/wav")


@router.get("/material/{key}/loop/seam", response={200: SeamOut, 422: ErrorOut})
def look_at_seam(request: HttpRequest, key: str, loop: Annotated[Loop, Query()]) -> Any:
    """How a loop goes over from its end to its start."""
    held = cutting.recording(key)
    found = seam(held.samples, held.rate, loop)
    return {"points": found.points.tolist(), "step": found.step}
