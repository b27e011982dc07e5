from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("day", "0005_tries_of_a_search")]

    operations = [migrations.AddField(model_name="dayrun", name="flown", field=models.JSONField(null=True))]
