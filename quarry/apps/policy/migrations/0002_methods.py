from django.db import migrations

_RENAME = """
UPDATE policy_policy SET own = (own - '{old}') || jsonb_build_object('{new}', own -> '{old}')
WHERE jsonb_exists(own, '{old}')
"""
_KEYS = (("school", "reserve_method"), ("cold.school", "cold.method"))


class Migration(migrations.Migration):
    """Settings that choose a method are called so."""

    dependencies = [("policy", "0001_initial")]

    operations = [
        migrations.RunSQL(_RENAME.format(old=old, new=new), _RENAME.format(old=new, new=old)) for old, new in _KEYS
    ]
