"""The API of chains that are kept under a name."""

from __future__ import annotations

import contextlib
from typing import Any, Literal

from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from caligo.document import DocumentError, read_sound
from caligo.document.limits import LIMITS
from caligo.document.sound import EffectPart, FilterPart
from caligo.document.upgrading import SOUND_SCHEMA
from studio import answers
from studio.library.models import KeptChain
from studio.schemas import NamedIn, SaidOut

router = Router(tags=["chains"])

MOST = 200
"""Chains that are kept at most."""

Family = Literal["filter", "effect"]
PLACES: dict[str, str] = {"filter": "filters", "effect": "inserts"}
"""Where a layer has the parts of a family."""


class KeptChainIn(NamedIn):
    """A chain to be kept."""

    family: Family
    parts: list[dict[str, Any]] = Field(min_length=1, max_length=max(LIMITS["effects"], 1))


class KeptChainOut(Schema):
    """A chain under its name, as it is written in a sound."""

    id: int
    name: str
    family: Family
    parts: list[FilterPart | EffectPart]


def _whole(family: str, parts: list[dict[str, Any]], schema: int) -> list[dict[str, Any]]:
    """Parts with all that they do not say, in the present schema.

    Raises
    ------
    DocumentError
        With every problem.
    """
    layer = {"id": "layer", "name": "Chain", "source": {"kind": "noise"}, PLACES[family]: parts}
    sound = read_sound({"schema": schema, "name": "Chain", "layers": [layer]})
    found: list[dict[str, Any]] = sound.as_document()["layers"][0][PLACES[family]]
    return found


def _told(chain: KeptChain) -> dict[str, Any]:
    document = chain.document
    parts = _whole(chain.family, document["parts"], document["schema"])
    return {"id": chain.pk, "name": chain.name, "family": chain.family, "parts": parts}


@router.get("/chains", response=list[KeptChainOut], by_alias=True)
def kept_chains(request: HttpRequest) -> Any:
    """All chains that are kept and still understood, by name."""
    found = []
    for chain in KeptChain.objects.all():
        with contextlib.suppress(DocumentError):
            found.append(_told(chain))
    return found


@router.post("/chains", response={201: KeptChainOut, 422: SaidOut}, by_alias=True)
def keep_chain(request: HttpRequest, given: KeptChainIn) -> Any:
    """Keep filters or effects under a name."""
    if KeptChain.objects.count() >= MOST:
        return answers.said(422, f"{MOST} chains are kept, the most there can be; delete some.")
    parts = _whole(given.family, given.parts, SOUND_SCHEMA)
    chain = KeptChain.objects.create(
        name=given.name, family=given.family, document={"schema": SOUND_SCHEMA, "parts": parts}
    )
    return Status(201, _told(chain))


@router.patch("/chains/{chain_id}", response={200: KeptChainOut, 404: SaidOut}, by_alias=True)
def rename_chain(request: HttpRequest, chain_id: int, given: NamedIn) -> Any:
    """Give a kept chain another name."""
    chain = KeptChain.objects.get(pk=chain_id)
    chain.name = given.name
    chain.save(update_fields=["name"])
    return _told(chain)


@router.delete("/chains/{chain_id}", response={204: None, 404: SaidOut})
def forget_chain(request: HttpRequest, chain_id: int) -> Any:
    """Delete a kept chain; sounds that used it keep their own."""
    KeptChain.objects.get(pk=chain_id).delete()
    return Status(204, None)
