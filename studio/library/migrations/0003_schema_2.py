"""Sounds and versions kept in an older schema are brought to schema 2, and mean what they meant."""

from django.db import migrations

from caligo.document import DocumentError, read_sound


def upgrade(apps, _):
    for name in ("Sound", "Version"):
        model = apps.get_model("library", name)
        for row in model.objects.all().iterator():
            if row.document.get("schema") == 1:
                try:
                    row.document = read_sound(row.document).as_document()
                except DocumentError:
                    continue  # what could not be opened before cannot be opened now, and is kept
                row.save(update_fields=["document"])


class Migration(migrations.Migration):
    dependencies = [("library", "0002_removed")]
    operations = [migrations.RunPython(upgrade, migrations.RunPython.noop)]
