"""A job has several areas in place of one outline."""

from django.db import migrations, models


def into_list(apps, schema_editor):
    job_model = apps.get_model("jobs", "Job")
    for job in job_model.objects.iterator():
        job.areas = [{"name": "", "ring": job.area, "left_out": False, "bearing_deg": None, "corridor_m": None}] if job.area else []
        job.save(update_fields=["areas"])


def into_outline(apps, schema_editor):
    job_model = apps.get_model("jobs", "Job")
    for job in job_model.objects.iterator():
        job.area = next((a["ring"] for a in job.areas), [])
        job.save(update_fields=["area"])


class Migration(migrations.Migration):
    dependencies = [("jobs", "0004_reserve_method")]

    operations = [
        migrations.AddField("job", "areas", models.JSONField(default=list)),
        migrations.RunPython(into_list, into_outline),
        migrations.RemoveField("job", "area"),
    ]
