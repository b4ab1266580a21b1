"""What was read last is not read again, and never stands for something else."""

from __future__ import annotations

from typing import Any

import pytest

from caligo.document import DocumentError
from studio.library import recent
from studio.library.editing import edit_sound
from studio.library.models import Sound
from studio.library.recent import MOST_KEPT, RecentDocuments

pytestmark = pytest.mark.django_db(transaction=True)


def counted() -> tuple[RecentDocuments[str], list[Any]]:
    read: list[Any] = []

    def reading(data: Any) -> str:
        read.append(data)
        return f"read {data}"

    return RecentDocuments(reading), read


def test_a_row_is_read_again_only_where_it_holds_something_else() -> None:
    documents, read = counted()
    assert documents.of(1, {"a": 1}) == documents.of(1, {"a": 1})
    assert read == [{"a": 1}]
    documents.of(2, {"a": 1})
    documents.of(1, {"a": 2})
    documents.of(1, {"a": 1})
    assert len(read) == 4


def test_only_the_last_are_kept() -> None:
    documents, read = counted()
    for row in range(MOST_KEPT + 1):
        documents.of(row, row)
    documents.of(MOST_KEPT, MOST_KEPT)
    assert len(read) == MOST_KEPT + 1
    documents.of(0, 0)
    assert len(read) == MOST_KEPT + 2


def test_what_cannot_be_read_is_not_kept() -> None:
    with pytest.raises(DocumentError):
        recent.sounds.of(-1, {"name": 5})
    with pytest.raises(DocumentError):
        recent.sounds.of(-1, {"name": 5})


def test_whoever_follows_an_edit_gets_what_it_has_read(
    sound: Sound, monkeypatch: pytest.MonkeyPatch
) -> None:
    edit_sound(sound.pk, 1, [{"op": "replace", "path": "/name", "value": "Other"}])
    saved = Sound.objects.get(pk=sound.pk)
    monkeypatch.setattr(recent.sounds, "_read", lambda _: pytest.fail("it was read again"))
    assert recent.sounds.of(sound.pk, saved.document).name == "Other"


def test_an_edit_is_heard_of_before_it_is_remarked_on(
    sound: Sound, monkeypatch: pytest.MonkeyPatch
) -> None:
    order: list[str] = []
    monkeypatch.setattr(
        "studio.library.editing.warnings_of", lambda _: order.append("remarks") or ["a remark"]
    )
    monkeypatch.setattr(
        "studio.library.editing.sound_changed.send", lambda *_, **__: order.append("heard")
    )
    saved = edit_sound(sound.pk, 1, [{"op": "replace", "path": "/name", "value": "Other"}])
    assert order == ["heard", "remarks"]
    assert saved.warnings == ["a remark"]
