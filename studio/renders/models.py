"""What is known of every render."""

from __future__ import annotations

from typing import Any

from django.db import models

from studio.library.models import Sound


class Render(models.Model):
    """A sound written to a file; keeps its own copy of what it renders."""

    class State(models.TextChoices):
        """Where a render stands."""

        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        CANCELLED = "cancelled"
        FAILED = "failed"
        CUT_OFF = "cut off"

    sound = models.ForeignKey(Sound, models.CASCADE, related_name="renders")
    document: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField()
    score: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField()
    container = models.CharField(max_length=8)
    sample_format = models.CharField(max_length=8)
    rate = models.PositiveIntegerField()
    start = models.FloatField()
    end = models.FloatField()
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0.0)
    message = models.TextField(blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ("-id",)

    def __str__(self) -> str:
        return f"Render {self.pk} of {self.sound}: {self.state}"

    @property
    def file_name(self) -> str:
        """The name a downloaded file gets."""
        stem = "".join(c if c.isalnum() or c in "-_" else "-" for c in self.document["name"])
        return f"{stem}-{self.pk}.{self.container}"
