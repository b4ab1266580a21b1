"""The ASGI application: Django over HTTP, open sounds over WebSockets."""

from __future__ import annotations

import os

from channels.routing import ProtocolTypeRouter, URLRouter
from django.core.asgi import get_asgi_application
from django.urls import path

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
http = get_asgi_application()

from studio.live.consumer import LiveConsumer  # noqa: E402
from studio.security import OwnOrigin  # noqa: E402 (needs Django set up)

application = ProtocolTypeRouter(
    {
        "http": http,
        "websocket": OwnOrigin(
            URLRouter([path("ws/sounds/<int:sound_id>", LiveConsumer.as_asgi())])
        ),
    }
)
