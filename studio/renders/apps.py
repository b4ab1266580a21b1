"""The renders app."""

from django.apps import AppConfig


class RendersConfig(AppConfig):
    """Renders in the background."""

    name = "studio.renders"
    label = "renders"
