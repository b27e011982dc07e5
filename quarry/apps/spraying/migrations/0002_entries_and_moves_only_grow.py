from django.db import migrations

FORWARD = """
CREATE TRIGGER entries_only_grow BEFORE UPDATE OR DELETE ON spraying_recordentry
    FOR EACH ROW EXECUTE FUNCTION history_only_grows();
CREATE TRIGGER entries_are_not_emptied BEFORE TRUNCATE ON spraying_recordentry
    FOR EACH STATEMENT EXECUTE FUNCTION history_only_grows();
CREATE TRIGGER moves_only_grow BEFORE UPDATE OR DELETE ON spraying_stockmove
    FOR EACH ROW EXECUTE FUNCTION history_only_grows();
CREATE TRIGGER moves_are_not_emptied BEFORE TRUNCATE ON spraying_stockmove
    FOR EACH STATEMENT EXECUTE FUNCTION history_only_grows();
"""
BACK = """
DROP TRIGGER entries_only_grow ON spraying_recordentry;
DROP TRIGGER entries_are_not_emptied ON spraying_recordentry;
DROP TRIGGER moves_only_grow ON spraying_stockmove;
DROP TRIGGER moves_are_not_emptied ON spraying_stockmove;
"""


class Migration(migrations.Migration):
    dependencies = [("spraying", "0001_initial"), ("accounts", "0007_shared_cache_and_no_truncate")]
    operations = [migrations.RunSQL(FORWARD, BACK)]
