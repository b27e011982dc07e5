import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("care", "0003_tries_of_a_table"),
        ("fleet", "0005_what_flights_taught"),
    ]

    operations = [
        migrations.RenameModel(old_name="Standing", new_name="PackSnapshot"),
        migrations.AlterField(
            model_name="packsnapshot",
            name="pack",
            field=models.OneToOneField(
                on_delete=django.db.models.deletion.CASCADE,
                primary_key=True,
                related_name="snapshot",
                serialize=False,
                to="fleet.pack",
            ),
        ),
    ]
