from django.db import migrations

FORWARD = """
CREATE TRIGGER records_are_not_emptied BEFORE TRUNCATE ON care_packrecord
    FOR EACH STATEMENT EXECUTE FUNCTION history_only_grows();
"""


class Migration(migrations.Migration):
    dependencies = [("care", "0005_table_import"), ("accounts", "0007_shared_cache_and_no_truncate")]
    operations = [migrations.RunSQL(FORWARD, "DROP TRIGGER records_are_not_emptied ON care_packrecord")]
