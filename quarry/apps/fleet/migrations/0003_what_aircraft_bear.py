

from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('fleet', '0002_what_packs_are'),
    ]

    operations = [
        migrations.AddField(
            model_name='aircraftmodel',
            name='climb_m_s',
            field=models.FloatField(default=3.0),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='hover_w',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='least_air_c',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='least_pack_c',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='live_at_once',
            field=models.BooleanField(default=False),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='mass_kg',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='most_air_c',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='most_load_kg',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='most_wind_m_s',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='power_up',
            field=models.JSONField(blank=True, default=list),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='rain_rated',
            field=models.BooleanField(default=False),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='rotor_m',
            field=models.FloatField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='rotors',
            field=models.PositiveSmallIntegerField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='shows',
            field=models.CharField(choices=[('cells', 'Each cell'), ('total', 'A total only'), ('none', 'No volts')], default='cells', max_length=6),
        ),
    ]
