"""Samples and logs come compressed: the database need not try again."""

from django.db import migrations

_COLUMNS = (
    ("logbook_flightsamples", "data"),
    ("logbook_flightsamples", "overview"),
    ("logbook_logdata", "data"),
    ("logbook_import", "data"),
)


class Migration(migrations.Migration):
    """Keep them out of the row, as they are."""

    dependencies = [("logbook", "0001_initial")]

    operations = [
        migrations.RunSQL(
            ";".join(f"ALTER TABLE {t} ALTER COLUMN {c} SET STORAGE EXTERNAL" for t, c in _COLUMNS),
            ";".join(f"ALTER TABLE {t} ALTER COLUMN {c} SET STORAGE EXTENDED" for t, c in _COLUMNS),
        )
    ]
