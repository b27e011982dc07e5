from django.db import migrations, models
from django.utils import timezone


class Migration(migrations.Migration):

    dependencies = [
        ('fleet', '0008_fast_mode'),
    ]

    operations = [
        migrations.AddField(
            model_name='pack',
            name='added_at',
            field=models.DateTimeField(auto_now_add=True, default=timezone.now),
            preserve_default=False,
        ),
    ]
