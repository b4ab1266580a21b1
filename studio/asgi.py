"""The ASGI application: Django over HTTP, the stage over WebSockets."""

from __future__ import annotations

import os

from channels.routing import ProtocolTypeRouter, URLRouter
from django.core.asgi import get_asgi_application
from django.urls import path

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
http = get_asgi_application()

from studio.security import OwnOrigin  # noqa: E402 (needs Django set up)
from studio.stage.consumer import StageConsumer  # noqa: E402

application = ProtocolTypeRouter(
    {
        "http": http,
        "websocket": OwnOrigin(
            URLRouter([path("ws/sounds/<int:sound_id>", StageConsumer.as_asgi())])
        ),
    }
)
