

import django.db.models.deletion
import uuid
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('accounts', '0002_history_only_grows'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Forecast',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('lon', models.FloatField()),
                ('lat', models.FloatField()),
                ('data', models.JSONField(null=True)),
                ('issued_at', models.DateTimeField(null=True)),
                ('fetched_at', models.DateTimeField(null=True)),
                ('tried_at', models.DateTimeField()),
                ('problem', models.CharField(blank=True, max_length=200)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='accounts.organisation')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('organisation', 'lon', 'lat'), name='one_forecast_a_place')],
            },
        ),
        migrations.CreateModel(
            name='Reading',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('key', models.UUIDField(default=uuid.uuid4)),
                ('lon', models.FloatField()),
                ('lat', models.FloatField()),
                ('at', models.DateTimeField()),
                ('kind', models.CharField(choices=[('measured', 'Measured'), ('report', 'Report'), ('entered', 'Entered')], max_length=10)),
                ('figures', models.JSONField(default=dict)),
                ('words', models.CharField(blank=True, max_length=700)),
                ('withdrawn_at', models.DateTimeField(null=True)),
                ('by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
            ],
            options={
                'ordering': ['-at'],
                'constraints': [models.UniqueConstraint(fields=('organisation', 'key'), name='reading_once')],
            },
        ),
    ]
