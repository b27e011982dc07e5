from django.db import migrations

FORWARD = """
CREATE TRIGGER events_are_not_emptied BEFORE TRUNCATE ON day_dayevent
    FOR EACH STATEMENT EXECUTE FUNCTION history_only_grows();
"""


class Migration(migrations.Migration):
    dependencies = [("day", "0009_landed_sorties"), ("accounts", "0007_shared_cache_and_no_truncate")]
    operations = [migrations.RunSQL(FORWARD, "DROP TRIGGER events_are_not_emptied ON day_dayevent")]
