"""What the library keeps. Documents are stored whole, as the core reads and writes them."""

from __future__ import annotations

from typing import Any, TypeVar

from django.db import models

Kind = TypeVar("Kind", bound=models.Model)


class ActiveManager(models.Manager[Kind]):
    """What has not been deleted, nor anything that it belongs to."""

    def __init__(self, *owners: str) -> None:
        super().__init__()
        self._conditions = {f"{owner}__removed": None for owner in owners} | {"removed": None}

    def get_queryset(self) -> models.QuerySet[Kind]:
        """See `models.Manager`."""
        return super().get_queryset().filter(**self._conditions)


class Removable(models.Model):
    """Something that can be deleted and brought back; see `studio.library.removing`."""

    removed = models.DateTimeField(null=True, blank=True, default=None, db_index=True)

    everything: models.Manager[Any] = models.Manager()

    class Meta:
        abstract = True


class Production(Removable):
    """A film or an album."""

    name = models.CharField(max_length=120)
    created = models.DateTimeField(auto_now_add=True)

    objects = ActiveManager()

    class Meta:
        default_manager_name = "objects"
        ordering = ("created", "id")

    def __str__(self) -> str:
        return self.name


class Cue(Removable):
    """A timed piece of a production, with its number such as 1m1."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="cues")
    number = models.CharField(max_length=12, blank=True)
    name = models.CharField(max_length=120)

    objects = ActiveManager("production")

    class Meta:
        default_manager_name = "objects"
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


class Sound(Removable):
    """A designed sound that a cue plays. Its name is the document's, kept for lists."""

    cue = models.ForeignKey(Cue, models.CASCADE, related_name="sounds")
    name = models.CharField(max_length=80)
    document: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField()
    revision = models.PositiveIntegerField(default=1)
    changed = models.DateTimeField(auto_now=True)

    objects = ActiveManager("cue", "cue__production")

    class Meta:
        default_manager_name = "objects"
        ordering = ("id",)

    @property
    def here(self) -> bool:
        """Whether neither it nor what it belongs to has been deleted."""
        return self.removed is self.cue.removed is self.cue.production.removed is None

    def __str__(self) -> str:
        return self.name


class Version(Removable):
    """A kept state of a sound."""

    sound = models.ForeignKey(Sound, models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=120, blank=True)
    document: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    objects = ActiveManager("sound")

    class Meta:
        default_manager_name = "objects"
        ordering = ("-number",)
        constraints = [
            models.UniqueConstraint(fields=("sound", "number"), name="version_number_unique")
        ]

    def __str__(self) -> str:
        return f"{self.sound}, version {self.number}"


class KeptChain(models.Model):
    """Filters or effects kept under a name, to be used again in any sound."""

    name = models.CharField(max_length=120)
    family = models.CharField(max_length=12)
    document: models.JSONField[dict[str, Any], dict[str, Any]] = models.JSONField()
    """The parts, what moves them, and the schema of sounds that they are of."""

    class Meta:
        ordering = ("name", "id")

    def __str__(self) -> str:
        return self.name
