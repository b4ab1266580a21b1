"""What is kept in a schema of sounds before 13 is brought to the present one."""

from django.db import migrations

from studio.library.upgrading import upgrade_kept


class Migration(migrations.Migration):
    dependencies = [("library", "0014_schema_12")]
    operations = [migrations.RunPython(upgrade_kept, migrations.RunPython.noop)]
