from django.db import migrations


class Migration(migrations.Migration):
    """A table being read in is an import."""

    dependencies = [("care", "0004_snapshot_of_a_pack")]

    operations = [migrations.RenameModel("Intake", "TableImport")]
