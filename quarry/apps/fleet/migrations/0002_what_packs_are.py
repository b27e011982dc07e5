

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('fleet', '0001_initial'),
    ]

    operations = [
        migrations.AddField(
            model_name='pack',
            name='price',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='pack',
            name='serial',
            field=models.CharField(blank=True, max_length=40),
        ),
        migrations.AddField(
            model_name='pack',
            name='warranty_until',
            field=models.DateField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='packmodel',
            name='drains_after_days',
            field=models.PositiveSmallIntegerField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='packmodel',
            name='fits',
            field=models.CharField(blank=True, max_length=60),
        ),
        migrations.AddField(
            model_name='packmodel',
            name='label_c',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='packmodel',
            name='mass_kg',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='packmodel',
            name='parallel',
            field=models.PositiveSmallIntegerField(default=1),
        ),
        migrations.AddField(
            model_name='packmodel',
            name='price',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='packmodel',
            name='test_bad_v',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='packmodel',
            name='test_good_v',
            field=models.FloatField(blank=True, null=True),
        ),
    ]
