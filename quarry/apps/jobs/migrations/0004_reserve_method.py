from django.db import migrations

_RENAME = """
UPDATE jobs_job SET sorties = (sorties - '{old}') || jsonb_build_object('{new}', sorties -> '{old}')
WHERE jsonb_exists(sorties, '{old}')
"""


class Migration(migrations.Migration):
    """What the reserve counts from is a method."""

    dependencies = [("jobs", "0003_cached_plan")]

    operations = [
        migrations.RunSQL(
            _RENAME.format(old="school", new="reserve_method"), _RENAME.format(old="reserve_method", new="school")
        )
    ]
