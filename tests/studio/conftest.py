"""A studio of its own for each test: folders, one production, a client that passes CSRF."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from django.test import Client

from studio.library.editing import add_sound
from studio.library.models import Production, Sound
from studio.library.starting import new_cue, plain_sound


@pytest.fixture(autouse=True)
def _folders(settings: Any, tmp_path: Path) -> None:
    settings.RENDERS_DIR = tmp_path / "renders"
    settings.STEMS_DIR = tmp_path / "stems"


@pytest.fixture
def sound(db: None) -> Sound:
    """A plain sound in a cue of eight seconds."""
    cue = new_cue(Production.objects.create(name="Test film"), "1m1", "First")
    cue.score.document["length"] = 8.0
    for note in cue.score.document["notes"]:
        note["length"] = 6.0
    cue.score.save()
    return add_sound(cue, plain_sound("Plain"))


class Api:
    """The API over Django's test client, with the CSRF token that the page sets."""

    def __init__(self) -> None:
        self.client = Client(enforce_csrf_checks=True, headers={"host": "127.0.0.1"})
        self.client.get("/")
        self.token = self.client.cookies["csrftoken"].value

    def __call__(self, method: str, path: str, body: Any = None, token: bool = True) -> Any:
        headers = {"X-CSRFToken": self.token} if token else {}
        return self.client.generic(
            method, f"/api{path}", json.dumps(body) if body is not None else "",
            content_type="application/json", headers=headers,
        )  # fmt: skip

    def upload(self, path: str, file: Any) -> Any:
        return self.client.post(f"/api{path}", {"file": file}, headers={"X-CSRFToken": self.token})


@pytest.fixture
def api(db: None) -> Api:
    return Api()


def gathered(answer: Any) -> bytes:
    import asyncio

    async def gather() -> bytes:
        return b"".join([piece async for piece in answer.streaming_content])

    return asyncio.run(gather())
