from django.db import migrations


class Migration(migrations.Migration):
    """How a day is planned bears the field's word."""

    dependencies = [("day", "0006_what_was_flown_is_kept")]

    operations = [migrations.RenameField("day", "schools", "methods")]
