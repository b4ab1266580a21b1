"""Sounds, versions and scores kept in an older schema are brought to the present one."""

from django.db import migrations

from caligo.document import DocumentError, read_score, read_sound

KEPT = (("Sound", read_sound, 3), ("Version", read_sound, 3), ("Score", read_score, 2))


def upgrade(apps, _):
    for name, read, schema in KEPT:
        for row in apps.get_model("library", name).objects.all().iterator():
            if row.document.get("schema") == schema:
                continue
            try:
                row.document = read(row.document).model_dump(mode="json", by_alias=True)
            except DocumentError:
                continue  # what could not be opened before cannot be opened now, and is kept
            row.save(update_fields=["document"])


class Migration(migrations.Migration):
    dependencies = [("library", "0003_schema_2")]
    operations = [migrations.RunPython(upgrade, migrations.RunPython.noop)]
