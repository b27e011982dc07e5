

import django.db.models.deletion
import uuid
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('accounts', '0001_initial'),
    ]

    operations = [
        migrations.CreateModel(
            name='AircraftModel',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=60)),
                ('notes', models.TextField(blank=True, max_length=2000)),
                ('work', models.CharField(choices=[('mapping', 'Mapping'), ('spraying', 'Spraying'), ('search', 'Search'), ('any', 'Any')], default='any', max_length=10)),
                ('packs_count', models.PositiveSmallIntegerField(default=1)),
                ('power_w', models.FloatField()),
                ('cruise_m_s', models.FloatField()),
                ('fixed_s', models.FloatField(default=75)),
                ('turn_s', models.FloatField(default=4)),
                ('tank_l', models.FloatField(blank=True, null=True)),
                ('swath_m', models.FloatField(blank=True, null=True)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
            ],
            options={
                'ordering': ['name'],
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Aircraft',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=60)),
                ('notes', models.TextField(blank=True, max_length=2000)),
                ('power_w', models.FloatField(blank=True, null=True)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
                ('model', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='items', to='fleet.aircraftmodel')),
            ],
            options={
                'ordering': ['name'],
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Camera',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=60)),
                ('notes', models.TextField(blank=True, max_length=2000)),
                ('sensor_w_mm', models.FloatField()),
                ('sensor_h_mm', models.FloatField()),
                ('focal_mm', models.FloatField()),
                ('image_w_px', models.PositiveIntegerField()),
                ('image_h_px', models.PositiveIntegerField()),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
            ],
            options={
                'ordering': ['name'],
                'abstract': False,
            },
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='camera',
            field=models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='fleet.camera'),
        ),
        migrations.CreateModel(
            name='ChargerModel',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=60)),
                ('notes', models.TextField(blank=True, max_length=2000)),
                ('ports', models.PositiveSmallIntegerField()),
                ('modes', models.JSONField(default=list)),
                ('cap_w', models.FloatField(blank=True, null=True)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
            ],
            options={
                'ordering': ['name'],
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Charger',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=60)),
                ('notes', models.TextField(blank=True, max_length=2000)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
                ('model', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='items', to='fleet.chargermodel')),
            ],
            options={
                'ordering': ['name'],
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='PackModel',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=60)),
                ('notes', models.TextField(blank=True, max_length=2000)),
                ('chemistry', models.CharField(choices=[('lipo', 'LiPo'), ('lihv', 'High-voltage LiPo'), ('liion', 'Lithium-ion'), ('lfp', 'LFP')], default='lipo', max_length=8)),
                ('cells', models.PositiveSmallIntegerField()),
                ('capacity_ah', models.FloatField()),
                ('nominal_cell_v', models.FloatField(default=3.7)),
                ('cv_from_frac', models.FloatField(default=0.85)),
                ('most_rate_c', models.FloatField(default=2.0)),
                ('storage_frac', models.FloatField(default=0.6)),
                ('drains_itself', models.BooleanField(default=False)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
            ],
            options={
                'ordering': ['name'],
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Pack',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=60)),
                ('notes', models.TextField(blank=True, max_length=2000)),
                ('mates', models.CharField(blank=True, max_length=20)),
                ('health_frac', models.FloatField(default=1.0)),
                ('charge_frac', models.FloatField(default=0.6)),
                ('cycles', models.PositiveIntegerField(default=0)),
                ('bought_on', models.DateField(blank=True, null=True)),
                ('grounded', models.BooleanField(default=False)),
                ('grounded_why', models.CharField(blank=True, max_length=160)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
                ('model', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='items', to='fleet.packmodel')),
            ],
            options={
                'ordering': ['name'],
                'abstract': False,
            },
        ),
        migrations.AddField(
            model_name='aircraftmodel',
            name='pack_model',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='fleet.packmodel'),
        ),
        migrations.CreateModel(
            name='SupplyModel',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=60)),
                ('notes', models.TextField(blank=True, max_length=2000)),
                ('kind', models.CharField(choices=[('generator', 'Generator'), ('mains', 'Mains'), ('vehicle', 'Vehicle')], default='generator', max_length=10)),
                ('rated_w', models.FloatField()),
                ('headroom_frac', models.FloatField(default=0.2)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
            ],
            options={
                'ordering': ['name'],
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Supply',
            fields=[
                ('id', models.UUIDField(default=uuid.uuid4, editable=False, primary_key=True, serialize=False)),
                ('version', models.PositiveIntegerField(default=1)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('name', models.CharField(max_length=60)),
                ('notes', models.TextField(blank=True, max_length=2000)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.organisation')),
                ('model', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='items', to='fleet.supplymodel')),
            ],
            options={
                'ordering': ['name'],
                'abstract': False,
            },
        ),
    ]
