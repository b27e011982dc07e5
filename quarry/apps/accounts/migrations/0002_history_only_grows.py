from django.db import migrations

FORWARD = """
CREATE FUNCTION history_only_grows() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'history is only ever added to';
END $$;
CREATE TRIGGER history_only_grows BEFORE UPDATE OR DELETE ON accounts_historyentry
    FOR EACH ROW EXECUTE FUNCTION history_only_grows();
"""
BACK = """
DROP TRIGGER history_only_grows ON accounts_historyentry;
DROP FUNCTION history_only_grows();
"""


class Migration(migrations.Migration):
    dependencies = [("accounts", "0001_initial")]
    operations = [migrations.RunSQL(FORWARD, BACK)]
