from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("logbook", "0005_flights_as_rows"),
    ]

    operations = [
        migrations.AddField(model_name="logfile", name="holds", field=models.JSONField(default=list)),
        migrations.AddField(model_name="logfile", name="split", field=models.BooleanField(default=False)),
    ]
