from django.db import migrations

FORWARD = """
CREATE TRIGGER reports_only_grow BEFORE UPDATE OR DELETE ON search_searchreport
    FOR EACH ROW EXECUTE FUNCTION history_only_grows();
CREATE TRIGGER reports_are_not_emptied BEFORE TRUNCATE ON search_searchreport
    FOR EACH STATEMENT EXECUTE FUNCTION history_only_grows();
"""
BACK = """
DROP TRIGGER reports_only_grow ON search_searchreport;
DROP TRIGGER reports_are_not_emptied ON search_searchreport;
"""


class Migration(migrations.Migration):
    dependencies = [("search", "0001_initial"), ("accounts", "0007_shared_cache_and_no_truncate")]
    operations = [migrations.RunSQL(FORWARD, BACK)]
