"""The page: the built front end, with a CSRF cookie."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe


@require_safe
@ensure_csrf_cookie
def page(_: HttpRequest) -> HttpResponse:
    """The single page that the front end lives in."""
    built = settings.BASE_DIR / "static" / "build" / "index.html"
    if not built.exists():
        return HttpResponse(
            "The interface has not been built yet. Run `make demo`, which builds it.",
            status=503,
            content_type="text/plain",
        )
    response = HttpResponse(built.read_text())
    response.headers["Cache-Control"] = "no-cache"
    return response
