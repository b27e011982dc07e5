"""A cache that all processes share; history that cannot be emptied at once, and that goes with its company alone.

Lines of a company are changed or deleted only by what has named the company for this transaction: deleting the company,
anonymising a person of it, and what its retention lets go.
"""

from django.core.management import call_command
from django.db import migrations


def make_cache(_apps, editor):
    call_command("createcachetable", database=editor.connection.alias, verbosity=0)


FORWARD = """
CREATE OR REPLACE FUNCTION history_only_grows() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF TG_OP <> 'TRUNCATE' AND current_setting('quarry.erase', true) = OLD.organisation_id::text THEN
        IF TG_OP = 'DELETE' THEN RETURN OLD; END IF;
        IF NEW.organisation_id = OLD.organisation_id THEN RETURN NEW; END IF;
    END IF;
    RAISE EXCEPTION 'history is only ever added to';
END $$;
CREATE TRIGGER history_is_not_emptied BEFORE TRUNCATE ON accounts_historyentry
    FOR EACH STATEMENT EXECUTE FUNCTION history_only_grows();
"""
BACK = """
DROP TRIGGER history_is_not_emptied ON accounts_historyentry;
CREATE OR REPLACE FUNCTION history_only_grows() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'history is only ever added to';
END $$;
"""


class Migration(migrations.Migration):
    dependencies = [("accounts", "0006_ways_to_sign_in")]
    operations = [
        migrations.RunPython(make_cache, migrations.RunPython.noop),
        migrations.RunSQL(FORWARD, BACK),
    ]
