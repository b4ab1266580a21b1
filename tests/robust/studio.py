"""A studio in a folder of its own, and a client that passes its guards."""

from __future__ import annotations

import contextlib
import json
import os
import tempfile
from collections.abc import Iterator
from typing import Any


@contextlib.contextmanager
def in_a_folder() -> Iterator[str]:
    """A studio with the demo in a temporary folder; for commands, before Django is set up."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["CALIGO_DATA"] = folder
        os.environ["DJANGO_SETTINGS_MODULE"] = "studio.settings"
        from studio.serve import prepare

        prepare(demo=True)
        yield folder


class Client:
    """Django's test client with the page's token; errors are answered, as in a real server."""

    def __init__(self) -> None:
        from django import test

        self._client = test.Client(
            enforce_csrf_checks=True, raise_request_exception=False, headers={"host": "127.0.0.1"}
        )
        self._client.get("/")
        self._token = self._client.cookies["csrftoken"].value

    def get(self, path: str) -> Any:
        """A plain request."""
        return self._client.get(path)

    def send(self, method: str, path: str, body: Any, files: dict[str, Any]) -> Any:
        """Any request, as the page would send it."""
        headers = {"X-CSRFToken": self._token}
        if files:
            return self._client.post(path, files, headers=headers)
        text = json.dumps(body) if body is not None else ""
        return self._client.generic(
            method, path, text, content_type="application/json", headers=headers
        )
