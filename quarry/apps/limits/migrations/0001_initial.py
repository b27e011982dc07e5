

import django.db.models.deletion
import uuid
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('accounts', '0002_history_only_grows'),
        ('fleet', '0003_what_aircraft_bear'),
        ('jobs', '0002_job_site'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='LimitSheet',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('level', models.CharField(choices=[('organisation', 'Organisation'), ('aircraft', 'Aircraft'), ('work', 'Work'), ('job', 'Job')], max_length=12)),
                ('work', models.CharField(blank=True, max_length=10)),
                ('rules', models.JSONField(default=list)),
                ('aircraft_model', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to='fleet.aircraftmodel')),
                ('job', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to='jobs.job')),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('organisation', 'level', 'aircraft_model', 'work', 'job'), name='one_sheet_a_level', nulls_distinct=False)],
            },
        ),
        migrations.CreateModel(
            name='Preflight',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('key', models.UUIDField(default=uuid.uuid4)),
                ('sortie', models.PositiveSmallIntegerField(default=1)),
                ('on', models.DateField()),
                ('entries', models.JSONField(default=dict)),
                ('state', models.CharField(default='open', max_length=10)),
                ('word', models.CharField(default='no', max_length=6)),
                ('reasons', models.JSONField(default=list)),
                ('override', models.JSONField(null=True)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('closed_at', models.DateTimeField(null=True)),
                ('aircraft', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='fleet.aircraft')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('job', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='jobs.job')),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
                ('packs', models.ManyToManyField(related_name='+', to='fleet.pack')),
            ],
            options={
                'ordering': ['-made_at'],
                'constraints': [models.UniqueConstraint(fields=('organisation', 'key'), name='preflight_once')],
            },
        ),
    ]
