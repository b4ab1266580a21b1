"""The library app."""

from django.apps import AppConfig


class LibraryConfig(AppConfig):
    """Productions, cues, sounds, scores and versions."""

    name = "studio.library"
    label = "library"
