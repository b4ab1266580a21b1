"""Deleting that can be undone: what is deleted is put aside, and forgotten after a month."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from studio.library.models import Cue, Production, Removable, Sound, Version

KEPT_FOR = timedelta(days=30)
KINDS: dict[str, type[Any]] = {
    "production": Production,
    "cue": Cue,
    "sound": Sound,
    "version": Version,
}


@dataclass(frozen=True, slots=True)
class Removed:
    """Something deleted, as the list of it says."""

    kind: str
    id: int
    name: str
    where: str
    removed: datetime


def remove(thing: Removable) -> None:
    """Put something aside, with all that belongs to it."""
    thing.removed = timezone.now()
    thing.save(update_fields=["removed"])


def _owners(thing: Any) -> list[Any]:
    """What a thing belongs to, the nearest first."""
    if isinstance(thing, Version):
        return [thing.sound, *_owners(thing.sound)]
    if isinstance(thing, Sound):
        return [thing.cue, thing.cue.production]
    return [thing.production] if isinstance(thing, Cue) else []


def bring_back(kind: str, id: int) -> None:
    """Take something back from where it was put aside, and what it belongs to.

    Raises
    ------
    ObjectDoesNotExist
        Where there is no such thing any more.
    """
    with transaction.atomic():
        thing = KINDS[kind].everything.get(pk=id)
        for each in (thing, *_owners(thing)):
            if each.removed is not None:
                each.removed = None
                each.save(update_fields=["removed"])


def removed_things() -> list[Removed]:
    """What has been deleted and can be brought back, the newest first."""
    found = [
        Removed(
            kind,
            thing.pk,
            str(thing),
            " / ".join(str(owner) for owner in reversed(_owners(thing))),
            thing.removed,
        )
        for kind, model in KINDS.items()
        for thing in model.everything.exclude(removed=None)
    ]
    return sorted(found, key=lambda thing: thing.removed, reverse=True)


def forget_old() -> int:
    """Let go for good of what was deleted more than `KEPT_FOR` ago; says how many things."""
    before = timezone.now() - KEPT_FOR
    count = 0
    for model in KINDS.values():
        old = model.everything.filter(removed__lt=before)
        count += len(old)
        old.delete()
    return count
