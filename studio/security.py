"""Guards: CSRF on every request that changes something, and no content from elsewhere."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseForbidden
from django.http.response import HttpResponseBase
from django.middleware.csrf import CsrfViewMiddleware

POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "connect-src 'self' ws://127.0.0.1:* ws://localhost:*; worker-src 'self' blob:"
)


class CsrfEverywhere(CsrfViewMiddleware):
    """CSRF protection that no view is exempt from; API views would be by default."""

    def process_view(
        self,
        request: HttpRequest,
        callback: Callable[..., HttpResponseBase],
        callback_args: tuple[Any, ...],
        callback_kwargs: dict[str, Any],
    ) -> HttpResponseForbidden | None:
        """See `CsrfViewMiddleware.process_view`."""

        def checked(*args: Any, **kwargs: Any) -> HttpResponseBase:
            return callback(*args, **kwargs)

        return super().process_view(request, checked, callback_args, callback_kwargs)


class ContentPolicy:
    """Sends a content security policy: everything comes from this server."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer, with the policy."""
        response = self._get_response(request)
        response.headers["Content-Security-Policy"] = POLICY
        return response
