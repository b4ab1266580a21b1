"""Only this machine, only this page: CSRF, hosts, content policy."""

from __future__ import annotations

from django.test import Client

from studio import settings
from studio.library.models import Sound
from studio.serve import HOST, free_port
from tests.studio.conftest import Api


def test_changes_need_the_csrf_token(api: Api, sound: Sound) -> None:
    answer = api("POST", f"/sounds/{sound.pk}/versions", {}, token=False)
    assert answer.status_code == 403
    assert api("POST", f"/sounds/{sound.pk}/versions", {}).status_code == 201


def test_other_hosts_are_refused(db: None) -> None:
    assert Client(headers={"host": "evil.example"}).get("/api/catalogue").status_code == 400


def test_nothing_comes_from_elsewhere(api: Api) -> None:
    policy = api("GET", "/catalogue").headers["Content-Security-Policy"]
    assert "default-src 'self'" in policy
    assert "http" not in policy


def test_served_on_loopback_only() -> None:
    assert HOST == "127.0.0.1"
    assert free_port(None) > 1024
    assert set(settings.ALLOWED_HOSTS) == {"127.0.0.1", "localhost", "[::1]"}
