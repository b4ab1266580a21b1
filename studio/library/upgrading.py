"""Documents kept in an older schema are brought to the present one, by a migration for each."""

from __future__ import annotations

from typing import Any

from caligo.document import DocumentError, read_score, read_sound
from caligo.document.upgrading import SCORE_SCHEMA, SOUND_SCHEMA

KEPT = (
    ("Sound", read_sound, SOUND_SCHEMA),
    ("Version", read_sound, SOUND_SCHEMA),
    ("Score", read_score, SCORE_SCHEMA),
)


def upgrade_kept(apps: Any, _: Any) -> None:
    """Bring all sounds, versions and scores to the present schema."""
    for name, read, schema in KEPT:
        for row in apps.get_model("library", name).objects.all().iterator():
            if row.document.get("schema") == schema:
                continue
            try:
                row.document = read(row.document).model_dump(mode="json", by_alias=True)
            except DocumentError:
                continue  # what could not be opened before cannot be opened now, and is kept
            row.save(update_fields=["document"])
