"""What is kept in a schema of sounds before 9 is brought to the present one."""

from django.db import migrations

from studio.library.upgrading import upgrade_kept


class Migration(migrations.Migration):
    dependencies = [("library", "0010_schema_8")]
    operations = [migrations.RunPython(upgrade_kept, migrations.RunPython.noop)]
