"""What is kept in a schema of sounds before 12 is brought to the present one."""

from django.db import migrations

from studio.library.upgrading import upgrade_kept


class Migration(migrations.Migration):
    dependencies = [("library", "0013_schema_11")]
    operations = [migrations.RunPython(upgrade_kept, migrations.RunPython.noop)]
