from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("fleet", "0010_charged_chemistries"),
    ]

    operations = [
        migrations.AddField(
            model_name="aircraftmodel",
            name="low_frac",
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name="aircraftmodel",
            name="critical_frac",
            field=models.FloatField(blank=True, null=True),
        ),
    ]
