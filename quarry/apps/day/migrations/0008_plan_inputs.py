from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("day", "0007_methods")]

    operations = [migrations.RenameField(model_name="dayplan", old_name="facts", new_name="inputs")]
