"""Whatever is asked, the answer is short JSON that says what is wrong; `tests.robust.nonsense`."""

from __future__ import annotations

import errno
import threading
from pathlib import Path
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError

from studio import errors as answers
from studio.library.editing import edit_sound
from studio.library.models import Sound
from tests.robust import nonsense
from tests.studio.conftest import Api


def test_nonsense_is_answered_in_words(sound: Sound) -> None:
    statuses, complaints = nonsense.run(300, seed=7)
    assert complaints == []
    assert statuses[404]
    assert statuses[422]


@pytest.mark.parametrize("path", ["/api", "/api/", "/api/none", "/api/sounds/1/"])
def test_nothing_under_api_answers_with_the_page(api: Api, path: str) -> None:
    answer = api.client.get(path)
    assert answer.status_code == 404
    assert answer.json()["text"]


def test_copies_of_copies_are_refused(api: Api, sound: Sound) -> None:
    patch = [{"op": "copy", "from": "", "path": f"/x{i}"} for i in range(20)]
    answer = api("PATCH", f"/sounds/{sound.pk}", {"revision": 1, "patch": patch})
    assert answer.status_code == 422


def test_what_is_nested_deep_is_refused(api: Api, sound: Sound) -> None:
    deep: Any = 1
    for _ in range(500):
        deep = {"a": deep}
    patch = [{"op": "add", "path": "/layers/0/params/level", "value": deep}]
    answer = api("PATCH", f"/sounds/{sound.pk}", {"revision": 1, "patch": patch})
    assert answer.status_code == 422
    assert "nested" in answer.json()["text"]


FAILURES = [
    (OSError(errno.ENOSPC, "No space left on device"), 507, "disk is full"),
    (OperationalError("database or disk is full"), 507, "disk is full"),
    (OperationalError("database is locked"), 503, "busy"),
    (RuntimeError("secret-" * 2_000), 500, "should not"),
]


@pytest.mark.parametrize(("error", "status", "words"), FAILURES)
def test_a_failure_says_what_to_do_and_nothing_else(
    api: Api,
    sound: Sound,
    monkeypatch: pytest.MonkeyPatch,
    error: Exception,
    status: int,
    words: str,
) -> None:
    def fail(*_: Any) -> None:
        raise error

    monkeypatch.setattr("studio.library.api.edit_sound", fail)
    answer = api("PATCH", f"/sounds/{sound.pk}", {"revision": 1, "patch": []})
    assert answer.status_code == status
    assert words in answer.json()["text"]
    assert b"secret" not in answer.content
    assert len(answer.content) < nonsense.LARGEST_ERROR


def test_an_upload_without_room_for_it_is_told(
    api: Api, settings: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    settings.FILE_UPLOAD_MAX_MEMORY_SIZE = 10

    def full(*_: Any, **__: Any) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("django.core.files.uploadhandler.TemporaryUploadedFile", full)
    answer = api.upload("/material", SimpleUploadedFile("a.wav", b"\0" * 500))
    assert answer.status_code == 507
    assert answer.json()["text"] == answers.FULL


def test_errors_are_logged_in_a_line(
    api: Api, sound: Sound, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    def fail(*_: Any) -> None:
        raise RuntimeError("odd")

    monkeypatch.setattr("studio.library.api.edit_sound", fail)
    monkeypatch.setattr(answers.logger.parent, "propagate", True)
    api("PATCH", f"/sounds/{sound.pk}", {"revision": 1, "patch": []})
    first = caplog.records[0]
    assert first.getMessage() == f"PATCH /api/sounds/{sound.pk}: RuntimeError('odd')"


@pytest.mark.django_db(transaction=True)
def test_an_edit_that_overtakes_the_one_before_waits_for_it(sound: Sound) -> None:
    """As the last edits of a page that is being closed may."""

    def rename(name: str) -> list[dict[str, Any]]:
        return [{"op": "replace", "path": "/name", "value": name}]

    late = threading.Timer(0.3, edit_sound, (sound.pk, 1, rename("First")))
    late.start()
    saved = edit_sound(sound.pk, 2, rename("Last"))
    late.join()
    assert (saved.revision, saved.document["name"]) == (3, "Last")
