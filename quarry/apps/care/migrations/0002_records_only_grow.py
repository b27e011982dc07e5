from django.db import migrations

FORWARD = """
CREATE TRIGGER records_only_grow BEFORE UPDATE OR DELETE ON care_packrecord
    FOR EACH ROW EXECUTE FUNCTION history_only_grows();
"""
BACK = "DROP TRIGGER records_only_grow ON care_packrecord;"


class Migration(migrations.Migration):
    dependencies = [("care", "0001_initial"), ("accounts", "0002_history_only_grows")]
    operations = [migrations.RunSQL(FORWARD, BACK)]
