"""The API of how far the sound engine is compiled."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router, Schema

from studio.preparation import preparation

router = Router(tags=["engine"])


class PreparationOut(Schema):
    """How many kernels are compiled, and of how many; none before that is known."""

    done: int
    total: int


@router.get("/engine", response=PreparationOut)
def read_preparation(request: HttpRequest) -> Any:
    """How far the sound engine is compiled."""
    return preparation
