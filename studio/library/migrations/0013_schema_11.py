"""What is kept in a schema of sounds before 11 is brought to the present one."""

from django.db import migrations

from studio.library.upgrading import upgrade_kept


class Migration(migrations.Migration):
    dependencies = [("library", "0012_schema_10")]
    operations = [migrations.RunPython(upgrade_kept, migrations.RunPython.noop)]
