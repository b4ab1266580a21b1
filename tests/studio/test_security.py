"""Only this machine, only this page: CSRF, hosts, content policy."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest
from django.http import HttpResponse
from django.test import Client, RequestFactory

from studio import settings
from studio.library.models import Sound
from studio.security import OwnHost, OwnOrigin
from studio.serve import HOST, bound
from tests.studio.conftest import Api


def test_changes_need_the_csrf_token(api: Api, sound: Sound) -> None:
    answer = api("POST", f"/sounds/{sound.pk}/versions", {}, token=False)
    assert answer.status_code == 403
    assert api("POST", f"/sounds/{sound.pk}/versions", {}).status_code == 201


def test_other_hosts_are_refused(db: None) -> None:
    assert Client(headers={"host": "evil.example"}).get("/api/catalogue").status_code == 400


@pytest.mark.parametrize("path", ["/", "/api/catalogue", "/static/build/index.html", "/api/none"])
def test_nothing_comes_from_elsewhere_nor_frames_us(api: Api, path: str) -> None:
    """Static files, too: the built page could be framed, and edited through, otherwise."""
    policy = api.client.get(path).headers["Content-Security-Policy"]
    assert "default-src 'self'" in policy
    for directive in ("frame-ancestors 'none'", "base-uri 'none'", "form-action 'self'"):
        assert directive in policy
    assert "http" not in policy
    assert "connect-src 'self' ws://127.0.0.1;" in policy


def test_a_request_without_a_host_is_refused(db: None) -> None:
    """HTTP/1.0 knows of none; Django would go by the address that the server listens at."""
    request = RequestFactory().get("/api/catalogue")
    request.META.pop("HTTP_HOST", None)
    assert OwnHost(lambda _: HttpResponse())(request).status_code == 400


def test_other_pages_do_not_read_what_is_served(api: Api) -> None:
    for path in ("/", "/api/catalogue"):
        headers = api.client.get(path).headers
        assert headers["Cross-Origin-Resource-Policy"] == "same-origin"


def test_other_hosts_get_no_static_file(db: None) -> None:
    client = Client(headers={"host": "evil.example"})
    assert client.get("/static/build/index.html").status_code == 400


ORIGINS = [
    ("http://127.0.0.1:8460", "127.0.0.1:8460", True),
    ("http://localhost:8460", "localhost:8460", True),
    ("http://127.0.0.1:9999", "127.0.0.1:8460", False),  # a page on another port of this machine
    ("http://localhost:8460", "127.0.0.1:8460", False),
    ("https://127.0.0.1:8460", "127.0.0.1:8460", False),
    ("http://evil.example", "evil.example", False),
    ("", "127.0.0.1:8460", False),
]


@pytest.mark.parametrize(("origin", "host", "let_in"), ORIGINS)
def test_a_websocket_is_for_the_own_page_alone(origin: str, host: str, let_in: bool) -> None:
    passed, sent = [], []

    async def application(*_: Any) -> None:
        passed.append(True)

    async def send(message: Any) -> None:
        sent.append(message)

    headers = [(b"origin", origin.encode()), (b"host", host.encode())]
    asyncio.run(OwnOrigin(application)({"headers": headers}, None, send))
    assert bool(passed) is let_in
    assert bool(sent) is not let_in


def test_served_on_loopback_only() -> None:
    assert HOST == "127.0.0.1"
    one, other = bound(None), bound(None)
    with one, other:
        assert one.getsockname()[0] == other.getsockname()[0] == HOST
        assert 1024 < one.getsockname()[1] < other.getsockname()[1]
    assert set(settings.ALLOWED_HOSTS) == {"127.0.0.1", "localhost", "[::1]"}
