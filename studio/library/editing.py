"""Changing sounds and scores: JSON Patch against a known revision, saved at once."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, TypeVar

from django.db import transaction
from django.db.models import Manager, Model, QuerySet

from caligo.document import Edited, apply_patch, read_score, read_sound
from caligo.document import Sound as SoundDocument
from caligo.document.meaning import in_words, warnings
from studio.library import recent
from studio.library.models import Cue, Score, Sound, Version
from studio.signals import sound_changed

Kind = TypeVar("Kind", bound=Model)
Operations = list[dict[str, Any]]

MOST_WARNINGS = 20
PATIENCE, PROBE_AGAIN = 3.0, 0.03
"""Seconds that an edit waits for the one before it, and between attempts."""


class RevisionConflict(Exception):
    """An edit made against an older state than the one that is kept."""

    def __init__(self, revision: int) -> None:
        self.revision = revision
        super().__init__(
            f"this was changed elsewhere in the meantime (revision {revision}); "
            "the newer state has been loaded, make the change again"
        )


@dataclass(frozen=True, slots=True)
class Saved:
    """The outcome of an edit as it was saved."""

    revision: int
    document: dict[str, Any]
    warnings: list[str] = field(default_factory=list)


def _apply(
    held: Sound | Score,
    revision: int,
    operations: Operations,
    read: Callable[[Any], Any],
    dump: Callable[[Any], dict[str, Any]],
) -> Edited[Any]:
    """Apply an edit to a locked row and save it."""
    if held.revision != revision:
        raise RevisionConflict(held.revision)
    edited: Edited[Any] = apply_patch(held.document, operations, read, dump)
    held.document = edited.data
    held.revision += 1
    changed = ["document", "revision"]
    if isinstance(held, Sound):
        held.name = edited.document.name
        changed += ["name", "changed"]
    # Whatever else was changed since the row was read, such as its deletion, stays.
    held.save(update_fields=changed)
    return edited


def warnings_of(sound: SoundDocument) -> list[str]:
    """What of a sound does nothing, though it was meant to, in words."""
    return [in_words(sound, problem) for problem in warnings(sound)[:MOST_WARNINGS]]


def _wait_for(row: QuerySet[Any], revision: int) -> None:
    """Wait a little for the edit that makes a revision.

    A page that is being closed sends its last edits while the one before is still on its way;
    they may overtake it.
    """
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until:
        held = row.values_list("revision", flat=True).first()
        if held != revision - 1:
            return
        time.sleep(PROBE_AGAIN)


def edit_sound(sound_id: int, revision: int, operations: Operations) -> Saved:
    """Change a sound and tell everyone who has it open.

    Raises
    ------
    Sound.DoesNotExist, RevisionConflict, caligo.document.DocumentError
    """
    _wait_for(Sound.objects.filter(pk=sound_id), revision)
    with transaction.atomic():
        sound = Sound.objects.select_for_update().get(pk=sound_id)
        edited = _apply(sound, revision, operations, read_sound, lambda s: s.as_document())
    recent.sounds.keep(sound.pk, edited.data, edited.document)
    # Heard first, remarked on afterwards.
    sound_changed.send(None, sound_id=sound_id)
    return Saved(sound.revision, edited.data, warnings_of(edited.document))


def edit_score(cue_id: int, revision: int, operations: Operations) -> Saved:
    """Change a cue's score and tell everyone who has one of its sounds open."""
    _wait_for(Score.objects.filter(cue_id=cue_id), revision)
    with transaction.atomic():
        score = Score.objects.select_for_update().get(cue_id=cue_id)
        edited = _apply(
            score, revision, operations, read_score, lambda s: s.model_dump(mode="json")
        )
    recent.scores.keep(score.pk, edited.data, edited.document)
    for sound_id in Sound.objects.filter(cue_id=cue_id).values_list("pk", flat=True):
        sound_changed.send(None, sound_id=sound_id)
    return Saved(score.revision, edited.data)


def rename(rows: Manager[Kind], id: int, **names: str) -> Kind:
    """Give a row other names, unless it was deleted meanwhile.

    Raises
    ------
    ObjectDoesNotExist
    """
    rows.filter(pk=id).update(**names)
    return rows.get(pk=id)


def add_sound(cue: Cue, document: Any) -> Sound:
    """A new sound in a cue, from a document.

    Raises
    ------
    caligo.document.DocumentError
    """
    sound = read_sound(document)
    return Sound.objects.create(cue=cue, name=sound.name, document=sound.as_document())


def keep_version(sound_id: int, name: str) -> Version:
    """Keep the present state of a sound under the next number."""
    with transaction.atomic():
        sound = Sound.objects.select_for_update().get(pk=sound_id)
        newest = Version.everything.filter(sound=sound).first()
        number = newest.number + 1 if newest else 1
        return Version.objects.create(
            sound=sound, number=number, name=name, document=sound.document
        )
