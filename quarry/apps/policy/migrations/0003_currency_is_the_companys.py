"""The currency moves from the policy to the company."""

from django.db import migrations


def move(apps, _editor):
    Policy = apps.get_model("policy", "Policy")
    Organisation = apps.get_model("accounts", "Organisation")
    for pk, currency in Policy._base_manager.values_list("organisation_id", "currency"):
        Organisation.objects.filter(pk=pk, currency="").update(currency=currency)


class Migration(migrations.Migration):
    dependencies = [("policy", "0002_methods"), ("accounts", "0003_company")]

    operations = [
        migrations.RunPython(move, migrations.RunPython.noop),
        migrations.RemoveField(model_name="policy", name="currency"),
    ]
