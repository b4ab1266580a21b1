"""The API of what was deleted: seen, and brought back."""

from __future__ import annotations

from typing import Any, Literal

from django.http import HttpRequest
from ninja import Router, Status

from studio.library.removing import bring_back, removed_things
from studio.library.schemas import RemovedEntry
from studio.schemas import ErrorOut

router = Router(tags=["library"])

Kind = Literal["production", "cue", "sound", "version"]


@router.get("/removed", response=list[RemovedEntry])
def list_removed(request: HttpRequest) -> Any:
    """What was deleted in the last month, the newest first."""
    return removed_things()


@router.post("/removed/{kind}/{removed_id}", response={204: None, 404: ErrorOut})
def restore_removed(request: HttpRequest, kind: Kind, removed_id: int) -> Any:
    """Bring something back, with what it belongs to."""
    bring_back(kind, removed_id)
    return Status(204, None)
