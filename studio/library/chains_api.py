"""The API of chains that are kept under a name."""

from __future__ import annotations

import contextlib
from typing import Any, Literal

from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from caligo.document import DocumentError, read_sound
from caligo.document.limits import LIMITS
from caligo.document.sound import EffectPart, FilterPart, Modulator, Route
from caligo.document.upgrading import SOUND_SCHEMA
from studio import errors
from studio.library.models import KeptChain
from studio.schemas import ErrorOut, NamedIn

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
    modulators: list[dict[str, Any]] = Field(default=[], max_length=LIMITS["modulators"])
    """What moves the parts."""
    routes: list[dict[str, Any]] = Field(default=[], max_length=LIMITS["routes"])
    """Those to the parts lead to addresses under ``chain``."""


class KeptChainOut(Schema):
    """A chain under its name, as it is written in a sound."""

    id: int
    name: str
    family: Family
    parts: list[FilterPart | EffectPart]
    modulators: list[Modulator]
    routes: list[Route]


def _whole(family: str, document: dict[str, Any]) -> dict[str, Any]:
    """A chain with all that it does not say, in the present schema.

    It is read as the chain of a layer called ``chain``, in a sound that has no more.

    Raises
    ------
    DocumentError
        With every problem.
    """
    place = PLACES[family]
    layer = {"id": "chain", "name": "Chain", "source": {"kind": "noise"}, place: document["parts"]}
    moving = {key: document.get(key, []) for key in ("modulators", "routes")}
    sound = read_sound({"schema": document["schema"], "name": "Chain", "layers": [layer], **moving})
    whole = sound.as_document()
    return {
        "schema": whole["schema"],
        "parts": whole["layers"][0][place],
        "modulators": whole["modulators"],
        "routes": whole["routes"],
    }


def _described(chain: KeptChain) -> dict[str, Any]:
    document = _whole(chain.family, chain.document)
    return {"id": chain.pk, "name": chain.name, "family": chain.family, **document}


@router.get("/chains", response=list[KeptChainOut], by_alias=True)
def kept_chains(request: HttpRequest) -> Any:
    """All chains that are kept and still understood, by name."""
    found = []
    for chain in KeptChain.objects.all():
        with contextlib.suppress(DocumentError):
            found.append(_described(chain))
    return found


@router.post("/chains", response={201: KeptChainOut, 422: ErrorOut}, by_alias=True)
def keep_chain(request: HttpRequest, given: KeptChainIn) -> Any:
    """Keep filters or effects under a name, with what moves them."""
    if KeptChain.objects.count() >= MOST:
        return errors.error_response(
            422, f"{MOST} chains are kept, the most there can be; delete some."
        )
    document = {"schema": SOUND_SCHEMA} | given.model_dump(
        include={"parts", "modulators", "routes"}
    )
    chain = KeptChain.objects.create(
        name=given.name, family=given.family, document=_whole(given.family, document)
    )
    return Status(201, _described(chain))


@router.patch("/chains/{chain_id}", response={200: KeptChainOut, 404: ErrorOut}, by_alias=True)
def rename_chain(request: HttpRequest, chain_id: int, given: NamedIn) -> Any:
    """Give a kept chain another name."""
    chain = KeptChain.objects.get(pk=chain_id)
    chain.name = given.name
    chain.save(update_fields=["name"])
    return _described(chain)


@router.delete("/chains/{chain_id}", response={204: None, 404: ErrorOut})
def forget_chain(request: HttpRequest, chain_id: int) -> Any:
    """Delete a kept chain; sounds that used it keep their own."""
    KeptChain.objects.get(pk=chain_id).delete()
    return Status(204, None)
