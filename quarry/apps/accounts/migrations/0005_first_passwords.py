from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("accounts", "0004_map_service"),
    ]

    operations = [
        migrations.AddField(model_name="user", name="first_password", field=models.BooleanField(default=False)),
    ]
