from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("fleet", "0011_when_aircraft_warn"),
    ]

    operations = [
        migrations.AddField(
            model_name="aircraftmodel",
            name=name,
            field=models.FloatField(blank=True, null=True),
        )
        for name in ("rated_hover_min", "rated_steady_min", "rated_mixed_min", "rated_left_frac")
    ]
