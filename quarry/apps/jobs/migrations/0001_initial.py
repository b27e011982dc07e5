

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('accounts', '0001_initial'),
        ('fleet', '0001_initial'),
    ]

    operations = [
        migrations.CreateModel(
            name='Job',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=80)),
                ('letter', models.CharField(max_length=2)),
                ('kind', models.CharField(choices=[('mapping', 'Mapping'), ('spraying', 'Spraying'), ('search', 'Search')], default='mapping', max_length=10)),
                ('place', models.CharField(blank=True, max_length=80)),
                ('area', models.JSONField(default=list)),
                ('keep_outs', models.JSONField(default=list)),
                ('home', models.JSONField(null=True)),
                ('work', models.JSONField(default=dict)),
                ('lines', models.JSONField(default=dict)),
                ('sorties', models.JSONField(default=dict)),
                ('wind', models.JSONField(default=dict)),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('changed_at', models.DateTimeField(auto_now=True)),
                ('aircraft', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='fleet.aircraft')),
                ('aircraft_model', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='fleet.aircraftmodel')),
                ('camera', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='fleet.camera')),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
            ],
            options={
                'ordering': ['-changed_at'],
            },
        ),
        migrations.CreateModel(
            name='Terrain',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=80)),
                ('west_deg', models.FloatField()),
                ('south_deg', models.FloatField()),
                ('cell_deg_lon', models.FloatField()),
                ('cell_deg_lat', models.FloatField()),
                ('columns', models.PositiveIntegerField()),
                ('rows', models.PositiveIntegerField()),
                ('heights', models.BinaryField()),
                ('simulated', models.BooleanField(default=False)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='KeptPlan',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('fingerprint', models.CharField(max_length=64)),
                ('plan', models.JSONField()),
                ('made_at', models.DateTimeField(auto_now=True)),
                ('job', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='plans', to='jobs.job')),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='accounts.organisation')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('job', 'fingerprint'), name='one_plan_per_fingerprint')],
            },
        ),
    ]
