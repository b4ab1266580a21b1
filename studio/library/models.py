"""What the library keeps. Documents are stored whole, as the core reads and writes them."""

from __future__ import annotations

from typing import Any

from django.db import models


class Production(models.Model):
    """A film or an album."""

    name = models.CharField(max_length=120)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("created", "id")

    def __str__(self) -> str:
        return self.name


class Cue(models.Model):
    """A timed piece of a production, with its number such as 1m1."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="cues")
    number = models.CharField(max_length=12, blank=True)
    name = models.CharField(max_length=120)

    class Meta:
        ordering = ("number", "id")

    def __str__(self) -> str:
        return f"{self.number} {self.name}".strip()


class Score(models.Model):
    """What a cue plays."""

    cue = models.OneToOneField(Cue, models.CASCADE, related_name="score")
    document: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField()
    revision = models.PositiveIntegerField(default=1)

    def __str__(self) -> str:
        return f"Score of {self.cue}"


class Sound(models.Model):
    """A designed sound that a cue plays. Its name is the document's, kept for lists."""

    cue = models.ForeignKey(Cue, models.CASCADE, related_name="sounds")
    name = models.CharField(max_length=80)
    document: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField()
    revision = models.PositiveIntegerField(default=1)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ("id",)

    def __str__(self) -> str:
        return self.name


class Version(models.Model):
    """A kept state of a sound."""

    sound = models.ForeignKey(Sound, models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=120, blank=True)
    document: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-number",)
        constraints = [
            models.UniqueConstraint(fields=("sound", "number"), name="version_number_unique")
        ]

    def __str__(self) -> str:
        return f"{self.sound}, version {self.number}"
