"""Guards: only Caligo's own page gets in, by its whole origin, and nothing from elsewhere."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from typing import Any

from django.conf import settings
from django.core.exceptions import DisallowedHost
from django.http import HttpRequest, HttpResponse
from django.http.request import split_domain_port, validate_host
from django.http.response import HttpResponseBase
from django.middleware.csrf import CsrfViewMiddleware

from studio.errors import BY_STATUS, error_response, is_api, of

POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "connect-src 'self' ws://{host}; worker-src 'self' blob:; frame-ancestors 'none'; "
    "base-uri 'none'; form-action 'self'; object-src 'none'"
)
REFUSED = 4403
"""Close code for a WebSocket from another origin."""


class CsrfEverywhere(CsrfViewMiddleware):
    """CSRF protection that no view is exempt from; API views would be by default."""

    def process_view(
        self,
        request: HttpRequest,
        callback: Callable[..., HttpResponseBase],
        callback_args: tuple[Any, ...],
        callback_kwargs: dict[str, Any],
    ) -> Any:
        """See `CsrfViewMiddleware.process_view`."""

        def checked(*args: Any, **kwargs: Any) -> HttpResponseBase:
            return callback(*args, **kwargs)

        try:
            return super().process_view(request, checked, callback_args, callback_kwargs)
        except Exception as error:  # an upload is read here, and may find no room
            if not is_api(request):
                raise
            return of(error, request)


class OwnHost:
    """Refuses names that are not this machine's own, and sends a content security policy.

    It stands ahead of everything else, so that static files are guarded as well.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer, with the policy."""
        try:
            # Without the header, Django goes by the address that the server listens at.
            if "HTTP_HOST" not in request.META:
                raise DisallowedHost("no Host header")
            host = request.get_host()
        except DisallowedHost:
            text = "This is not Caligo's own address. Open it at 127.0.0.1."
            if is_api(request):
                return error_response(400, text)
            return HttpResponse(text, status=400, content_type="text/plain")
        response = self._get_response(request)
        response.headers["Content-Security-Policy"] = POLICY.format(host=host)
        response.headers["X-Frame-Options"] = "DENY"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        return response


def forged(request: HttpRequest, reason: str = "") -> HttpResponse:
    """The answer to a request that does not carry the page's token."""
    return error_response(403, BY_STATUS[403])


class OwnOrigin:
    """Lets WebSockets in from the page that this very server serves: scheme, host and port."""

    def __init__(self, application: Callable[..., Awaitable[None]]) -> None:
        self._application = application

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        """Pass the connection on, or close it."""
        headers = {name: value.decode("latin-1") for name, value in scope["headers"]}
        host, origin = headers.get(b"host", ""), headers.get(b"origin", "")
        domain, _ = split_domain_port(host)
        own = validate_host(domain, settings.ALLOWED_HOSTS) and origin == f"http://{host}"
        if own:
            await self._application(scope, receive, send)
        else:
            await send({"type": "websocket.close", "code": REFUSED})
